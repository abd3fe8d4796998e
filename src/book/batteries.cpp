// Batteries of the book: added, changed, removed.
#include "bench_book.h"
#include "guard.h"
#include "journal.h"
#include "notes.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"

namespace nk {

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

std::int64_t insertBattery(SQLite::Database& db, const Battery& b) {
    SQLite::Statement insert(db,
                             "INSERT INTO battery(name, chemistry, series, parallel, rated_Ah, "
                             "mass_kg, card, revision) VALUES (?,?,?,?,?,?,?,?)");
    bindBattery(insert, b);
    insert.bind(8, nextRevision(db));
    insert.exec();
    return db.getLastInsertRowid();
}

std::int64_t revisionOf(SQLite::Database& db, std::int64_t id) {
    SQLite::Statement q(db, "SELECT revision FROM battery WHERE id=?");
    q.bind(1, id);
    return q.executeStep() ? q.getColumn(0).getInt64() : 0;
}

}  // namespace

Expected<std::int64_t> BenchBook::addBattery(const Battery& b) {
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The battery could not be added"), [&] {
        return journaled(*db_, {"add", {b.name}},
                         [&]() -> Expected<std::int64_t> { return insertBattery(*db_, b); });
    });
}

Expected<BatteryEntry> BenchBook::batteryNamed(const std::string& name, const Battery& battery) {
    Battery named = battery;
    named.name = name;
    if (auto ok = named.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The battery could not be added"), [&] {
        return journaled(*db_, {"add", {name}}, [&]() -> Expected<BatteryEntry> {
            auto all = batteries();
            if (!all) return tl::unexpected<Error>(all.error());
            for (BatteryEntry& e : *all)
                if (e.battery.name == name) return std::move(e);
            const std::int64_t id = insertBattery(*db_, named);
            return BatteryEntry{id, revisionOf(*db_, id), named};
        });
    });
}

Expected<std::int64_t> BenchBook::assignNewBattery(std::int64_t recordingId, const Battery& b) {
    if (auto ok = b.check(); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The battery could not be set"), [&] {
        return journaled(*db_, {"move_to", {b.name}}, [&]() -> Expected<std::int64_t> {
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
        return journaled(*db_, {"card", {b.name}}, [&]() -> Expected<void> {
            SQLite::Statement update(
                *db_,
                "UPDATE battery SET name=?, chemistry=?, series=?, parallel=?, rated_Ah=?, "
                "mass_kg=?, card=?, revision=? WHERE id=? AND revision=?");
            bindBattery(update, b);
            update.bind(8, nextRevision(*db_));
            update.bind(9, id);
            update.bind(10, revision);
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
        return journaled(*db_, {"remove_battery"}, [&]() -> Expected<void> {
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
            for (const char* sql : {"UPDATE battery_life SET part_of=NULL WHERE part_of=?",
                                    "DELETE FROM battery_life WHERE battery_id=?",
                                    "DELETE FROM task_done WHERE battery_id=?",
                                    "DELETE FROM spot_reading WHERE battery_id=?"}) {
                SQLite::Statement q(*db_, sql);
                q.bind(1, id);
                q.exec();
            }
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
                           e.battery.name = harmless(q.getColumn(2).getString());
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

}  // namespace nk
