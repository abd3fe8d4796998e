#include "instruments.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "bench_book.h"
#include "guard.h"
#include "journal.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

using nlohmann::json;

/// More header lines than one instrument writes.
constexpr std::size_t kMostShapes = 1000;

json parsed(const std::string& text) {
    json j = json::parse(text, nullptr, false);
    return j.is_object() ? j : json::object();
}

std::string dumped(const json& j) {
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

json accuracyObject(const InstrumentAccuracy& a) {
    return {{"voltage_gain", a.voltageGain},
            {"voltage_steps", a.voltageOffsetSteps},
            {"current_gain", a.currentGain},
            {"current_steps", a.currentOffsetSteps},
            {"temperature_C", a.temperature_C}};
}

InstrumentAccuracy accuracyFrom(const json& j) {
    InstrumentAccuracy a;
    const auto take = [&](const char* key, double& into, double most) {
        if (!j.contains(key) || !j[key].is_number()) return;
        const double x = j[key].get<double>();
        if (std::isfinite(x) && x >= 0 && x <= most) into = x;
    };
    take("voltage_gain", a.voltageGain, 0.2);
    take("voltage_steps", a.voltageOffsetSteps, 100);
    take("current_gain", a.currentGain, 0.2);
    take("current_steps", a.currentOffsetSteps, 100);
    take("temperature_C", a.temperature_C, 20);
    return a;
}

std::string text(const json& j, const char* key) {
    return j.contains(key) && j[key].is_string() ? harmless(j[key].get<std::string>())
                                                 : std::string();
}

std::string chargerCard(const Charger& c) {
    return dumped({{"note", c.note}});
}

Expected<void> named(const std::string& name) {
    if (!name.empty() && name.size() <= 200) return {};
    return fail(ErrorKind::InvalidArgument, phrase("A name is missing, or too long."), "",
                phrase("a name of up to 200 letters."));
}

std::int64_t insertNamed(SQLite::Database& db, const char* table, const std::string& name,
                         const std::string& card) {
    SQLite::Statement q(
        db, std::string("INSERT INTO ") + table + "(name, card, revision) VALUES (?,?,?)");
    q.bind(1, name);
    q.bind(2, card);
    q.bind(3, nextRevision(db));
    q.exec();
    return db.getLastInsertRowid();
}

Expected<void> updateNamed(SQLite::Database& db, const char* table, std::int64_t id,
                           std::int64_t revision, const std::string& name, const std::string& card,
                           const std::string& where) {
    SQLite::Statement q(db, std::string("UPDATE ") + table +
                                " SET name=?, card=?, revision=? WHERE id=? AND revision=?");
    q.bind(1, name);
    q.bind(2, card);
    q.bind(3, nextRevision(db));
    q.bind(4, id);
    q.bind(5, revision);
    if (q.exec() > 0) return {};
    return fail(ErrorKind::Storage,
                phrase("This was changed in another window meanwhile; your change was not written "
                       "over it. Look at the new state and change it again."),
                where);
}

void setReference(SQLite::Database& db, const char* column, std::int64_t recordingId,
                  std::int64_t id) {
    SQLite::Statement q(db, std::string("UPDATE recording SET ") + column + "=? WHERE id=?");
    if (id > 0)
        q.bind(1, id);
    else
        q.bind(1);
    q.bind(2, recordingId);
    q.exec();
}

}  // namespace

std::string accuracyJson(const InstrumentAccuracy& accuracy) {
    return dumped(accuracyObject(accuracy));
}

InstrumentAccuracy readAccuracy(const std::string& text) {
    return accuracyFrom(parsed(text));
}

std::string instrumentCard(const Instrument& i) {
    return dumped(
        {{"accuracy", accuracyObject(i.accuracy)}, {"shapes", i.shapes}, {"note", i.note}});
}

void readInstrumentCard(const std::string& card, Instrument& i) {
    const json j = parsed(card);
    if (j.contains("accuracy") && j["accuracy"].is_object())
        i.accuracy = accuracyFrom(j["accuracy"]);
    i.note = text(j, "note");
    if (j.contains("shapes") && j["shapes"].is_array())
        for (const auto& s : j["shapes"])
            if (s.is_string() && i.shapes.size() < kMostShapes)
                i.shapes.push_back(s.get<std::string>());
}

Expected<std::vector<InstrumentEntry>> BenchBook::instruments() {
    return guarded(path_.string(), phrase("The instruments could not be read"),
                   [&]() -> Expected<std::vector<InstrumentEntry>> {
                       std::vector<InstrumentEntry> out;
                       SQLite::Statement q(
                           *db_, "SELECT id, revision, name, card FROM instrument ORDER BY id");
                       while (q.executeStep()) {
                           InstrumentEntry e;
                           e.id = q.getColumn(0).getInt64();
                           e.revision = q.getColumn(1).getInt64();
                           e.instrument.name = harmless(q.getColumn(2).getString());
                           readInstrumentCard(q.getColumn(3).getString(), e.instrument);
                           out.push_back(std::move(e));
                       }
                       return out;
                   });
}

Expected<std::int64_t> BenchBook::addInstrument(const Instrument& i) {
    if (auto ok = named(i.name); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The instrument could not be added"), [&] {
        return journaled(*db_, {"add_instrument", {i.name}}, [&]() -> Expected<std::int64_t> {
            return insertNamed(*db_, "instrument", i.name, instrumentCard(i));
        });
    });
}

Expected<void> BenchBook::updateInstrument(std::int64_t id, std::int64_t revision,
                                           const Instrument& i) {
    if (auto ok = named(i.name); !ok) return ok;
    return guarded(path_.string(), phrase("The instrument could not be changed"), [&] {
        return journaled(*db_, {"instrument", {i.name}}, [&] {
            return updateNamed(*db_, "instrument", id, revision, i.name, instrumentCard(i),
                               path_.string());
        });
    });
}

Expected<std::vector<ChargerEntry>> BenchBook::chargers() {
    return guarded(path_.string(), phrase("The chargers could not be read"),
                   [&]() -> Expected<std::vector<ChargerEntry>> {
                       std::vector<ChargerEntry> out;
                       SQLite::Statement q(
                           *db_, "SELECT id, revision, name, card FROM charger ORDER BY id");
                       while (q.executeStep()) {
                           ChargerEntry e;
                           e.id = q.getColumn(0).getInt64();
                           e.revision = q.getColumn(1).getInt64();
                           e.charger.name = harmless(q.getColumn(2).getString());
                           e.charger.note = text(parsed(q.getColumn(3).getString()), "note");
                           out.push_back(std::move(e));
                       }
                       return out;
                   });
}

Expected<std::int64_t> BenchBook::addCharger(const Charger& c) {
    if (auto ok = named(c.name); !ok) return tl::unexpected<Error>(ok.error());
    return guarded(path_.string(), phrase("The charger could not be added"), [&] {
        return journaled(*db_, {"add_charger", {c.name}}, [&]() -> Expected<std::int64_t> {
            return insertNamed(*db_, "charger", c.name, chargerCard(c));
        });
    });
}

Expected<void> BenchBook::updateCharger(std::int64_t id, std::int64_t revision, const Charger& c) {
    if (auto ok = named(c.name); !ok) return ok;
    return guarded(path_.string(), phrase("The charger could not be changed"), [&] {
        return journaled(*db_, {"charger", {c.name}}, [&] {
            return updateNamed(*db_, "charger", id, revision, c.name, chargerCard(c),
                               path_.string());
        });
    });
}

Expected<void> BenchBook::setInstrument(std::int64_t recordingId, std::int64_t instrumentId) {
    return guarded(path_.string(), phrase("The instrument could not be set"), [&] {
        return journaled(*db_, {"instrument_of"}, [&]() -> Expected<void> {
            setReference(*db_, "instrument_id", recordingId, instrumentId);
            return {};
        });
    });
}

Expected<void> BenchBook::setCharger(std::int64_t recordingId, std::int64_t chargerId) {
    return guarded(path_.string(), phrase("The charger could not be set"), [&] {
        return journaled(*db_, {"charger_of"}, [&]() -> Expected<void> {
            setReference(*db_, "charger_id", recordingId, chargerId);
            return {};
        });
    });
}

Expected<std::vector<MeterCheck>> BenchBook::meterChecks(std::int64_t instrumentId) {
    return guarded(path_.string(), phrase("The meter checks could not be read"),
                   [&]() -> Expected<std::vector<MeterCheck>> {
                       std::vector<MeterCheck> out;
                       SQLite::Statement q(
                           *db_,
                           "SELECT id, instrument_id, at_epoch_s, kind, value, uncertainty, "
                           "name FROM meter_check WHERE ?1=0 OR instrument_id=?1 ORDER BY "
                           "at_epoch_s, id");
                       q.bind(1, instrumentId);
                       while (q.executeStep()) {
                           MeterCheck m;
                           m.id = q.getColumn(0).getInt64();
                           m.instrumentId = q.getColumn(1).getInt64();
                           m.at_s = q.getColumn(2).getDouble();
                           if (!correctionKindFrom(q.getColumn(3).getString(), m.correction.kind))
                               continue;
                           m.correction.value = q.getColumn(4).getDouble();
                           m.correction.uncertainty = q.getColumn(5).getDouble();
                           m.correction.name = harmless(q.getColumn(6).getString());
                           out.push_back(std::move(m));
                       }
                       return out;
                   });
}

Expected<std::int64_t> BenchBook::addMeterCheck(const MeterCheck& m) {
    if (!std::isfinite(m.correction.value))
        return fail(ErrorKind::InvalidArgument, phrase("The correction has no value."),
                    m.correction.name, phrase("a number."));
    return guarded(path_.string(), phrase("The meter check could not be stored"), [&] {
        return journaled(*db_, {"meter_check"}, [&]() -> Expected<std::int64_t> {
            SQLite::Statement q(*db_,
                                "INSERT INTO meter_check(instrument_id, at_epoch_s, kind, value, "
                                "uncertainty, name) VALUES (?,?,?,?,?,?)");
            q.bind(1, m.instrumentId);
            q.bind(2, m.at_s);
            q.bind(3, toString(m.correction.kind));
            q.bind(4, m.correction.value);
            q.bind(5, m.correction.uncertainty);
            q.bind(6, m.correction.name);
            q.exec();
            return static_cast<std::int64_t>(db_->getLastInsertRowid());
        });
    });
}

Expected<void> BenchBook::removeMeterCheck(std::int64_t id) {
    return guarded(path_.string(), phrase("The meter check could not be taken away"), [&] {
        return journaled(*db_, {"remove_correction"}, [&]() -> Expected<void> {
            SQLite::Statement q(*db_, "DELETE FROM meter_check WHERE id=?");
            q.bind(1, id);
            q.exec();
            return {};
        });
    });
}

Expected<InstrumentAccuracy> BenchBook::usualAccuracy() {
    return guarded(path_.string(), phrase("The book's settings could not be read"),
                   [&]() -> Expected<InstrumentAccuracy> {
                       SQLite::Statement q(*db_, "SELECT value FROM setting WHERE name='accuracy'");
                       if (!q.executeStep()) return InstrumentAccuracy{};
                       return readAccuracy(q.getColumn(0).getString());
                   });
}

Expected<void> BenchBook::setUsualAccuracy(const InstrumentAccuracy& accuracy) {
    return guarded(path_.string(), phrase("The book's settings could not be written"), [&] {
        return journaled(*db_, {"accuracy"}, [&]() -> Expected<void> {
            SQLite::Statement q(*db_,
                                "INSERT INTO setting(name, value) VALUES ('accuracy', ?) ON "
                                "CONFLICT(name) DO UPDATE SET value=excluded.value");
            q.bind(1, accuracyJson(accuracy));
            q.exec();
            return {};
        });
    });
}

}  // namespace nk
