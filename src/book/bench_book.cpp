#include "bench_book.h"

#include <fcntl.h>
#include <sqlite3.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>

#include "backups.h"
#include "connection.h"
#include "guard.h"
#include "hash.h"
#include "journal.h"
#include "notes.h"
#include "old_journal.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"
#include "samples.h"
#include "schema.h"

namespace nk {

namespace fs = std::filesystem;

std::string plainReason(const SQLite::Exception& e) {
    switch (e.getErrorCode() & 0xFF) {
        case SQLITE_FULL:
            return phrase("the disk is full");
        case SQLITE_READONLY:
            return phrase("the file or folder is read-only");
        case SQLITE_BUSY:
        case SQLITE_LOCKED:
            return phrase("another window is writing and did not finish within five seconds");
        case SQLITE_CORRUPT:
            return phrase("the file is damaged");
        case SQLITE_NOTADB:
            return phrase("the file is no bench book");
        case SQLITE_CANTOPEN:
            return phrase("the file cannot be opened");
        case SQLITE_IOERR:
            return phrase("the disk reports an error");
        case SQLITE_CONSTRAINT:
            return phrase("a rule of the book would be broken ({})", e.what());
        default:
            return e.what();
    }
}

BenchBook::BenchBook(fs::path path) : path_(std::move(path)) {}

BenchBook::~BenchBook() {
    db_.reset();
    std::error_code none;
    if (!copyFolder_.empty()) fs::remove_all(copyFolder_, none);
}

Error BenchBook::storageError(const std::string& what) const {
    return {ErrorKind::Storage, what, path_.string(), ""};
}

namespace {

Expected<void> checkName(const fs::path& path, bool create) {
    if (noFileName(path))
        return fail(ErrorKind::InvalidArgument,
                    phrase("'{}' is no name of a file: a bench book is kept in a file.",
                           harmless(path.string())),
                    "", phrase("the path of a .nkbook file."));
    std::error_code ec;
    if (!fs::exists(path, ec)) {
        if (ec || create) return {};
        return fail(ErrorKind::NotFound, phrase("There is no such bench book."), path.string(),
                    phrase("the path of a .nkbook file."));
    }
    if (!fs::is_regular_file(path, ec))
        return fail(ErrorKind::Unreadable, phrase("This is no regular file."), path.string(),
                    phrase("the path of a .nkbook file."));
    if (fs::file_size(path, ec) == 0 && !ec)
        return fail(
            ErrorKind::Storage,
            phrase("The bench book is damaged: its file is empty (0 bytes). It was not changed."),
            path.string(), phrase("a backup of it, or another name for a new book."));
    return {};
}

tl::unexpected<Error> foreignBook(const fs::path& path, const std::vector<std::string>& what) {
    std::string list;
    for (const std::string& w : what) list += (list.empty() ? "" : "; ") + w;
    return fail(
        ErrorKind::Foreign,
        phrase(
            "This bench book holds what Narrow Knee cannot have written, and was not opened: {}.",
            list),
        path.string(),
        phrase("a book that this program wrote. The rows of this one can be copied into a new "
               "book (book rescue)."));
}

tl::unexpected<Error> cannotOpen(const fs::path& path, const std::string& reason) {
    return fail(ErrorKind::Storage, phrase("The bench book cannot be opened: {}.", reason),
                path.string(), phrase("a bench book in a folder you may write to."));
}

/// SQLite cannot write its files beside the book.
bool noPlaceToWrite(const SQLite::Exception& e) {
    const int code = e.getErrorCode() & 0xFF;
    return code == SQLITE_CANTOPEN || code == SQLITE_READONLY || code == SQLITE_PERM;
}

}  // namespace

/// Looks at what was opened before anything of it is used: the right kind, a known version, nothing
/// foreign.
Expected<void> BenchBook::attend(bool mayWrite) {
    SQLite::Database& db = *db_;
    const int id = db.execAndGet("PRAGMA application_id").getInt();
    const int version = db.execAndGet("PRAGMA user_version").getInt();
    if (id != kBookApplicationId)
        return fail(ErrorKind::Unsupported,
                    phrase("This SQLite file is no bench book; it was not changed."),
                    path_.string(), phrase("a .nkbook file."));
    if (version > kSchemaVersion)
        return fail(ErrorKind::Unsupported,
                    phrase("This bench book was written by a newer Narrow Knee (schema "
                           "{}, this program knows {}); it was not changed.",
                           version, kSchemaVersion),
                    path_.string(), phrase("a newer version of the program."));
    if (const auto foreign = foreignSchema(db, version); !foreign.empty())
        return foreignBook(path_, foreign);
    if (version >= 4) {
        if (const auto entries = foreignEntries(db); !entries.empty())
            return foreignBook(path_, entries);
    } else if (version >= 2) {
        if (const auto entry = foreignOldEntry(db); !entry.empty())
            return foreignBook(path_, {entry});
    }
    db.exec("PRAGMA foreign_keys = ON");
    if (!mayWrite) return {};
    db.exec("PRAGMA journal_mode = WAL");
    db.exec("PRAGMA synchronous = FULL");
    if (version < kSchemaVersion)
        if (auto up = bringUp(version); !up) return up;
    watchChanges(db);
    dataVersion_ = db.execAndGet("PRAGMA data_version").getInt64();
    return {};
}

Expected<void> BenchBook::bringUp(int version) {
    SQLite::Database& db = *db_;
    SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
    // Another window may have been faster.
    const int now = db.execAndGet("PRAGMA user_version").getInt();
    if (now >= kSchemaVersion) return {};
    if (copyFolder_.empty())
        if (auto kept = keepBeforeMigration(path_, now); !kept) return kept;
    migrate(db, std::max(version, now));
    transaction.commit();
    return {};
}

/// A private copy of a book in a folder that cannot be written to, brought up and then closed to
/// changes.
Expected<void> BenchBook::openCopy() {
    std::string name = (fs::temp_directory_path() / "narrow-knee-XXXXXX").string();
    if (::mkdtemp(name.data()) == nullptr)
        return cannotOpen(path_,
                          phrase("the folder is read-only, and there is no room for a copy"));
    copyFolder_ = name;
    const fs::path copy = copyFolder_ / "book.nkbook";
    std::error_code ec;
    fs::copy_file(path_, copy, ec);
    if (!ec && fs::exists(path_.string() + "-wal"))
        fs::copy_file(path_.string() + "-wal", copy.string() + "-wal", ec);
    if (ec) return cannotOpen(path_, ec.message());
    fs::permissions(copy, fs::perms::owner_read | fs::perms::owner_write, ec);
    db_ = connect(copy, Access::Write);
    if (auto good = attend(true); !good) return good;
    db_->exec("PRAGMA query_only = ON");
    return {};
}

Expected<std::unique_ptr<BenchBook>> BenchBook::open(const fs::path& path, bool create) {
    if (auto good = checkName(path, create); !good) return tl::unexpected<Error>(good.error());
    std::error_code ec;
    if (create && !fs::exists(path, ec))
        if (auto made = makeBook(path); !made) return tl::unexpected<Error>(made.error());
    std::unique_ptr<BenchBook> book(new BenchBook(path));
    try {
        book->db_ = connect(path, Access::Write);
        if (sqlite3_db_readonly(book->db_->getHandle(), "main") == 0) {
            if (auto good = book->attend(true); !good) return tl::unexpected<Error>(good.error());
            return book;
        }
    } catch (const Refused& refused) {
        return tl::unexpected<Error>(refused.error);
    } catch (const SQLite::Exception& e) {
        if (!noPlaceToWrite(e)) return cannotOpen(path, plainReason(e));
    } catch (const std::exception&) {
        return cannotOpen(path, phrase("it is damaged"));
    }
    book.reset();
    return openForReading(path);
}

Expected<std::unique_ptr<BenchBook>> BenchBook::openForReading(const fs::path& path) {
    if (auto good = checkName(path, false); !good) return tl::unexpected<Error>(good.error());
    std::unique_ptr<BenchBook> book(new BenchBook(path));
    book->readOnly_ = true;
    try {
        // What another program has written but not yet moved into the file stands in a file beside
        // it.
        std::error_code ec;
        const auto waiting = fs::file_size(path.string() + "-wal", ec);
        bool current = false;
        if (ec || waiting == 0) {
            book->db_ = connect(path, Access::Frozen);
            current = book->db_->execAndGet("PRAGMA user_version").getInt() >= kSchemaVersion;
        }
        auto good = current ? book->attend(false) : book->openCopy();
        if (!good) return tl::unexpected<Error>(good.error());
    } catch (const Refused& refused) {
        return tl::unexpected<Error>(refused.error);
    } catch (const SQLite::Exception& e) {
        return cannotOpen(path, plainReason(e));
    } catch (const std::exception&) {
        return cannotOpen(path, phrase("it is damaged"));
    }
    return book;
}

bool BenchBook::changedElsewhere() {
    try {
        const auto now = db_->execAndGet("PRAGMA data_version").getInt64();
        if (now == dataVersion_) return false;
        dataVersion_ = now;
        // Rows of a live channel that come in are no change of what the shelf shows.
        const auto sign = [this](const char* sql) { return db_->execAndGet(sql).getString(); };
        const std::string rows = sign(
            "SELECT coalesce(sum((SELECT max(part) FROM live_part WHERE live_id = live.id)), 0) "
            "FROM live");
        const std::string rest = sign(
            "SELECT (SELECT count(*) || ':' || coalesce(max(id), 0) || ':' || total(undone) FROM "
            "change) || '/' || (SELECT count(*) || ':' || coalesce(max(id), 0) || ':' || "
            "total(removed) || ':' || total(length(summary)) FROM recording)");
        const bool onlyRows = rows != liveRows_ && rest == liveRest_;
        liveRows_ = rows;
        liveRest_ = rest;
        return !onlyRows;
    } catch (const SQLite::Exception&) {
        return false;
    }
}

Expected<VerifyReport> BenchBook::verify(std::stop_token stop) {
    return guarded(
        path_.string(), phrase("The book could not be verified"), [&]() -> Expected<VerifyReport> {
            VerifyReport report;
            SQLite::Statement integrity(*db_, "PRAGMA integrity_check");
            while (integrity.executeStep())
                if (const std::string line = integrity.getColumn(0).getString(); line != "ok")
                    report.faults.push_back("SQLite: " + line);
            SQLite::Statement foreign(*db_, "PRAGMA foreign_key_check");
            while (foreign.executeStep())
                report.faults.push_back(phrase("a row of ") + foreign.getColumn(0).getString() +
                                        phrase(" refers to nothing"));
            const auto all = batteries();
            if (all) report.batteries = static_cast<std::int64_t>(all->size());
            // Those that were taken off the shelf count too: undo may bring them back.
            struct Entry {
                std::int64_t id, samples;
                std::string title, notes;
            };
            std::vector<Entry> list;
            SQLite::Statement every(*db_,
                                    "SELECT id, samples, title, notes FROM recording ORDER BY id");
            while (every.executeStep())
                list.push_back({every.getColumn(0).getInt64(), every.getColumn(1).getInt64(),
                                harmless(every.getColumn(2).getString()),
                                every.getColumn(3).getString()});
            for (const Entry& e : list) {
                if (stop.stop_requested())
                    return fail(ErrorKind::Cancelled, phrase("Cancelled. Nothing was changed."),
                                path_.string());
                ++report.recordings;
                RecordingData data;
                std::vector<std::string> ignored;
                const auto fault = [&](const std::string& what) {
                    report.faults.push_back(phrase("recording {} '{}': {}", e.id, e.title, what));
                };
                if (auto notes = readNotes(e.notes, data, ignored); !notes) {
                    fault(notes.error().what);
                } else {
                    try {
                        const auto samples =
                            static_cast<std::size_t>(std::max<std::int64_t>(0, e.samples));
                        for (const DamagedBlock& b :
                             readSamples(*db_, e.id, samples, data, path_.string()))
                            fault(phrase("block {} of {} is damaged", b.index + 1, b.channel));
                        report.samples += static_cast<std::int64_t>(data.time_s.size());
                        if (!consistent(data))
                            fault(phrase("its samples or notes contradict each other"));
                    } catch (const Refused& refused) {
                        fault(refused.error.what);
                    }
                }
                const auto whole = readOriginal(*db_, e.id, path_.string(), [&](std::string_view) {
                    return !stop.stop_requested();
                });
                if (!whole && whole.error().kind == ErrorKind::Cancelled)
                    return tl::unexpected<Error>(whole.error());
                if (!whole) fault(whole.error().what);
            }
            return report;
        });
}

void BenchBook::foldBack() {
    if (readOnly_) return;
    // Who reads just now is not waited for: the next quiet moment does it.
    sqlite3* const handle = db_->getHandle();
    sqlite3_busy_timeout(handle, 0);
    (void)sqlite3_wal_checkpoint_v2(handle, nullptr, SQLITE_CHECKPOINT_TRUNCATE, nullptr, nullptr);
    sqlite3_busy_timeout(handle, kBusy_ms);
}

Expected<void> BenchBook::backup(const fs::path& target) {
    std::error_code ec;
    if (fs::exists(target, ec))
        return fail(ErrorKind::InvalidArgument,
                    phrase("There is a file of this name already; it was not changed."),
                    target.string(), phrase("a new file name."));
    // Under another name until it is whole and on the disk: a file of the wanted name is a backup.
    const fs::path part = target.string() + ".part";
    fs::remove(part, ec);
    auto done = guarded(target.string(), phrase("The backup could not be written"),
                        [&]() -> Expected<void> {
                            execVacuum(*db_, "VACUUM INTO ?", part.string());
                            return {};
                        });
    if (done) {
        const int file = ::open(part.c_str(), O_RDONLY | O_CLOEXEC);
        const bool safe = file >= 0 && ::fsync(file) == 0;
        const int reason = errno;
        if (file >= 0) ::close(file);
        if (!safe) ec.assign(reason, std::generic_category());
        if (!ec) fs::rename(part, target, ec);
        if (ec)
            done = fail(ErrorKind::Storage,
                        phrase("The backup could not be written: ") + ec.message() + ".",
                        target.string(), phrase("a folder you may write to, with room."));
    }
    if (!done) {
        std::error_code ignored;
        fs::remove(part, ignored);
    }
    return done;
}

}  // namespace nk
