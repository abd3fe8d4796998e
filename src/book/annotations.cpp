// What is written beside the logs: corrections of recordings, and readings taken without a log.
#include <cmath>

#include "bench_book.h"
#include "guard.h"
#include "journal.h"
#include "notes.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"

namespace nk {

Expected<std::vector<Correction>> BenchBook::corrections(std::int64_t recordingId) {
    return guarded(
        path_.string(), phrase("The corrections could not be read"),
        [&]() -> Expected<std::vector<Correction>> {
            std::vector<Correction> out;
            SQLite::Statement q(*db_,
                                "SELECT id, kind, value, uncertainty, from_s, to_s, name FROM "
                                "correction WHERE recording_id=? ORDER BY id");
            q.bind(1, recordingId);
            while (q.executeStep()) {
                Correction c;
                c.id = q.getColumn(0).getInt64();
                if (!correctionKindFrom(q.getColumn(1).getString(), c.kind))
                    return fail(
                        ErrorKind::Unsupported,
                        phrase("A correction of this recording is of a kind this program does not "
                               "know: ") +
                            q.getColumn(1).getString() + ".",
                        path_.string(), phrase("a newer version of the program."));
                c.value = q.getColumn(2).getDouble();
                c.uncertainty = q.getColumn(3).getDouble();
                c.from_s = q.getColumn(4).getDouble();
                c.to_s = q.getColumn(5).isNull() ? kNaN : q.getColumn(5).getDouble();
                c.name = harmless(q.getColumn(6).getString());
                out.push_back(std::move(c));
            }
            return out;
        });
}

Expected<std::int64_t> BenchBook::addCorrection(std::int64_t recordingId, const Correction& c) {
    if (!std::isfinite(c.value))
        return fail(ErrorKind::InvalidArgument, phrase("The correction has no value."), c.name,
                    phrase("a number."));
    return guarded(path_.string(), phrase("The correction could not be stored"), [&] {
        return journaled(*db_, {"correct", {c.name}}, [&]() -> Expected<std::int64_t> {
            SQLite::Statement q(*db_,
                                "INSERT INTO correction(recording_id, kind, "
                                "value, uncertainty, from_s, to_s, name) VALUES "
                                "(?,?,?,?,?,?,?)");
            q.bind(1, recordingId);
            q.bind(2, toString(c.kind));
            q.bind(3, c.value);
            q.bind(4, c.uncertainty);
            q.bind(5, c.from_s);
            if (std::isfinite(c.to_s))
                q.bind(6, c.to_s);
            else
                q.bind(6);
            q.bind(7, c.name);
            q.exec();
            return static_cast<std::int64_t>(db_->getLastInsertRowid());
        });
    });
}

Expected<void> BenchBook::removeCorrection(std::int64_t id) {
    return guarded(path_.string(), phrase("The correction could not be taken away"), [&] {
        return journaled(*db_, {"remove_correction"}, [&]() -> Expected<void> {
            SQLite::Statement q(*db_, "DELETE FROM correction WHERE id=?");
            q.bind(1, id);
            q.exec();
            return {};
        });
    });
}

Expected<std::vector<SpotReading>> BenchBook::spotReadings(std::int64_t batteryId) {
    return guarded(path_.string(), phrase("The readings could not be read"),
                   [&]() -> Expected<std::vector<SpotReading>> {
                       std::vector<SpotReading> out;
                       SQLite::Statement q(*db_,
                                           "SELECT id, battery_id, kind, value, resolution, "
                                           "at_epoch_s, details FROM spot_reading WHERE "
                                           "battery_id=? ORDER BY at_epoch_s, id");
                       q.bind(1, batteryId);
                       while (q.executeStep()) {
                           SpotReading s;
                           s.id = q.getColumn(0).getInt64();
                           s.batteryId = q.getColumn(1).getInt64();
                           s.kind = q.getColumn(2).getString();
                           s.value = q.getColumn(3).getDouble();
                           s.resolution = q.getColumn(4).getDouble();
                           s.atEpoch_s = q.getColumn(5).getDouble();
                           readSpotDetails(q.getColumn(6).getString(), s);
                           out.push_back(std::move(s));
                       }
                       return out;
                   });
}

Expected<std::int64_t> BenchBook::addSpotReading(const SpotReading& s) {
    if (!std::isfinite(s.value) || s.kind.empty())
        return fail(ErrorKind::InvalidArgument, phrase("The reading has no value."), s.kind,
                    phrase("a number."));
    return guarded(path_.string(), phrase("The reading could not be stored"), [&] {
        return journaled(*db_, {"add_reading"}, [&]() -> Expected<std::int64_t> {
            SQLite::Statement q(*db_,
                                "INSERT INTO spot_reading(battery_id, kind, value, resolution, "
                                "at_epoch_s, details) VALUES (?,?,?,?,?,?)");
            q.bind(1, s.batteryId);
            q.bind(2, s.kind);
            q.bind(3, s.value);
            q.bind(4, s.resolution);
            q.bind(5, s.atEpoch_s);
            q.bind(6, spotDetailsJson(s));
            q.exec();
            return static_cast<std::int64_t>(db_->getLastInsertRowid());
        });
    });
}

Expected<void> BenchBook::updateSpotReading(const SpotReading& s) {
    if (!std::isfinite(s.value) || s.kind.empty())
        return fail(ErrorKind::InvalidArgument, phrase("The reading has no value."), s.kind,
                    phrase("a number."));
    return guarded(path_.string(), phrase("The reading could not be stored"), [&] {
        return journaled(*db_, {"change_reading"}, [&]() -> Expected<void> {
            SQLite::Statement q(*db_,
                                "UPDATE spot_reading SET kind=?, value=?, resolution=?, "
                                "at_epoch_s=?, details=? WHERE id=?");
            q.bind(1, s.kind);
            q.bind(2, s.value);
            q.bind(3, s.resolution);
            q.bind(4, s.atEpoch_s);
            q.bind(5, spotDetailsJson(s));
            q.bind(6, s.id);
            if (q.exec() == 0)
                return tl::unexpected<Error>(
                    storageError(phrase("This reading is no longer in the book.")));
            return {};
        });
    });
}

Expected<std::map<std::int64_t, double>> BenchBook::lastSpotReadings() {
    return guarded(path_.string(), phrase("The readings could not be read"),
                   [&]() -> Expected<std::map<std::int64_t, double>> {
                       std::map<std::int64_t, double> out;
                       SQLite::Statement q(*db_,
                                           "SELECT battery_id, max(at_epoch_s) FROM spot_reading "
                                           "GROUP BY battery_id");
                       while (q.executeStep())
                           out[q.getColumn(0).getInt64()] = q.getColumn(1).getDouble();
                       return out;
                   });
}

Expected<void> BenchBook::removeSpotReading(std::int64_t id) {
    return guarded(path_.string(), phrase("The reading could not be taken away"), [&] {
        return journaled(*db_, {"remove_reading"}, [&]() -> Expected<void> {
            SQLite::Statement q(*db_, "DELETE FROM spot_reading WHERE id=?");
            q.bind(1, id);
            q.exec();
            return {};
        });
    });
}

}  // namespace nk
