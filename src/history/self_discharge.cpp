#include "self_discharge.h"

#include <algorithm>
#include <cmath>

namespace nk {

namespace {

constexpr double kDay_s = 86400;
constexpr double kLeast_s = 2 * kDay_s;
/// Before this a cell still settles (common practice, no source).
constexpr double kRest_s = 3 * 3600;

struct Rested {
    double at_s, perCell_V, uncertainty_V;
    std::int64_t recording;
};

}  // namespace

std::vector<SelfDischarge> selfDischarge(const BatteryHistory& history,
                                         const std::vector<RecordingEntry>& recordings) {
    const Battery& battery = history.battery.battery;
    std::vector<const RecordingEntry*> own;
    for (const RecordingEntry& r : recordings)
        if (r.batteryId == history.battery.id && r.dayKnown()) own.push_back(&r);
    const auto entry = [&](std::int64_t id) -> const RecordingEntry* {
        const auto at = std::ranges::find(own, id, &RecordingEntry::id);
        return at == own.end() ? nullptr : *at;
    };
    const auto moves = [&](const RecordingEntry& r) {
        return !(r.summary.moved_Ah <= 0.001 * std::max(battery.rated_Ah, 0.1));
    };
    std::vector<Rested> list;
    const double cells = battery.cells();
    for (const HistoryPoint& p : history.points) {
        if (p.reading.name != "rested_voltage" || !p.dayKnown()) continue;
        double at = p.at_s;
        if (p.byHand()) {
            if (std::ranges::any_of(own, [&](const RecordingEntry* r) {
                    return r->at_s() < at && at < r->at_s() + r->duration_s + kRest_s;
                }))
                continue;
        } else {
            // Only the rest at the end of a log has nothing after it.
            const RecordingEntry* log = entry(p.reading.recordingId);
            if (log == nullptr || p.reading.to_s < log->duration_s - 60) continue;
            at = log->at_s() + log->duration_s;
        }
        list.push_back(
            {at, p.reading.value / cells, p.reading.uncertainty / cells, p.reading.recordingId});
    }
    std::ranges::sort(list, {}, &Rested::at_s);
    std::vector<SelfDischarge> out;
    for (std::size_t k = 1; k < list.size(); ++k) {
        const Rested& a = list[k - 1];
        const Rested& b = list[k];
        if (b.at_s - a.at_s < kLeast_s) continue;
        if (std::ranges::any_of(own, [&](const RecordingEntry* r) {
                return moves(*r) && r->id != a.recording && r->at_s() < b.at_s &&
                       r->at_s() + r->duration_s > a.at_s;
            }))
            continue;
        SelfDischarge s;
        s.from_s = a.at_s, s.to_s = b.at_s;
        s.fromRecording = a.recording, s.toRecording = b.recording;
        s.fall_V_per_cell = a.perCell_V - b.perCell_V;
        s.uncertainty_V = std::hypot(a.uncertainty_V, b.uncertainty_V);
        const double days = (b.at_s - a.at_s) / kDay_s;
        s.mV_per_day = 1000 * s.fall_V_per_cell / days;
        // The grade of the cell shifts both voltages alike: only the slope of the curve counts.
        const Chemistry* c = battery.chemistryData();
        if (c != nullptr && !c->nickel() && !c->ocv.empty()) {
            const auto lost = [&](double fall) {
                return 100 * (c->ocv.soc(a.perCell_V) - c->ocv.soc(a.perCell_V - fall)) * 30 / days;
            };
            const double least = lost(s.fall_V_per_cell - 2 * s.uncertainty_V);
            const double most = lost(s.fall_V_per_cell + 2 * s.uncertainty_V);
            if (most - least < 100) s.lowPercent = least, s.highPercent = most;
        }
        out.push_back(s);
    }
    return out;
}

}  // namespace nk
