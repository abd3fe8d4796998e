#include "bench_book.h"

#include <fcntl.h>
#include <sqlite3.h>
#include <unistd.h>

#include <cerrno>

#include "guard.h"
#include "hash.h"
#include "journal.h"
#include "notes.h"
#include "quantity/phrase.h"
#include "schema.h"

namespace nk {

namespace fs = std::filesystem;

namespace {

constexpr int kBusy_ms = 5000;

}  // namespace

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
BenchBook::~BenchBook() = default;

Error BenchBook::storageError(const std::string& what) const {
    return {ErrorKind::Storage, what, path_.string(), ""};
}

Expected<std::unique_ptr<BenchBook>> BenchBook::open(const fs::path& path, bool create) {
    std::unique_ptr<BenchBook> book(new BenchBook(path));
    std::error_code ec;
    const bool exists = fs::exists(path, ec);
    if (!exists && !create)
        return fail(ErrorKind::NotFound, phrase("There is no such bench book."), path.string(),
                    phrase("the path of a .nkbook file."));
    if (exists && !fs::is_regular_file(path, ec))
        return fail(ErrorKind::Unreadable, phrase("This is no regular file."), path.string(),
                    phrase("the path of a .nkbook file."));
    try {
        book->db_ = std::make_unique<SQLite::Database>(
            path.string(), SQLite::OPEN_READWRITE | (create ? SQLite::OPEN_CREATE : 0), kBusy_ms);
        SQLite::Database& db = *book->db_;
        const int id = db.execAndGet("PRAGMA application_id").getInt();
        const int version = db.execAndGet("PRAGMA user_version").getInt();
        const bool blank = db.execAndGet("SELECT count(*) FROM sqlite_master").getInt() == 0;
        if (!blank && id != kBookApplicationId)
            return fail(ErrorKind::Unsupported,
                        phrase("This SQLite file is no bench book; it was not changed."),
                        path.string(), phrase("a .nkbook file."));
        if (version > kSchemaVersion)
            return fail(ErrorKind::Unsupported,
                        phrase("This bench book was written by a newer Narrow Knee (schema "
                               "{}, this program knows {}); it was not changed.",
                               version, kSchemaVersion),
                        path.string(), phrase("a newer version of the program."));
        if (blank) db.exec("PRAGMA page_size = 65536");
        db.exec("PRAGMA journal_mode = WAL");
        db.exec("PRAGMA synchronous = FULL");
        db.exec("PRAGMA foreign_keys = ON");
        if (version < kSchemaVersion) migrate(db, version);
        book->dataVersion_ = db.execAndGet("PRAGMA data_version").getInt64();
    } catch (const SQLite::Exception& e) {
        return fail(ErrorKind::Storage,
                    phrase("The bench book cannot be opened: {}.", plainReason(e)), path.string(),
                    phrase("a bench book in a folder you may write to."));
    }
    return book;
}

bool BenchBook::changedElsewhere() {
    try {
        const auto now = db_->execAndGet("PRAGMA data_version").getInt64();
        const bool changed = now != dataVersion_;
        dataVersion_ = now;
        return changed;
    } catch (const SQLite::Exception&) {
        return false;
    }
}

namespace {

void bindBattery(SQLite::Statement& q, const Battery& b) {
    q.bind(1, b.name.empty() ? std::string("Battery") : b.name);
    q.bind(2, b.chemistry);
    q.bind(3, b.series);
    q.bind(4, b.parallel);
    q.bind(5, b.rated_Ah);
    q.bind(6, b.mass_kg);
    q.bind(7, cardJson(b));
}

}  // namespace

namespace {

std::int64_t insertBattery(SQLite::Database& db, const Battery& b) {
    SQLite::Statement insert(db,
                             "INSERT INTO battery(name, chemistry, series, parallel, rated_Ah, "
                             "mass_kg, card) VALUES (?,?,?,?,?,?,?)");
    bindBattery(insert, b);
    insert.exec();
    return db.getLastInsertRowid();
}

}  // namespace

Expected<std::int64_t> BenchBook::addBattery(const Battery& b) {
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The battery could not be added"), [&] {
        return journaled(*db_, phrase("add {}", b.name),
                         [&]() -> Expected<std::int64_t> { return insertBattery(*db_, b); });
    });
}

Expected<std::int64_t> BenchBook::assignNewBattery(std::int64_t recordingId, const Battery& b) {
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The battery could not be set"), [&] {
        return journaled(
            *db_, phrase("move a recording to {}", b.name), [&]() -> Expected<std::int64_t> {
                const std::int64_t id = insertBattery(*db_, b);
                SQLite::Statement move(*db_, "UPDATE recording SET battery_id=? WHERE id=?");
                move.bind(1, id);
                move.bind(2, recordingId);
                move.exec();
                return id;
            });
    });
}

Expected<void> BenchBook::updateBattery(std::int64_t id, std::int64_t revision, const Battery& b) {
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The battery could not be changed"), [&] {
        return journaled(*db_, phrase("change the card of {}", b.name), [&]() -> Expected<void> {
            SQLite::Statement update(
                *db_,
                "UPDATE battery SET name=?, chemistry=?, series=?, parallel=?, rated_Ah=?, "
                "mass_kg=?, card=?, revision=revision+1 WHERE id=? AND revision=?");
            bindBattery(update, b);
            update.bind(8, id);
            update.bind(9, revision);
            if (update.exec() == 0)
                return tl::unexpected<Error>(storageError(phrase(
                    "This battery was changed in another window meanwhile; your change was not "
                    "written over it. Look at the new state and change it again.")));
            return {};
        });
    });
}

Expected<void> BenchBook::removeBattery(std::int64_t id) {
    return guarded(path_.string(), phrase("The battery could not be removed"), [&] {
        return journaled(*db_, phrase("remove a battery"), [&]() -> Expected<void> {
            SQLite::Statement count(
                *db_, "SELECT count(*) FROM recording WHERE battery_id=? AND removed=0");
            count.bind(1, id);
            if (count.executeStep() && count.getColumn(0).getInt64() > 0)
                return tl::unexpected<Error>(storageError(
                    phrase("This battery still has logs on the shelf ({}). Move them to another "
                           "battery or take them off the shelf first.",
                           count.getColumn(0).getInt64())));
            // Recordings that were taken off the shelf do not hold it back.
            SQLite::Statement loosen(
                *db_, "UPDATE recording SET battery_id=NULL WHERE battery_id=? AND removed=1");
            loosen.bind(1, id);
            loosen.exec();
            SQLite::Statement spots(*db_, "DELETE FROM spot_reading WHERE battery_id=?");
            spots.bind(1, id);
            spots.exec();
            SQLite::Statement remove(*db_, "DELETE FROM battery WHERE id=?");
            remove.bind(1, id);
            remove.exec();
            return {};
        });
    });
}

Expected<std::vector<BatteryEntry>> BenchBook::batteries() {
    return guarded(path_.string(), phrase("The batteries could not be read"),
                   [&]() -> Expected<std::vector<BatteryEntry>> {
                       std::vector<BatteryEntry> out;
                       SQLite::Statement q(
                           *db_,
                           "SELECT id, revision, name, chemistry, series, parallel, rated_Ah, "
                           "mass_kg, card FROM battery ORDER BY id");
                       while (q.executeStep()) {
                           BatteryEntry e;
                           e.id = q.getColumn(0).getInt64();
                           e.revision = q.getColumn(1).getInt64();
                           e.battery.name = q.getColumn(2).getString();
                           e.battery.chemistry = q.getColumn(3).getString();
                           e.battery.series = q.getColumn(4).getInt();
                           e.battery.parallel = q.getColumn(5).getInt();
                           e.battery.rated_Ah = q.getColumn(6).getDouble();
                           e.battery.mass_kg = q.getColumn(7).getDouble();
                           readCard(q.getColumn(8).getString(), e.battery);
                           out.push_back(std::move(e));
                       }
                       return out;
                   });
}

Expected<std::string> BenchBook::undoLabel() {
    return guarded(path_.string(), phrase("The journal could not be read"),
                   [&]() -> Expected<std::string> { return nk::undoLabel(*db_).value_or(""); });
}

Expected<std::string> BenchBook::redoLabel() {
    return guarded(path_.string(), phrase("The journal could not be read"),
                   [&]() -> Expected<std::string> { return nk::redoLabel(*db_).value_or(""); });
}

Expected<std::string> BenchBook::undo() {
    return guarded(path_.string(), phrase("The change could not be taken back"),
                   [&]() -> Expected<std::string> {
                       SQLite::Transaction transaction(*db_,
                                                       SQLite::TransactionBehavior::IMMEDIATE);
                       auto label = undoChange(*db_).value_or("");
                       transaction.commit();
                       return label;
                   });
}

Expected<std::string> BenchBook::redo() {
    return guarded(path_.string(), phrase("The change could not be made again"),
                   [&]() -> Expected<std::string> {
                       SQLite::Transaction transaction(*db_,
                                                       SQLite::TransactionBehavior::IMMEDIATE);
                       auto label = redoChange(*db_).value_or("");
                       transaction.commit();
                       return label;
                   });
}

Expected<VerifyReport> BenchBook::verify() {
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
            std::vector<RecordingEntry> list;
            SQLite::Statement every(*db_, "SELECT id, title, sha256 FROM recording ORDER BY id");
            while (every.executeStep()) {
                RecordingEntry e;
                e.id = every.getColumn(0).getInt64();
                e.title = every.getColumn(1).getString();
                e.sha256 = every.getColumn(2).getString();
                list.push_back(std::move(e));
            }
            for (const RecordingEntry& e : list) {
                ++report.recordings;
                const auto recording = load(e.id);
                if (!recording)
                    report.faults.push_back(
                        phrase("recording {} '{}': {}", e.id, e.title, recording.error().what));
                else
                    report.samples += static_cast<std::int64_t>((*recording)->size());
                const auto bytes = original(e.id);
                if (!bytes)
                    report.faults.push_back(phrase("recording {} '{}': original file: {}", e.id,
                                                   e.title, bytes.error().what));
                else if (sha256(*bytes) != e.sha256)
                    report.faults.push_back(
                        phrase("recording {} '{}': the original file's hash does not agree", e.id,
                               e.title));
            }
            return report;
        });
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
    auto done =
        guarded(path_.string(), phrase("The backup could not be written"), [&]() -> Expected<void> {
            SQLite::Statement q(*db_, "VACUUM INTO ?");
            q.bind(1, part.string());
            q.exec();
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
