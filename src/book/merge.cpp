// Two books into one: what the other holds and this one does not.
#include <algorithm>
#include <array>
#include <map>
#include <type_traits>

#include "bench_book.h"
#include "copy_value.h"
#include "guard.h"
#include "journal.h"
#include "notes.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

using Ids = std::map<std::int64_t, std::int64_t>;  ///< there → here

void note(MergeReport& report, std::string words) {
    constexpr std::size_t kNamed = 10;
    if (report.notes.size() < kNamed) report.notes.push_back(std::move(words));
}

/// Rows of `table` that belong to `there` (a column `owner`), copied for `here`.
std::int64_t copyOwned(SQLite::Database& from, SQLite::Database& to, const std::string& table,
                       const std::string& owner, const std::vector<std::string>& columns,
                       std::int64_t there, std::int64_t here) {
    std::string names;
    std::string places;
    for (const std::string& c : columns) {
        names += ", " + c;
        places += ", ?";
    }
    SQLite::Statement q(from,
                        "SELECT " + names.substr(2) + " FROM " + table + " WHERE " + owner + "=?");
    q.bind(1, there);
    SQLite::Statement insert(
        to, "INSERT INTO " + table + "(" + owner + names + ") VALUES (?" + places + ")");
    std::int64_t rows = 0;
    while (q.executeStep()) {
        insert.reset();
        insert.bind(1, here);
        for (std::size_t k = 0; k < columns.size(); ++k)
            copyValue(q.getColumn(static_cast<int>(k)), insert, static_cast<int>(k) + 2);
        insert.exec();
        ++rows;
    }
    return rows;
}

std::int64_t countOwned(SQLite::Database& db, const std::string& table, std::int64_t recording) {
    SQLite::Statement q(db, "SELECT count(*) FROM " + table + " WHERE recording_id=?");
    q.bind(1, recording);
    return q.executeStep() ? q.getColumn(0).getInt64() : 0;
}

bool sameKind(const Battery& a, const Battery& b) {
    return a.chemistry == b.chemistry && a.series == b.series && a.parallel == b.parallel &&
           a.rated_Ah == b.rated_Ah;
}

/// `name` is `wanted`, or what freeName made of it.
bool nameOf(const std::string& name, const std::string& wanted) {
    if (!name.starts_with(wanted)) return false;
    const std::string rest = name.substr(wanted.size());
    return rest.empty() ||
           (rest.size() > 1 && rest[0] == ' ' &&
            std::all_of(rest.begin() + 1, rest.end(), [](char c) { return c >= '0' && c <= '9'; }));
}

/// A name that no battery of this book has.
std::string freeName(const std::vector<BatteryEntry>& have, const std::string& wanted) {
    const auto taken = [&](const std::string& name) {
        return std::ranges::any_of(have, [&](const auto& e) { return e.battery.name == name; });
    };
    std::string name = wanted;
    for (int k = 2; taken(name); ++k) name = wanted + " " + std::to_string(k);
    return name;
}

/// The recording of the same file that is on the shelf here; 0: none.
std::int64_t sameFile(SQLite::Database& db, const std::string& sha256, std::int64_t samples) {
    SQLite::Statement q(
        db, "SELECT id FROM recording WHERE sha256=? AND samples=? AND removed=0 ORDER BY id");
    q.bind(1, sha256);
    q.bind(2, samples);
    return q.executeStep() ? q.getColumn(0).getInt64() : 0;
}

/// The battery of that recording; 0: none.
std::int64_t batteryOfFile(SQLite::Database& db, const std::string& sha256, std::int64_t samples) {
    SQLite::Statement q(db,
                        "SELECT battery_id FROM recording WHERE sha256=? AND samples=? AND "
                        "removed=0 AND battery_id IS NOT NULL ORDER BY id");
    q.bind(1, sha256);
    q.bind(2, samples);
    return q.executeStep() ? q.getColumn(0).getInt64() : 0;
}

constexpr std::array kRecordingColumns = {
    "title",        "file_name", "sha256",     "imported_at_s", "start_epoch_s", "rows_read",
    "rows_skipped", "samples",   "duration_s", "notes",         "summary"};

/// A recording with its samples and original, in the place of its battery, instrument and charger.
std::int64_t copyRecording(SQLite::Database& from, SQLite::Database& to, std::int64_t there,
                           std::int64_t battery, std::int64_t instrument, std::int64_t charger) {
    std::string names;
    std::string places;
    for (const char* c : kRecordingColumns) {
        names += std::string(names.empty() ? "" : ", ") + c;
        places += places.empty() ? "?" : ", ?";
    }
    SQLite::Statement q(from, "SELECT " + names + " FROM recording WHERE id=?");
    q.bind(1, there);
    if (!q.executeStep()) throw std::runtime_error(phrase("a recording is no longer there"));
    SQLite::Statement insert(to, "INSERT INTO recording(" + names +
                                     ", battery_id, instrument_id, charger_id) VALUES (" + places +
                                     ", ?, ?, ?)");
    int index = 1;
    for (std::size_t k = 0; k < kRecordingColumns.size(); ++k)
        copyValue(q.getColumn(static_cast<int>(k)), insert, index++);
    for (const std::int64_t id : {battery, instrument, charger}) {
        if (id > 0)
            insert.bind(index, id);
        else
            insert.bind(index);
        ++index;
    }
    insert.exec();
    const std::int64_t here = to.getLastInsertRowid();
    copyOwned(from, to, "original", "recording_id", {"size", "bytes"}, there, here);
    copyOwned(from, to, "sample_chunk", "recording_id", {"channel", "chunk", "data", "checksum"},
              there, here);
    return here;
}

/// The value, or the whole act is given up with its error.
template <class T>
T need(Expected<T> value) {
    if (!value) throw Refused{value.error()};
    if constexpr (!std::is_void_v<T>) return std::move(*value);
}

/// One book taken into another, part by part. Throws Refused, SQLite::Exception.
class Merge {
  public:
    Merge(BenchBook& into, SQLite::Database& to, BenchBook& other, SQLite::Database& from,
          std::int64_t onlyBattery, std::stop_token stop)
        : into_(into),
          to_(to),
          other_(other),
          from_(from),
          only_(onlyBattery),
          stop_(std::move(stop)),
          recordings_(need(other.recordings())) {
        if (only_ > 0)
            std::erase_if(recordings_,
                          [&](const RecordingEntry& e) { return e.batteryId != only_; });
    }

    MergeReport run() {
        takeBatteries();
        takeInstruments();
        takeChargers();
        for (const RecordingEntry& e : recordings_) {
            if (stop_.stop_requested())
                throw Refused{{ErrorKind::Cancelled, phrase("Cancelled. Nothing was changed."),
                               into_.path().string(), ""}};
            takeRecording(e);
        }
        return report_;
    }

  private:
    /// The battery here that is the same as one there: it holds one of its logs already; else by
    /// its name and kind. Null: none.
    const BatteryEntry* sameBattery(const BatteryEntry& e) const {
        std::int64_t known = 0;
        for (const RecordingEntry& r : recordings_)
            if (known == 0 && r.batteryId == e.id) known = batteryOfFile(to_, r.sha256, r.samples);
        const auto find = [&](auto fits) -> const BatteryEntry* {
            const auto at = std::ranges::find_if(batteries_, [&](const BatteryEntry& h) {
                return fits(h) && sameKind(h.battery, e.battery);
            });
            return at == batteries_.end() ? nullptr : &*at;
        };
        const std::string& name = e.battery.name;
        if (const auto* b = find([&](const auto& h) { return h.id == known; })) return b;
        if (const auto* b = find([&](const auto& h) { return h.battery.name == name; })) return b;
        return find([&](const auto& h) { return nameOf(h.battery.name, name); });
    }

    void takeBatteries() {
        batteries_ = need(into_.batteries());
        bool any = false;
        for (const BatteryEntry& e : need(other_.batteries())) {
            if (only_ > 0 && e.id != only_) continue;
            any = true;
            if (const BatteryEntry* same = sameBattery(e)) {
                batteryIds_[e.id] = same->id;
                if (cardJson(same->battery) != cardJson(e.battery) ||
                    same->battery.mass_kg != e.battery.mass_kg)
                    note(report_, phrase("{}: the card differs in details; this book's was kept",
                                         e.battery.name));
            } else {
                Battery b = e.battery;
                b.name = freeName(batteries_, b.name);
                if (b.name != e.battery.name)
                    note(report_, phrase("{}: another battery has this name; it came in as {}",
                                         e.battery.name, b.name));
                batteryIds_[e.id] = need(into_.addBattery(b));
                batteries_.push_back({batteryIds_[e.id], 0, b});
                ++report_.batteries;
            }
            takeSpots(e.id, batteryIds_[e.id]);
        }
        takeLives();
        if (only_ > 0 && !any)
            throw Refused{{ErrorKind::NotFound, phrase("This battery is no longer in the book."),
                           other_.path().string(), ""}};
    }

    /// Readings by hand that are not here yet.
    void takeSpots(std::int64_t there, std::int64_t here) {
        const auto have = need(into_.spotReadings(here));
        for (SpotReading s : need(other_.spotReadings(there))) {
            if (std::ranges::any_of(have, [&](const SpotReading& h) {
                    return h.kind == s.kind && h.value == s.value && h.atEpoch_s == s.atEpoch_s &&
                           h.method == s.method;
                }))
                continue;
            s.batteryId = here;
            need(into_.addSpotReading(s));
            ++report_.others;
        }
    }

    /// What is known of the batteries beyond their cards, where nothing is known here, and what was
    /// done of the due list.
    void takeLives() {
        const auto here = need(into_.lives());
        for (auto& [there, life] : need(other_.lives())) {
            const auto id = batteryIds_.find(there);
            if (id == batteryIds_.end()) continue;
            const auto whole = batteryIds_.find(life.partOf);
            life.partOf = whole == batteryIds_.end() ? 0 : whole->second;
            if (const auto known = here.find(id->second); known != here.end()) {
                if (!(known->second == life))
                    note(report_,
                         phrase("what is known of a battery differs; this book's was kept"));
                continue;
            }
            if (!life.photo.empty())
                if (const std::string picture = need(other_.photo(life.photo)); !picture.empty())
                    need(into_.addPhoto(picture));
            need(into_.setLife(id->second, life));
            ++report_.others;
        }
        const auto done = need(into_.tasksDone());
        for (TaskDone t : need(other_.tasksDone())) {
            const auto id = batteryIds_.find(t.batteryId);
            if (id == batteryIds_.end()) continue;
            t.batteryId = id->second;
            if (std::ranges::any_of(done, [&](const TaskDone& h) {
                    return h.batteryId == t.batteryId && h.task == t.task && h.at_s == t.at_s;
                }))
                continue;
            need(into_.addTaskDone(t));
            ++report_.others;
        }
    }

    bool used(std::int64_t RecordingEntry::*thing, std::int64_t id) const {
        return only_ == 0 || std::ranges::any_of(recordings_, [&](const RecordingEntry& e) {
                   return e.*thing == id;
               });
    }

    void takeInstruments() {
        const auto have = need(into_.instruments());
        for (const InstrumentEntry& e : need(other_.instruments())) {
            if (!used(&RecordingEntry::instrumentId, e.id)) continue;
            const auto same = std::ranges::find_if(have, [&](const InstrumentEntry& h) {
                return h.instrument.name == e.instrument.name;
            });
            if (same == have.end()) {
                instrumentIds_[e.id] = need(into_.addInstrument(e.instrument));
                ++report_.others;
            } else {
                instrumentIds_[e.id] = same->id;
                if (!(same->instrument.accuracy == e.instrument.accuracy))
                    note(report_, phrase("{}: its accuracy differs; this book's was kept",
                                         e.instrument.name));
            }
            const auto checks = need(into_.meterChecks(instrumentIds_[e.id]));
            for (MeterCheck m : need(other_.meterChecks(e.id))) {
                if (std::ranges::any_of(checks, [&](const MeterCheck& h) {
                        return h.at_s == m.at_s && h.correction.kind == m.correction.kind &&
                               h.correction.value == m.correction.value;
                    }))
                    continue;
                m.instrumentId = instrumentIds_[e.id];
                need(into_.addMeterCheck(m));
                ++report_.others;
            }
        }
    }

    void takeChargers() {
        const auto have = need(into_.chargers());
        for (const ChargerEntry& e : need(other_.chargers())) {
            if (!used(&RecordingEntry::chargerId, e.id)) continue;
            const auto same = std::ranges::find_if(
                have, [&](const ChargerEntry& h) { return h.charger.name == e.charger.name; });
            if (same != have.end()) {
                chargerIds_[e.id] = same->id;
                continue;
            }
            chargerIds_[e.id] = need(into_.addCharger(e.charger));
            ++report_.others;
        }
    }

    void takeRecording(const RecordingEntry& e) {
        const auto at = [](const Ids& ids, std::int64_t id) {
            const auto found = ids.find(id);
            return found == ids.end() ? 0 : found->second;
        };
        std::int64_t here = sameFile(to_, e.sha256, e.samples);
        const bool known = here > 0;
        if (known) {
            ++report_.known;
        } else {
            here = copyRecording(from_, to_, e.id, at(batteryIds_, e.batteryId),
                                 at(instrumentIds_, e.instrumentId), at(chargerIds_, e.chargerId));
            ++report_.recordings;
        }
        const std::pair<std::string, std::vector<std::string>> owned[] = {
            {"step_edit", {"position", "action", "at_s", "kind", "made"}},
            {"correction", {"kind", "value", "uncertainty", "from_s", "to_s", "name"}}};
        for (const auto& [table, columns] : owned) {
            if (countOwned(from_, table, e.id) == 0) continue;
            if (countOwned(to_, table, here) == 0)
                copyOwned(from_, to_, table, "recording_id", columns, e.id, here);
            else if (known)
                note(report_,
                     phrase("{}: it has edits or corrections here; they were kept", e.title));
        }
        takeDay(e, here, known);
    }

    /// The day of a log whose rows have none: this book's own word counts where it has one.
    void takeDay(const RecordingEntry& e, std::int64_t here, bool known) {
        if (e.dayFrom.empty()) return;
        const std::string day = isoTime(e.day_s).substr(0, 10);
        if (known && !into_.setting("day:" + std::to_string(here)).value_or("").empty()) {
            if (!into_.setting("day:" + std::to_string(here)).value_or("").starts_with(day))
                note(report_,
                     phrase("{}: its day was said otherwise here; that was kept", e.title));
            return;
        }
        need(into_.setDay(here, day, e.dayFrom, false));
    }

    BenchBook& into_;
    SQLite::Database& to_;
    BenchBook& other_;
    SQLite::Database& from_;
    const std::int64_t only_;
    const std::stop_token stop_;
    std::vector<RecordingEntry> recordings_;
    std::vector<BatteryEntry> batteries_;  ///< here
    Ids batteryIds_, instrumentIds_, chargerIds_;
    MergeReport report_;
};

}  // namespace

Expected<MergeReport> BenchBook::takeIn(BenchBook& other, std::int64_t onlyBattery,
                                        std::stop_token stop) {
    return guarded(
        path_.string(), phrase("The book could not be taken in"), [&]() -> Expected<MergeReport> {
            if (readOnly_)
                throw Refused{storageError(
                    phrase("The book is in a folder that is read-only. Nothing was changed."))};
            std::error_code ec;
            if (std::filesystem::equivalent(path_, other.path_, ec))
                return fail(ErrorKind::InvalidArgument, phrase("A book is not taken into itself."),
                            path_.string(), phrase("another book."));
            const auto name = harmless(other.path_.stem().string());
            return journaled(*db_, {"merge", {name}}, [&]() -> Expected<MergeReport> {
                return Merge(*this, *db_, other, *other.db_, onlyBattery, stop).run();
            });
        });
}

}  // namespace nk
