#include <algorithm>
#include <cmath>

#include "bench_book.h"
#include "chunk_codec.h"
#include "connection.h"
#include "convert_edits.h"
#include "guard.h"
#include "hash.h"
#include "journal.h"
#include "notes.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "quantity/phrase.h"
#include "samples.h"

namespace nk {

namespace {

void bindOrNull(SQLite::Statement& statement, int index, double value) {
    if (std::isfinite(value))
        statement.bind(index, value);
    else
        statement.bind(index);
}

void bindIdOrNull(SQLite::Statement& statement, int index, std::int64_t id) {
    if (id > 0)
        statement.bind(index, id);
    else
        statement.bind(index);
}

/// A recording made ready before the book is held: hashed and packed.
struct PackedRecording {
    struct Block {
        std::string channel;
        std::int64_t index;
        std::string data;
    };
    std::string sha256, original;
    std::vector<Block> blocks;
};

PackedRecording pack(const NewRecording& n, const std::function<void()>& cancelled) {
    PackedRecording out;
    out.sha256 = sha256(n.originalBytes);
    cancelled();
    out.original = compressBytes(n.originalBytes);
    RecordingData names;  // only for the channels' names
    const RecordingData& d = n.imported->recording->data();
    names.cells_V.resize(d.cells_V.size());
    names.moreTemperatures_C.resize(d.moreTemperatures_C.size());
    for (const std::string& channel : channelsOf(names)) {
        const std::span<const double> column = columnOf(d, channel);
        for (std::size_t first = 0; first < column.size(); first += kChunkSamples) {
            cancelled();
            out.blocks.push_back(
                {channel, static_cast<std::int64_t>(first / kChunkSamples),
                 packChunk(column.subspan(first, std::min(kChunkSamples, column.size() - first)))});
        }
    }
    return out;
}

/// What was stored is read before it is acknowledged: notes, times and every sample, bit for bit.
/// Throws Refused where they differ.
void readBack(SQLite::Database& db, std::int64_t id, const Imported& imported,
              const std::function<void()>& cancelled) {
    const Refused differs{{ErrorKind::Storage,
                           phrase("What was stored does not read back as it was; nothing was "
                                  "changed."),
                           phrase("bench book"), phrase("the same log once more.")}};
    const RecordingData& was = imported.recording->data();
    RecordingData notes;
    std::vector<std::string> guesses;
    {
        SQLite::Statement q(db, "SELECT notes FROM recording WHERE id=?");
        q.bind(1, id);
        if (!q.executeStep() || !readNotes(q.getColumn(0).getString(), notes, guesses))
            throw differs;
    }
    const auto gap = [](const Gap& a, const Gap& b) {
        return a.before == b.before && a.restart == b.restart;
    };
    if (notes.cells_V.size() != was.cells_V.size() || !consistent(was) ||
        !std::ranges::equal(notes.gaps, was.gaps, gap) ||
        notes.repairs.size() != was.repairs.size())
        throw differs;
    const auto same = [](double a, double b) { return a == b || (std::isnan(a) && std::isnan(b)); };
    for (const std::string& channel : channelsOf(notes)) {
        cancelled();
        const auto& values = columnOf(was, channel);
        const StoredColumn stored = readColumn(db, id, channel, was.time_s.size(), true);
        if (!stored.damaged.empty() || stored.values.size() != values.size() ||
            !std::ranges::equal(stored.values, values, same))
            throw differs;
    }
}

}  // namespace

Expected<std::int64_t> BenchBook::addRecording(const NewRecording& n, std::stop_token stop) {
    const auto cancelled = [&] {
        if (stop.stop_requested())
            throw Refused{{ErrorKind::Cancelled,
                           phrase("The import was cancelled; nothing was changed."), n.fileName,
                           ""}};
    };
    return guarded(
        path_.string(), phrase("The log could not be stored"), [&]() -> Expected<std::int64_t> {
            if (readOnly_)
                throw Refused{storageError(
                    phrase("The book is in a folder that is read-only. Nothing was changed."))};
            // Others can write meanwhile.
            const PackedRecording packed = pack(n, cancelled);
            return journaled(*db_, {"add", {n.title}}, [&]() -> Expected<std::int64_t> {
                SQLite::Statement insert(
                    *db_,
                    "INSERT INTO recording(battery_id, title, file_name, sha256, "
                    "imported_at_s, start_epoch_s, rows_read, rows_skipped, samples, "
                    "duration_s, notes, summary, instrument_id, charger_id) VALUES "
                    "(?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
                bindIdOrNull(insert, 1, n.batteryId);
                bindIdOrNull(insert, 13, n.instrumentId);
                bindIdOrNull(insert, 14, n.chargerId);
                insert.bind(2, n.title);
                insert.bind(3, n.fileName);
                insert.bind(4, packed.sha256);
                insert.bind(5, n.importedAt_s);
                bindOrNull(insert, 6, n.imported->startEpoch_s);
                insert.bind(7, n.imported->rowsRead);
                insert.bind(8, n.imported->rowsSkipped);
                insert.bind(9, static_cast<std::int64_t>(n.imported->recording->size()));
                insert.bind(10, n.imported->recording->duration_s());
                insert.bind(11, notesJson(*n.imported));
                insert.bind(12, summaryJson(n.summary));
                insert.exec();
                const std::int64_t id = db_->getLastInsertRowid();
                SQLite::Statement original(
                    *db_, "INSERT INTO original(recording_id, size, bytes) VALUES (?,?,?)");
                original.bind(1, id);
                original.bind(2, static_cast<std::int64_t>(n.originalBytes.size()));
                original.bindNoCopy(3, packed.original.data(),
                                    static_cast<int>(packed.original.size()));
                original.exec();
                SQLite::Statement block(
                    *db_,
                    "INSERT INTO sample_chunk(recording_id, channel, chunk, data, checksum) "
                    "VALUES (?,?,?,?,?)");
                for (const auto& [channel, index, data] : packed.blocks) {
                    cancelled();
                    const std::string sum = blockChecksum(channel, index, data);
                    block.reset();
                    block.bind(1, id);
                    block.bind(2, channel);
                    block.bind(3, index);
                    block.bindNoCopy(4, data.data(), static_cast<int>(data.size()));
                    block.bind(5, sum.data(), static_cast<int>(sum.size()));
                    block.exec();
                }
                readBack(*db_, id, *n.imported, cancelled);
                cancelled();
                return id;
            });
        });
}

namespace {

constexpr double kNoon_s = 43200;
constexpr const char* kDaySources[] = {"words", "name", "file", "hand"};

/// "2026-05-01 name".
void readDay(const std::string& kept, RecordingEntry& e) {
    if (kept.size() < 12 || kept[10] != ' ' || std::isfinite(e.startEpoch_s)) return;
    const double at = fromIsoTime(kept.substr(0, 10) + "T00:00");
    const std::string from = kept.substr(11);
    if (!std::isfinite(at) || std::ranges::find(kDaySources, from) == std::end(kDaySources)) return;
    e.day_s = at + kNoon_s;
    e.dayFrom = from;
}

}  // namespace

Expected<void> BenchBook::setDay(std::int64_t id, const std::string& day, const std::string& from,
                                 bool byHand) {
    const bool none = day.empty();
    if (!none && (day.size() != 10 || !std::isfinite(fromIsoTime(day + "T00:00"))))
        return fail(ErrorKind::InvalidArgument, phrase("This is no day: {}", harmless(day, 40)),
                    "DAY", "2026-05-01.");
    if (!none && std::ranges::find(kDaySources, from) == std::end(kDaySources))
        return fail(ErrorKind::InvalidArgument, phrase("A day is from somewhere."), "DAY",
                    "words, name, file, hand.");
    return guarded(path_.string(), phrase("The day could not be set"), [&]() -> Expected<void> {
        {
            SQLite::Statement q(*db_, "SELECT start_epoch_s FROM recording WHERE id=?");
            q.bind(1, id);
            if (!q.executeStep())
                return tl::unexpected<Error>(
                    storageError(phrase("This recording is no longer in the book.")));
            if (!q.getColumn(0).isNull())
                return fail(ErrorKind::InvalidArgument,
                            phrase("The rows of this log say their own day."), {},
                            phrase("a log without a date."));
        }
        const std::string key = "day:" + std::to_string(id);
        const std::string kept = none ? std::string() : day + " " + from;
        if (!byHand) return keepComputed(key, kept);
        return change({"day", {day}}, [&] { return setSetting(key, kept); });
    });
}

Expected<std::vector<RecordingEntry>> BenchBook::recordings() {
    return guarded(
        path_.string(), phrase("The recordings could not be read"),
        [&]() -> Expected<std::vector<RecordingEntry>> {
            std::vector<RecordingEntry> out;
            SQLite::Statement q(
                *db_,
                "SELECT id, battery_id, title, file_name, sha256, imported_at_s, start_epoch_s, "
                "rows_read, rows_skipped, duration_s, summary, instrument_id, charger_id, "
                "coalesce(fingerprint, ''), samples, coalesce(value, '') FROM recording LEFT JOIN "
                "study ON recording_id=id LEFT JOIN setting ON name='day:' || id "
                "WHERE removed=0 ORDER BY id");
            while (q.executeStep()) {
                RecordingEntry e;
                e.id = q.getColumn(0).getInt64();
                e.batteryId = q.getColumn(1).isNull() ? 0 : q.getColumn(1).getInt64();
                e.title = harmless(q.getColumn(2).getString());
                e.fileName = harmless(q.getColumn(3).getString());
                e.sha256 = q.getColumn(4).getString();
                e.importedAt_s = q.getColumn(5).getDouble();
                e.startEpoch_s = q.getColumn(6).isNull() ? kNaN : q.getColumn(6).getDouble();
                e.rowsRead = q.getColumn(7).getInt64();
                e.rowsSkipped = q.getColumn(8).getInt64();
                e.duration_s = q.getColumn(9).getDouble();
                e.summary = readSummary(q.getColumn(10).getString());
                e.instrumentId = q.getColumn(11).isNull() ? 0 : q.getColumn(11).getInt64();
                e.chargerId = q.getColumn(12).isNull() ? 0 : q.getColumn(12).getInt64();
                e.fingerprint = q.getColumn(13).getString();
                e.samples = q.getColumn(14).getInt64();
                readDay(q.getColumn(15).getString(), e);
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
                samples =
                    static_cast<std::size_t>(std::max<std::int64_t>(0, q.getColumn(1).getInt64()));
                if (auto ok = readNotes(q.getColumn(0).getString(), d, ignored); !ok)
                    return tl::unexpected<Error>(ok.error());
            }
            (void)readSamples(*db_, id, samples, d, path_.string());
            if (!consistent(d))
                throw Refused{
                    storageError(phrase("Samples or notes of this recording are damaged."))};
            return Recording::make(std::move(d));
        });
}

Expected<void> BenchBook::original(std::int64_t id,
                                   const std::function<bool(std::string_view)>& sink) {
    return guarded(path_.string(), phrase("The original file could not be read"),
                   [&] { return readOriginal(*db_, id, path_.string(), sink); });
}

Expected<std::string> BenchBook::original(std::int64_t id) {
    std::string out;
    const auto done = original(id, [&](std::string_view part) {
        out.append(part);
        return true;
    });
    if (!done) return tl::unexpected<Error>(done.error());
    return out;
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

Expected<void> BenchBook::renameRecording(std::int64_t id, const std::string& title) {
    return guarded(path_.string(), phrase("The recording could not be renamed"), [&] {
        return journaled(*db_, {"rename", {title}}, [&]() -> Expected<void> {
            execOn(*db_, "UPDATE recording SET title=? WHERE id=?", title, id);
            return {};
        });
    });
}

Expected<void> BenchBook::assignBattery(std::int64_t recordingId, std::int64_t batteryId) {
    return guarded(path_.string(), phrase("The battery could not be set"), [&] {
        return journaled(*db_, {"move"}, [&]() -> Expected<void> {
            SQLite::Statement q(*db_, "UPDATE recording SET battery_id=? WHERE id=?");
            bindIdOrNull(q, 1, batteryId);
            q.bind(2, recordingId);
            q.exec();
            return {};
        });
    });
}

Expected<void> BenchBook::removeRecording(std::int64_t id) {
    return guarded(path_.string(), phrase("The recording could not be removed"), [&] {
        return journaled(*db_, {"take_off"}, [&]() -> Expected<void> {
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
                       try {
                           execVacuum(*db_, "VACUUM");
                       } catch (const SQLite::Exception&) {
                           // No room for it now.
                       }
                       (void)db_->tryExec("PRAGMA wal_checkpoint(TRUNCATE)");
                       return count;
                   });
}

Expected<std::vector<StepEdit>> BenchBook::edits(std::int64_t recordingId) {
    return guarded(
        path_.string(), phrase("The edits could not be read"),
        [&]() -> Expected<std::vector<StepEdit>> { return readEdits(*db_, recordingId); });
}

Expected<void> BenchBook::setEdits(std::int64_t recordingId, const std::vector<StepEdit>& edits) {
    return guarded(path_.string(), phrase("The edits could not be written"), [&] {
        return journaled(*db_, {"edit_steps"}, [&]() -> Expected<void> {
            writeEdits(*db_, recordingId, edits);
            return {};
        });
    });
}

}  // namespace nk
