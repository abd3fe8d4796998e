#include <algorithm>
#include <cmath>

#include "bench_book.h"
#include "chunk_codec.h"
#include "guard.h"
#include "hash.h"
#include "journal.h"
#include "notes.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

void bindOrNull(SQLite::Statement& statement, int index, double value) {
    if (std::isfinite(value))
        statement.bind(index, value);
    else
        statement.bind(index);
}

/// What every analysis takes for granted; a damaged book may break it.
bool consistent(const RecordingData& d) {
    const std::size_t n = d.time_s.size();
    for (std::size_t k = 0; k < n; ++k)
        if (!std::isfinite(d.time_s[k]) || (k > 0 && d.time_s[k] < d.time_s[k - 1])) return false;
    for (std::size_t k = 0; k < d.gaps.size(); ++k)
        if (d.gaps[k].before + 1 >= n || (k > 0 && d.gaps[k].before <= d.gaps[k - 1].before))
            return false;
    return std::ranges::all_of(d.repairs, [&](const Repair& r) {
        return r.index < n && r.channel >= Channel::Voltage && r.channel <= Channel::Time;
    });
}

}  // namespace

Expected<std::int64_t> BenchBook::addRecording(const NewRecording& n, std::stop_token stop) {
    return guarded(path_.string(), phrase("The log could not be stored"), [&] {
        return journaled(*db_, phrase("add {}", n.title), [&] { return insertRecording(n, stop); });
    });
}

Expected<std::int64_t> BenchBook::insertRecording(const NewRecording& n, std::stop_token stop) {
    const auto cancelled = [&] {
        if (stop.stop_requested())
            throw Refused{{ErrorKind::Cancelled, "The import was cancelled; nothing was changed.",
                           n.fileName, ""}};
    };
    const Recording& r = *n.imported->recording;
    const RecordingData& d = r.data();
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
            const std::string packed =
                packChunk(column.subspan(first, std::min(kChunkSamples, column.size() - first)));
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
    return id;
}

Expected<std::vector<RecordingEntry>> BenchBook::recordings() {
    return guarded(
        path_.string(), phrase("The recordings could not be read"),
        [&]() -> Expected<std::vector<RecordingEntry>> {
            std::vector<RecordingEntry> out;
            SQLite::Statement q(
                *db_,
                "SELECT id, battery_id, title, file_name, sha256, imported_at_s, start_epoch_s, "
                "rows_read, rows_skipped, duration_s, summary FROM recording WHERE removed=0 ORDER "
                "BY "
                "id");
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
    return guarded(
        path_.string(), phrase("The recording could not be read"), [&]() -> Expected<RecordingPtr> {
            RecordingData d;
            std::vector<std::string> ignored;
            std::size_t samples = 0;
            {
                SQLite::Statement q(*db_, "SELECT notes, samples FROM recording WHERE id=?");
                q.bind(1, id);
                if (!q.executeStep())
                    return tl::unexpected<Error>(
                        storageError(phrase("This recording is no longer in the book.")));
                samples = static_cast<std::size_t>(q.getColumn(1).getInt64());
                if (auto ok = readNotes(q.getColumn(0).getString(), d, ignored); !ok)
                    return tl::unexpected<Error>(ok.error());
            }
            // A damaged count of samples must not ask for all memory: what is there is the bound.
            const auto chunksOf = [&](const std::string& channel) {
                SQLite::Statement q(
                    *db_, "SELECT count(*) FROM sample_chunk WHERE recording_id=? AND channel=?");
                q.bind(1, id);
                q.bind(2, channel);
                return q.executeStep() ? static_cast<std::size_t>(q.getColumn(0).getInt64()) : 0;
            };
            const auto column = [&](const std::string& channel, std::vector<double>& into,
                                    bool needed) {
                SQLite::Statement q(*db_,
                                    "SELECT data FROM sample_chunk WHERE recording_id=? AND "
                                    "channel=? ORDER BY chunk");
                q.bind(1, id);
                q.bind(2, channel);
                into.reserve(std::min(samples, chunksOf(channel) * kChunkSamples));
                while (q.executeStep()) {
                    const auto blob = q.getColumn(0);
                    if (auto ok = unpackChunk({static_cast<const char*>(blob.getBlob()),
                                               static_cast<std::size_t>(blob.getBytes())},
                                              into);
                        !ok)
                        throw Refused{ok.error()};
                }
                if (into.size() != samples && (needed || !into.empty()))
                    throw Refused{storageError(phrase("Samples of this recording are missing (") +
                                               channel + ").")};
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
            if (!consistent(d))
                throw Refused{
                    storageError(phrase("Samples or notes of this recording are damaged."))};
            return Recording::make(std::move(d));
        });
}

Expected<std::string> BenchBook::original(std::int64_t id) {
    return guarded(path_.string(), phrase("The original file could not be read"),
                   [&]() -> Expected<std::string> {
                       SQLite::Statement q(*db_,
                                           "SELECT size, bytes FROM original WHERE recording_id=?");
                       q.bind(1, id);
                       if (!q.executeStep())
                           return tl::unexpected<Error>(
                               storageError(phrase("This recording is no longer in the book.")));
                       const auto blob = q.getColumn(1);
                       return decompressBytes({static_cast<const char*>(blob.getBlob()),
                                               static_cast<std::size_t>(blob.getBytes())},
                                              static_cast<std::size_t>(q.getColumn(0).getInt64()));
                   });
}

Expected<std::vector<std::string>> BenchBook::guesses(std::int64_t id) {
    return guarded(path_.string(), phrase("The notes could not be read"),
                   [&]() -> Expected<std::vector<std::string>> {
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
    return guarded(
        path_.string(), phrase("The summary could not be written"), [&]() -> Expected<void> {
            execOn(*db_, "UPDATE recording SET summary=? WHERE id=?", summaryJson(summary), id);
            return {};
        });
}

Expected<void> BenchBook::renameRecording(std::int64_t id, const std::string& title) {
    return guarded(path_.string(), phrase("The recording could not be renamed"), [&] {
        return journaled(*db_, phrase("rename to {}", title), [&]() -> Expected<void> {
            execOn(*db_, "UPDATE recording SET title=? WHERE id=?", title, id);
            return {};
        });
    });
}

Expected<void> BenchBook::assignBattery(std::int64_t recordingId, std::int64_t batteryId) {
    return guarded(path_.string(), phrase("The battery could not be set"), [&] {
        return journaled(
            *db_, phrase("move a recording to another battery"), [&]() -> Expected<void> {
                SQLite::Statement q(*db_, "UPDATE recording SET battery_id=? WHERE id=?");
                if (batteryId > 0)
                    q.bind(1, batteryId);
                else
                    q.bind(1);
                q.bind(2, recordingId);
                q.exec();
                return {};
            });
    });
}

Expected<void> BenchBook::removeRecording(std::int64_t id) {
    return guarded(path_.string(), phrase("The recording could not be removed"), [&] {
        return journaled(*db_, phrase("take a recording off the shelf"), [&]() -> Expected<void> {
            SQLite::Statement q(*db_, "UPDATE recording SET removed=1 WHERE id=?");
            q.bind(1, id);
            q.exec();
            return {};
        });
    });
}

Expected<std::int64_t> BenchBook::removedCount() {
    return guarded(
        path_.string(), phrase("The recordings could not be read"),
        [&]() -> Expected<std::int64_t> {
            return db_->execAndGet("SELECT count(*) FROM recording WHERE removed=1").getInt64();
        });
}

Expected<std::int64_t> BenchBook::purgeRemoved() {
    return guarded(path_.string(), phrase("The removed recordings could not be destroyed"),
                   [&]() -> Expected<std::int64_t> {
                       SQLite::Transaction transaction(*db_,
                                                       SQLite::TransactionBehavior::IMMEDIATE);
                       db_->exec("DELETE FROM change");
                       SQLite::Statement q(*db_, "DELETE FROM recording WHERE removed=1");
                       const std::int64_t count = q.exec();
                       transaction.commit();
                       // Without room for a second copy the file keeps its size; the space is
                       // used again by the next logs.
                       (void)db_->tryExec("VACUUM");
                       (void)db_->tryExec("PRAGMA wal_checkpoint(TRUNCATE)");
                       return count;
                   });
}

Expected<std::vector<StepEdit>> BenchBook::edits(std::int64_t recordingId) {
    return guarded(
        path_.string(), phrase("The edits could not be read"),
        [&]() -> Expected<std::vector<StepEdit>> {
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
    return guarded(path_.string(), phrase("The edits could not be written"), [&] {
        return journaled(*db_, phrase("edit the steps"), [&]() -> Expected<void> {
            SQLite::Statement clear(*db_, "DELETE FROM step_edit WHERE recording_id=?");
            clear.bind(1, recordingId);
            clear.exec();
            SQLite::Statement insert(*db_,
                                     "INSERT INTO step_edit(recording_id, position, action, at_s, "
                                     "kind) VALUES (?,?,?,?,?)");
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
            return {};
        });
    });
}

}  // namespace nk
