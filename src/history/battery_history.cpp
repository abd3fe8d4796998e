#include "battery_history.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "analysis/capacity/event.h"
#include "quantity/phrase.h"
#include "refresh.h"
#include "study.h"
#include "summary.h"

namespace nk {

namespace {

constexpr double kRoom_K = 298.15;
constexpr double kGas_J_molK = 8.314462618;

bool ofDischarge(const std::string& name) {
    return name == "delivered_capacity" || name == "delivered_energy" || name == "mean_voltage" ||
           name == "health_capacity";
}

bool isResistance(const std::string& name) {
    return name.starts_with("resistance_");
}

double known(double x) {
    return std::isfinite(x) ? x : 0;
}

/// Both unknown counts as equal; one alone does not.
bool near(double a, double b, double tolerance) {
    if (std::isnan(a) || std::isnan(b)) return std::isnan(a) && std::isnan(b);
    return std::abs(a - b) <= tolerance;
}

bool comparable(const HistoryPoint& a, const HistoryPoint& b) {
    if (a.reading.name != b.reading.name || a.reading.method != b.reading.method) return false;
    const ReadingConditions& x = a.reading.conditions;
    const ReadingConditions& y = b.reading.conditions;
    if (isResistance(a.reading.name))
        return near(x.soc, y.soc, 0.1) && near(x.delay_s, y.delay_s, 0.1 * (1 + x.delay_s)) &&
               std::isnan(a.normalised) == std::isnan(b.normalised);
    constexpr double kVolt = 0.02, kHair = 1e-4;
    // Bounds are for the values, never for a display's last digit.
    const double doubt_V = 2 * std::hypot(known(x.endDoubt_V), known(y.endDoubt_V)) + kHair;
    const bool carried = std::isfinite(a.carried_Ah) && std::isfinite(b.carried_Ah);
    return near(x.set_V_per_cell, y.set_V_per_cell, kVolt + doubt_V) &&
           near(x.cutoff_C, y.cutoff_C, 0.15 * x.cutoff_C + 0.002) &&
           near(x.cRate, y.cRate, 0.155 * x.cRate) &&
           (carried || near(x.floor_V_per_cell, y.floor_V_per_cell, kVolt + doubt_V)) &&
           near(x.temperature_C, y.temperature_C, 3.2);
}

/// Where the full discharges of known days end: their median where two lie within 0.05 V of one
/// another, else the floor of the chemistry.
double commonFloor(const Battery& battery, const std::vector<HistoryPoint>& points) {
    constexpr double kTogether_V = 0.05;
    std::vector<double> ends;
    for (const HistoryPoint& p : points)
        if (p.reading.name == "delivered_capacity" && !p.byHand() && p.dayKnown() &&
            p.reading.conditions.beganFull.value_or(false) &&
            std::isfinite(p.reading.conditions.floor_V_per_cell))
            ends.push_back(p.reading.conditions.floor_V_per_cell);
    std::ranges::sort(ends);
    for (std::size_t k = 1; k < ends.size(); ++k)
        if (ends[k] - ends[k - 1] <= kTogether_V) {
            const std::size_t n = ends.size();
            return n % 2 == 1 ? ends[n / 2] : 0.5 * (ends[n / 2 - 1] + ends[n / 2]);
        }
    const Chemistry* c = battery.chemistryData();
    return c != nullptr ? c->dischargeFloor_V : kNaN;
}

/// To the common floor by its own last slope.
void carry(HistoryPoint& p, double floor_V) {
    const StoredReading& r = p.reading;
    const ReadingConditions& c = r.conditions;
    if (r.name != "delivered_capacity" || p.byHand() || !std::isfinite(floor_V)) return;
    p.carried_Ah = carryTo_Ah(c.floor_V_per_cell, floor_V, c.endSlope_V_Ah, r.value);
    if (!std::isfinite(p.carried_Ah)) return;
    p.carriedUncertainty_Ah =
        std::hypot(known(c.endDoubt_V) / c.endSlope_V_Ah, known(c.endSlopeShare) * p.carried_Ah);
}

/// Why a point can stand in no group; empty when it can.
std::string apartBecause(const HistoryPoint& p) {
    const StoredReading& r = p.reading;
    if (isResistance(r.name)) return p.dayKnown() ? "" : phrase("its day is not known");
    if (!ofDischarge(r.name)) return phrase("this kind of reading has no group");
    if (p.byHand()) return phrase("the conditions of a reading by hand are not known");
    if (!p.dayKnown()) return phrase("its day is not known");
    if (!r.conditions.beganFull) return phrase("the log does not show whether it began full");
    if (!*r.conditions.beganFull) return phrase("it did not begin full");
    return {};
}

StoredReading fromHand(const SpotReading& s) {
    StoredReading r;
    r.name = s.kind == "charge"    ? "delivered_capacity"
             : s.kind == "energy"  ? "delivered_energy"
             : s.kind == "voltage" ? s.method == "under_load" ? "loaded_voltage" : "rested_voltage"
             : s.kind == "resistance" ? "resistance_" + (s.method.empty() ? "other" : s.method)
                                      : s.kind;
    r.unit = s.kind == "charge"       ? "Ah"
             : s.kind == "energy"     ? "Wh"
             : s.kind == "voltage"    ? "V"
             : s.kind == "resistance" ? "ohm"
             : s.kind == "duration"   ? "s"
                                      : "";
    r.method = s.method.empty() ? "by_hand" : s.method;
    r.value = s.value;
    double u = s.resolution / std::sqrt(12.0);
    const auto n = static_cast<double>(s.repeats.size());
    if (n > 1) {
        double mean = 0;
        for (const double x : s.repeats) mean += x / n;
        double squares = 0;
        for (const double x : s.repeats) squares += (x - mean) * (x - mean);
        u = std::hypot(u, std::sqrt(squares / (n - 1) / n));
    }
    r.uncertainty = u;
    r.low = s.value - 2 * u;
    r.high = s.value + 2 * u;
    r.conditions.temperature_C = s.temperature_C;
    r.conditions.mean_A = s.current_A;
    return r;
}

/// Charge that a log had moved until some moment, from its readings of charge.
class MovedBefore {
  public:
    explicit MovedBefore(const std::vector<StoredReading>& log) {
        for (const StoredReading& r : log)
            if ((r.name == "charge_in" || r.name == "delivered_capacity") &&
                std::isfinite(r.to_s) && std::isfinite(r.value))
                at_.emplace_back(r.to_s, std::abs(r.value));
        std::ranges::sort(at_);
        for (std::size_t k = 1; k < at_.size(); ++k) at_[k].second += at_[k - 1].second;
    }
    double until_Ah(double to_s) const {
        const auto behind =
            std::ranges::lower_bound(at_, to_s - 1e-6, {}, &std::pair<double, double>::first);
        return behind == at_.begin() ? 0 : std::prev(behind)->second;
    }

  private:
    std::vector<std::pair<double, double>> at_;  ///< end of a charge, all of it until then
};

/// A battery that was logged with more kinds of conditions than this is none; a book from elsewhere
/// may say so.
constexpr std::size_t kMostGroups = 500;

}  // namespace

double groupComparable(const Battery& battery, std::vector<HistoryPoint>& points) {
    const double floor_V = commonFloor(battery, points);
    const Chemistry* chemistry = battery.chemistryData();
    const double activation = chemistry != nullptr ? chemistry->activation_J_mol : 20000;
    std::map<std::string, std::vector<std::pair<const HistoryPoint*, std::string>>> ofName;
    for (HistoryPoint& p : points) {
        const double t = p.reading.conditions.temperature_C;
        if (isResistance(p.reading.name) && std::isfinite(t))
            p.normalised = p.reading.value /
                           std::exp(activation / kGas_J_molK * (1 / (t + 273.15) - 1 / kRoom_K));
        carry(p, floor_V);
        p.apart = apartBecause(p);
        if (!p.apart.empty()) continue;
        auto& groups = ofName[p.reading.name];
        const auto found =
            std::ranges::find_if(groups, [&](const auto& g) { return comparable(*g.first, p); });
        if (found != groups.end()) {
            p.comparable = found->second;
            continue;
        }
        if (groups.size() >= kMostGroups) {
            p.apart = phrase("its conditions are like those of none before");
            continue;
        }
        p.comparable = fmt::format("{}#{}", p.reading.name, groups.size() + 1);
        groups.emplace_back(&p, p.comparable);
    }
    return floor_V;
}

Expected<std::vector<OwnLogs>> ownLogs(BenchBook& book, const std::set<std::int64_t>& ids) {
    const auto batteries = book.batteries();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    auto recordings = book.recordings();
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    if (!ids.empty())
        std::erase_if(*recordings,
                      [&](const RecordingEntry& e) { return !ids.contains(e.batteryId); });
    auto makings = allMakings(book, *recordings);
    if (!makings) return tl::unexpected<Error>(makings.error());
    std::vector<OwnLogs> out;
    std::map<std::int64_t, std::size_t> place;
    for (const BatteryEntry& e : *batteries)
        if (ids.empty() || ids.contains(e.id)) {
            place[e.id] = out.size();
            out.push_back({e, {}, {}});
            out.back().battery.battery.measured_Ah = countedCapacity_Ah(book, e.id);
        }
    for (std::size_t k = 0; k < recordings->size(); ++k) {
        const auto at = place.find((*recordings)[k].batteryId);
        if (at == place.end()) continue;
        out[at->second].recordings.push_back(std::move((*recordings)[k]));
        out[at->second].makings.push_back(std::move((*makings)[k]));
    }
    return out;
}

Expected<BatteryHistory> batteryHistory(BenchBook& book, std::int64_t batteryId) {
    auto own = ownLogs(book, {batteryId});
    if (!own) return tl::unexpected<Error>(own.error());
    if (own->empty())
        return fail(ErrorKind::NotFound, phrase("This battery is no longer in the book."),
                    book.path().string());
    return batteryHistory(book, own->front());
}

namespace {

Expected<BatteryHistory> historyAsMade(BenchBook& book, OwnLogs& own);

}  // namespace

Expected<BatteryHistory> batteryHistory(BenchBook& book, OwnLogs& own) {
    // What C rates and tapers count of is what the readings tell; they are read with it.
    constexpr int kRounds = 3;
    for (int round = 0;; ++round) {
        auto out = historyAsMade(book, own);
        if (!out || round + 1 == kRounds) return out;
        const double holds = countedCapacity_Ah(*out);
        if (holds == own.battery.battery.measured_Ah) return out;
        own.battery.battery.measured_Ah = holds;
        for (Makings& m : own.makings) m.battery.measured_Ah = holds;
        if (!book.readOnly()) (void)keepCounted(book, own.battery.id, holds);
    }
}

namespace {

Expected<BatteryHistory> historyAsMade(BenchBook& book, OwnLogs& own) {
    BatteryHistory out;
    out.battery = own.battery;
    const std::int64_t batteryId = own.battery.id;
    // What is stale is made now: in the book where it can be written, else for this answer alone.
    std::map<std::int64_t, StoredStudy> fresh;
    for (std::size_t k = 0; k < own.recordings.size(); ++k) {
        RecordingEntry& e = own.recordings[k];
        if (e.fingerprint == fingerprintOf(own.makings[k])) continue;
        const Recorded down;  // for whoever reads it later
        const auto opened = openRecording(book, e, own.makings[k]);
        if (opened) {
            fresh[e.id] = studyOf(*opened);
            keepStudy(book, *opened);
            e.summary = summarise(opened->analysis);
            e.fingerprint = opened->fingerprint;
        } else {
            fresh[e.id] = studyOf(opened.error(), fingerprintOf(own.makings[k]));
            e.summary = RecordingSummary();
            if (!book.readOnly()) (void)book.setStudy(e.id, fresh[e.id], e.summary);
        }
    }
    auto stored = book.readingsOfBattery(batteryId);
    const auto spots = book.spotReadings(batteryId);
    if (!stored) return tl::unexpected<Error>(stored.error());
    if (!spots) return tl::unexpected<Error>(spots.error());
    std::map<std::int64_t, std::vector<StoredReading>> byLog;
    for (StoredReading& r : *stored)
        if (!fresh.contains(r.recordingId)) byLog[r.recordingId].push_back(std::move(r));
    for (auto& [id, study] : fresh) byLog[id] = study.readings;
    std::vector<const RecordingEntry*> logs;
    for (const RecordingEntry& e : own.recordings) logs.push_back(&e);
    // In the order of their days, never of their import.
    std::ranges::stable_sort(logs, {}, [](const RecordingEntry* e) {
        return std::tuple(!e->dayKnown(), e->dayKnown() ? e->at_s() : 0.0, e->sha256);
    });
    const double rated = out.battery.battery.rated_Ah;
    const double counts = out.battery.battery.capacity_Ah();
    double moved_Ah = 0;
    for (const RecordingEntry* e : logs) {
        const auto problem = book.studyProblem(e->id);
        const auto made = fresh.find(e->id);
        const std::string why =
            made != fresh.end() ? retold(made->second.problem) : problem.value_or(std::string());
        if (!why.empty()) {
            out.leftOut.push_back(phrase("{}: {}", e->title, why));
            continue;
        }
        const auto& readings = byLog[e->id];
        const MovedBefore before(readings);
        for (const StoredReading& r : readings) {
            HistoryPoint p;
            p.reading = r;
            p.title = e->title;
            // The log's own clock counts from its start.
            if (e->dayKnown())
                p.at_s = e->at_s() +
                         (std::isfinite(e->startEpoch_s) && std::isfinite(r.to_s) ? r.to_s : 0.0);
            if (rated > 0 && e->dayKnown())
                p.efc = (moved_Ah + before.until_Ah(r.to_s)) / (2 * rated);
            out.points.push_back(std::move(p));
        }
        const double here = e->summary.moved_Ah;
        // A log of no known day counts for no pace.
        if (std::isfinite(here) && e->dayKnown()) moved_Ah += here;
        if (!e->dayKnown()) out.daysUnknown.push_back(e->id);
    }
    for (const SpotReading& s : *spots) {
        HistoryPoint p;
        p.reading = fromHand(s);
        if (counts > 0 && std::isfinite(s.current_A))
            p.reading.conditions.cRate = std::abs(s.current_A) / counts;
        p.spot = s.id;
        p.at_s = s.atEpoch_s;
        p.title = s.note;
        if (rated > 0) {
            // As much as the logs before it had moved.
            double before = 0;
            for (const RecordingEntry* e : logs)
                if (e->dayKnown() && e->at_s() <= s.atEpoch_s && std::isfinite(e->summary.moved_Ah))
                    before += e->summary.moved_Ah;
            p.efc = before / (2 * rated);
        }
        out.points.push_back(std::move(p));
    }
    std::ranges::stable_sort(out.points, {}, [](const HistoryPoint& p) {
        return std::pair(!p.dayKnown(), p.dayKnown() ? p.at_s : 0.0);
    });
    out.floor_V_per_cell = groupComparable(out.battery.battery, out.points);
    return out;
}

}  // namespace

}  // namespace nk
