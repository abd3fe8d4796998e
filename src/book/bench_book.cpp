#include "bench_book.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>
#include <sqlite3.h>

#include <algorithm>
#include <cmath>

#include "chunk_codec.h"
#include "hash.h"
#include "notes.h"
#include "schema.h"

namespace nk {

namespace fs = std::filesystem;

namespace {

constexpr int kBusy_ms = 5000;

/// Thrown inside a transaction to roll it back with a message of our own.
struct Refused {
    Error error;
};

std::string plainReason(const SQLite::Exception& e) {
    switch (e.getErrorCode() & 0xFF) {
        case SQLITE_FULL:
            return "the disk is full";
        case SQLITE_READONLY:
            return "the file or folder is read-only";
        case SQLITE_BUSY:
        case SQLITE_LOCKED:
            return "another window is writing and did not finish within five seconds";
        case SQLITE_CORRUPT:
            return "the file is damaged";
        case SQLITE_NOTADB:
            return "the file is no bench book";
        case SQLITE_CANTOPEN:
            return "the file cannot be opened";
        case SQLITE_IOERR:
            return "the disk reports an error";
        case SQLITE_CONSTRAINT:
            return std::string("a rule of the book would be broken (") + e.what() + ")";
        default:
            return e.what();
    }
}

void bindOrNull(SQLite::Statement& statement, int index, double value) {
    if (std::isfinite(value))
        statement.bind(index, value);
    else
        statement.bind(index);
}

}  // namespace

BenchBook::BenchBook(fs::path path) : path_(std::move(path)) {}
BenchBook::~BenchBook() = default;

Error BenchBook::storageError(const std::string& what) const {
    return {ErrorKind::Storage, what, path_.string(), ""};
}

template <class Work>
auto BenchBook::guarded(const char* what, Work work) -> decltype(work()) {
    try {
        return work();
    } catch (const Refused& refused) {
        return tl::unexpected<Error>(refused.error);
    } catch (const SQLite::Exception& e) {
        return tl::unexpected<Error>(
            storageError(fmt::format("{}: {}. Nothing was changed.", what, plainReason(e))));
    } catch (const std::bad_alloc&) {
        return tl::unexpected<Error>(
            storageError(fmt::format("{}: not enough memory. Nothing was changed.", what)));
    }
}

Expected<std::unique_ptr<BenchBook>> BenchBook::open(const fs::path& path, bool create) {
    std::unique_ptr<BenchBook> book(new BenchBook(path));
    std::error_code ec;
    const bool exists = fs::exists(path, ec);
    if (!exists && !create)
        return fail(ErrorKind::NotFound, "There is no such bench book.", path.string(),
                    "the path of a .nkbook file.");
    if (exists && !fs::is_regular_file(path, ec))
        return fail(ErrorKind::Unreadable, "This is no regular file.", path.string(),
                    "the path of a .nkbook file.");
    try {
        book->db_ = std::make_unique<SQLite::Database>(
            path.string(), SQLite::OPEN_READWRITE | (create ? SQLite::OPEN_CREATE : 0), kBusy_ms);
        SQLite::Database& db = *book->db_;
        const int id = db.execAndGet("PRAGMA application_id").getInt();
        const int version = db.execAndGet("PRAGMA user_version").getInt();
        const bool blank = db.execAndGet("SELECT count(*) FROM sqlite_master").getInt() == 0;
        if (!blank && id != kBookApplicationId)
            return fail(ErrorKind::Unsupported,
                        "This SQLite file is no bench book; it was not changed.", path.string(),
                        "a .nkbook file.");
        if (version > kSchemaVersion)
            return fail(ErrorKind::Unsupported,
                        fmt::format("This bench book was written by a newer Narrow Knee (schema "
                                    "{}, this program knows {}); it was not changed.",
                                    version, kSchemaVersion),
                        path.string(), "a newer version of the program.");
        if (blank) db.exec("PRAGMA page_size = 65536");
        db.exec("PRAGMA journal_mode = WAL");
        db.exec("PRAGMA synchronous = FULL");
        db.exec("PRAGMA foreign_keys = ON");
        if (version < kSchemaVersion) migrate(db, version);
        book->dataVersion_ = db.execAndGet("PRAGMA data_version").getInt64();
    } catch (const SQLite::Exception& e) {
        return fail(ErrorKind::Storage,
                    fmt::format("The bench book cannot be opened: {}.", plainReason(e)),
                    path.string(), "a bench book in a folder you may write to.");
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

Expected<std::int64_t> BenchBook::addBattery(const Battery& b) {
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded("The battery could not be added", [&]() -> Expected<std::int64_t> {
        SQLite::Statement insert(*db_,
                                 "INSERT INTO battery(name, chemistry, series, parallel, rated_Ah, "
                                 "mass_kg) VALUES (?,?,?,?,?,?)");
        insert.bind(1, b.name.empty() ? std::string("Battery") : b.name);
        insert.bind(2, b.chemistry);
        insert.bind(3, b.series);
        insert.bind(4, b.parallel);
        insert.bind(5, b.rated_Ah);
        insert.bind(6, b.mass_kg);
        insert.exec();
        return static_cast<std::int64_t>(db_->getLastInsertRowid());
    });
}

Expected<void> BenchBook::updateBattery(std::int64_t id, std::int64_t revision, const Battery& b) {
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded("The battery could not be changed", [&]() -> Expected<void> {
        SQLite::Statement update(
            *db_,
            "UPDATE battery SET name=?, chemistry=?, series=?, parallel=?, rated_Ah=?, mass_kg=?, "
            "revision=revision+1 WHERE id=? AND revision=?");
        update.bind(1, b.name.empty() ? std::string("Battery") : b.name);
        update.bind(2, b.chemistry);
        update.bind(3, b.series);
        update.bind(4, b.parallel);
        update.bind(5, b.rated_Ah);
        update.bind(6, b.mass_kg);
        update.bind(7, id);
        update.bind(8, revision);
        if (update.exec() == 0)
            return tl::unexpected<Error>(storageError(
                "This battery was changed in another window meanwhile; your change was not written "
                "over it. Look at the new state and change it again."));
        return {};
    });
}

Expected<void> BenchBook::removeBattery(std::int64_t id) {
    return guarded("The battery could not be removed", [&]() -> Expected<void> {
        SQLite::Statement remove(*db_, "DELETE FROM battery WHERE id=?");
        remove.bind(1, id);
        remove.exec();
        return {};
    });
}

Expected<std::vector<BatteryEntry>> BenchBook::batteries() {
    return guarded("The batteries could not be read", [&]() -> Expected<std::vector<BatteryEntry>> {
        std::vector<BatteryEntry> out;
        SQLite::Statement q(*db_,
                            "SELECT id, revision, name, chemistry, series, parallel, rated_Ah, "
                            "mass_kg FROM battery ORDER BY id");
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
            out.push_back(std::move(e));
        }
        return out;
    });
}

Expected<std::int64_t> BenchBook::addRecording(const NewRecording& n, std::stop_token stop) {
    return guarded("The log could not be stored", [&]() -> Expected<std::int64_t> {
        const auto cancelled = [&] {
            if (stop.stop_requested())
                throw Refused{{ErrorKind::Cancelled,
                               "The import was cancelled; nothing was changed.", n.fileName, ""}};
        };
        const Recording& r = *n.imported->recording;
        const RecordingData& d = r.data();
        SQLite::Transaction transaction(*db_, SQLite::TransactionBehavior::IMMEDIATE);
        SQLite::Statement insert(*db_,
                                 "INSERT INTO recording(battery_id, title, file_name, sha256, "
                                 "imported_at_s, start_epoch_s, rows_read, rows_skipped, samples, "
                                 "duration_s, notes, summary) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)");
        if (n.batteryId > 0)
            insert.bind(1, n.batteryId);
        else
            insert.bind(1);
        insert.bind(2, n.title);
        insert.bind(3, n.fileName);
        insert.bind(4, sha256(n.originalBytes));
        insert.bind(5, n.importedAt_s);
        bindOrNull(insert, 6, n.imported->startEpoch_s);
        insert.bind(7, n.imported->rowsRead);
        insert.bind(8, n.imported->rowsSkipped);
        insert.bind(9, static_cast<std::int64_t>(r.size()));
        insert.bind(10, r.duration_s());
        insert.bind(11, notesJson(*n.imported));
        insert.bind(12, summaryJson(n.summary));
        insert.exec();
        const std::int64_t id = db_->getLastInsertRowid();
        cancelled();
        {
            const std::string packed = compressBytes(n.originalBytes);
            SQLite::Statement original(
                *db_, "INSERT INTO original(recording_id, size, bytes) VALUES (?,?,?)");
            original.bind(1, id);
            original.bind(2, static_cast<std::int64_t>(n.originalBytes.size()));
            original.bindNoCopy(3, packed.data(), static_cast<int>(packed.size()));
            original.exec();
        }
        SQLite::Statement chunk(
            *db_, "INSERT INTO sample_chunk(recording_id, channel, chunk, data) VALUES (?,?,?,?)");
        const auto store = [&](const std::string& channel, std::span<const double> column) {
            for (std::size_t first = 0, index = 0; first < column.size();
                 first += kChunkSamples, ++index) {
                cancelled();
                const std::string packed = packChunk(
                    column.subspan(first, std::min(kChunkSamples, column.size() - first)));
                chunk.reset();
                chunk.bind(1, id);
                chunk.bind(2, channel);
                chunk.bind(3, static_cast<std::int64_t>(index));
                chunk.bindNoCopy(4, packed.data(), static_cast<int>(packed.size()));
                chunk.exec();
            }
        };
        store("time_s", d.time_s);
        store("voltage_V", d.voltage_V);
        store("current_A", d.current_A);
        store("temperature_C", d.temperature_C);
        store("counter_Ah", d.counter_Ah);
        store("counter_Wh", d.counter_Wh);
        for (std::size_t k = 0; k < d.cells_V.size(); ++k)
            store(fmt::format("cell_V_{}", k + 1), d.cells_V[k]);
        for (std::size_t k = 0; k < d.moreTemperatures_C.size(); ++k)
            store(fmt::format("temperature_C_{}", k + 2), d.moreTemperatures_C[k]);
        cancelled();
        transaction.commit();
        return id;
    });
}

Expected<std::vector<RecordingEntry>> BenchBook::recordings() {
    return guarded(
        "The recordings could not be read", [&]() -> Expected<std::vector<RecordingEntry>> {
            std::vector<RecordingEntry> out;
            SQLite::Statement q(
                *db_,
                "SELECT id, battery_id, title, file_name, sha256, imported_at_s, start_epoch_s, "
                "rows_read, rows_skipped, duration_s, summary FROM recording ORDER BY id");
            while (q.executeStep()) {
                RecordingEntry e;
                e.id = q.getColumn(0).getInt64();
                e.batteryId = q.getColumn(1).isNull() ? 0 : q.getColumn(1).getInt64();
                e.title = q.getColumn(2).getString();
                e.fileName = q.getColumn(3).getString();
                e.sha256 = q.getColumn(4).getString();
                e.importedAt_s = q.getColumn(5).getDouble();
                e.startEpoch_s = q.getColumn(6).isNull() ? kNaN : q.getColumn(6).getDouble();
                e.rowsRead = q.getColumn(7).getInt64();
                e.rowsSkipped = q.getColumn(8).getInt64();
                e.duration_s = q.getColumn(9).getDouble();
                e.summary = readSummary(q.getColumn(10).getString());
                out.push_back(std::move(e));
            }
            return out;
        });
}

Expected<RecordingPtr> BenchBook::load(std::int64_t id) {
    return guarded("The recording could not be read", [&]() -> Expected<RecordingPtr> {
        RecordingData d;
        std::vector<std::string> ignored;
        std::size_t samples = 0;
        {
            SQLite::Statement q(*db_, "SELECT notes, samples FROM recording WHERE id=?");
            q.bind(1, id);
            if (!q.executeStep())
                return tl::unexpected<Error>(
                    storageError("This recording is no longer in the book."));
            samples = static_cast<std::size_t>(q.getColumn(1).getInt64());
            if (auto ok = readNotes(q.getColumn(0).getString(), d, ignored); !ok)
                return tl::unexpected<Error>(ok.error());
        }
        const auto column = [&](const std::string& channel, std::vector<double>& into,
                                bool needed) {
            SQLite::Statement q(
                *db_,
                "SELECT data FROM sample_chunk WHERE recording_id=? AND channel=? ORDER BY chunk");
            q.bind(1, id);
            q.bind(2, channel);
            into.reserve(needed ? samples : 0);
            while (q.executeStep()) {
                const auto blob = q.getColumn(0);
                if (auto ok = unpackChunk({static_cast<const char*>(blob.getBlob()),
                                           static_cast<std::size_t>(blob.getBytes())},
                                          into);
                    !ok)
                    throw Refused{ok.error()};
            }
            if (into.size() != samples && (needed || !into.empty()))
                throw Refused{
                    storageError("Samples of this recording are missing (" + channel + ").")};
        };
        column("time_s", d.time_s, true);
        column("voltage_V", d.voltage_V, true);
        column("current_A", d.current_A, true);
        column("temperature_C", d.temperature_C, false);
        column("counter_Ah", d.counter_Ah, false);
        column("counter_Wh", d.counter_Wh, false);
        for (std::size_t k = 0; k < d.cells_V.size(); ++k)
            column(fmt::format("cell_V_{}", k + 1), d.cells_V[k], true);
        for (std::size_t k = 0; k < d.moreTemperatures_C.size(); ++k)
            column(fmt::format("temperature_C_{}", k + 2), d.moreTemperatures_C[k], true);
        return Recording::make(std::move(d));
    });
}

Expected<std::string> BenchBook::original(std::int64_t id) {
    return guarded("The original file could not be read", [&]() -> Expected<std::string> {
        SQLite::Statement q(*db_, "SELECT size, bytes FROM original WHERE recording_id=?");
        q.bind(1, id);
        if (!q.executeStep())
            return tl::unexpected<Error>(storageError("This recording is no longer in the book."));
        const auto blob = q.getColumn(1);
        return decompressBytes(
            {static_cast<const char*>(blob.getBlob()), static_cast<std::size_t>(blob.getBytes())},
            static_cast<std::size_t>(q.getColumn(0).getInt64()));
    });
}

Expected<std::vector<std::string>> BenchBook::guesses(std::int64_t id) {
    return guarded("The notes could not be read", [&]() -> Expected<std::vector<std::string>> {
        SQLite::Statement q(*db_, "SELECT notes FROM recording WHERE id=?");
        q.bind(1, id);
        std::vector<std::string> out;
        RecordingData ignored;
        if (q.executeStep())
            if (auto ok = readNotes(q.getColumn(0).getString(), ignored, out); !ok)
                return tl::unexpected<Error>(ok.error());
        return out;
    });
}

namespace {

void execOn(SQLite::Database& db, const char* sql, const std::string& text, std::int64_t id) {
    SQLite::Statement q(db, sql);
    q.bind(1, text);
    q.bind(2, id);
    q.exec();
}

}  // namespace

Expected<void> BenchBook::setSummary(std::int64_t id, const RecordingSummary& summary) {
    return guarded("The summary could not be written", [&]() -> Expected<void> {
        execOn(*db_, "UPDATE recording SET summary=? WHERE id=?", summaryJson(summary), id);
        return {};
    });
}

Expected<void> BenchBook::renameRecording(std::int64_t id, const std::string& title) {
    return guarded("The recording could not be renamed", [&]() -> Expected<void> {
        execOn(*db_, "UPDATE recording SET title=? WHERE id=?", title, id);
        return {};
    });
}

Expected<void> BenchBook::assignBattery(std::int64_t recordingId, std::int64_t batteryId) {
    return guarded("The battery could not be set", [&]() -> Expected<void> {
        SQLite::Statement q(*db_, "UPDATE recording SET battery_id=? WHERE id=?");
        if (batteryId > 0)
            q.bind(1, batteryId);
        else
            q.bind(1);
        q.bind(2, recordingId);
        q.exec();
        return {};
    });
}

Expected<void> BenchBook::removeRecording(std::int64_t id) {
    return guarded("The recording could not be removed", [&]() -> Expected<void> {
        SQLite::Statement q(*db_, "DELETE FROM recording WHERE id=?");
        q.bind(1, id);
        q.exec();
        return {};
    });
}

Expected<std::vector<StepEdit>> BenchBook::edits(std::int64_t recordingId) {
    return guarded("The edits could not be read", [&]() -> Expected<std::vector<StepEdit>> {
        std::vector<StepEdit> out;
        SQLite::Statement q(
            *db_,
            "SELECT action, at_s, kind FROM step_edit WHERE recording_id=? ORDER BY position");
        q.bind(1, recordingId);
        while (q.executeStep()) {
            StepEdit e;
            const std::string action = q.getColumn(0).getString();
            e.action = action == "split"  ? StepEdit::Action::Split
                       : action == "join" ? StepEdit::Action::Join
                                          : StepEdit::Action::Rename;
            e.at_s = q.getColumn(1).getDouble();
            e.kind = stepKindFrom(q.getColumn(2).getString()).value_or(StepKind::Variable);
            out.push_back(e);
        }
        return out;
    });
}

Expected<void> BenchBook::setEdits(std::int64_t recordingId, const std::vector<StepEdit>& edits) {
    return guarded("The edits could not be written", [&]() -> Expected<void> {
        SQLite::Transaction transaction(*db_, SQLite::TransactionBehavior::IMMEDIATE);
        SQLite::Statement clear(*db_, "DELETE FROM step_edit WHERE recording_id=?");
        clear.bind(1, recordingId);
        clear.exec();
        SQLite::Statement insert(
            *db_,
            "INSERT INTO step_edit(recording_id, position, action, at_s, kind) VALUES (?,?,?,?,?)");
        std::int64_t position = 0;
        for (const StepEdit& e : edits) {
            insert.reset();
            insert.bind(1, recordingId);
            insert.bind(2, position++);
            insert.bind(3, e.action == StepEdit::Action::Split  ? "split"
                           : e.action == StepEdit::Action::Join ? "join"
                                                                : "rename");
            insert.bind(4, e.at_s);
            insert.bind(5, toString(e.kind));
            insert.exec();
        }
        transaction.commit();
        return {};
    });
}

Expected<VerifyReport> BenchBook::verify() {
    return guarded("The book could not be verified", [&]() -> Expected<VerifyReport> {
        VerifyReport report;
        SQLite::Statement integrity(*db_, "PRAGMA integrity_check");
        while (integrity.executeStep())
            if (const std::string line = integrity.getColumn(0).getString(); line != "ok")
                report.faults.push_back("SQLite: " + line);
        SQLite::Statement foreign(*db_, "PRAGMA foreign_key_check");
        while (foreign.executeStep())
            report.faults.push_back("a row of " + foreign.getColumn(0).getString() +
                                    " refers to nothing");
        const auto all = batteries();
        if (all) report.batteries = static_cast<std::int64_t>(all->size());
        const auto list = recordings();
        if (!list) return tl::unexpected<Error>(list.error());
        for (const RecordingEntry& e : *list) {
            ++report.recordings;
            const auto recording = load(e.id);
            if (!recording)
                report.faults.push_back(
                    fmt::format("recording {} '{}': {}", e.id, e.title, recording.error().what));
            else
                report.samples += static_cast<std::int64_t>((*recording)->size());
            const auto bytes = original(e.id);
            if (!bytes)
                report.faults.push_back(fmt::format("recording {} '{}': original file: {}", e.id,
                                                    e.title, bytes.error().what));
            else if (sha256(*bytes) != e.sha256)
                report.faults.push_back(fmt::format(
                    "recording {} '{}': the original file's hash does not agree", e.id, e.title));
        }
        return report;
    });
}

Expected<void> BenchBook::backup(const fs::path& target) {
    std::error_code ec;
    if (fs::exists(target, ec))
        return fail(ErrorKind::InvalidArgument,
                    "There is a file of this name already; it was not changed.", target.string(),
                    "a new file name.");
    return guarded("The backup could not be written", [&]() -> Expected<void> {
        SQLite::Statement q(*db_, "VACUUM INTO ?");
        q.bind(1, target.string());
        q.exec();
        return {};
    });
}

}  // namespace nk
