#include "conditions.h"

#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "analysis/resistance/current_step.h"

namespace nk {

namespace {

const Reading* readingAt(const Analysis& a, const char* name, int step) {
    for (const Reading& r : a.readings)
        if (r.name == name && r.evidence.step == step && r.measurable()) return &r;
    return nullptr;
}

/// Mean temperature of the samples between two times; NaN without any.
double meanTemperature_C(const Recording& r, double from_s, double to_s) {
    const auto t = r.temperature_C();
    if (t.empty()) return kNaN;
    double sum = 0;
    double n = 0;
    for (std::size_t k = r.lowerBound(from_s); k < r.size() && r.time_s()[k] <= to_s; ++k)
        if (std::isfinite(t[k])) sum += t[k], ++n;
    return n > 0 ? sum / n : kNaN;
}

/// What the charge that ended at or before step `index` was held at, and its current at the end.
void chargeBefore(const Analysis& a, int index, ReadingConditions& c) {
    for (int k = index; k >= 0; --k) {
        const Step& s = a.steps.list[static_cast<std::size_t>(k)];
        if (k < index && s.isDischarge() && s.kind != StepKind::Pulse) return;
        if (s.kind != StepKind::CvCharge) continue;
        const double cells = a.battery.cells();
        if (const Reading* set = readingAt(a, "cv_set_voltage", k))
            c.set_V_per_cell = set->value / cells;
        if (const Reading* end = readingAt(a, "taper_end_current", k))
            if (a.battery.capacity_Ah() > 0) c.cutoff_C = end->value / a.battery.capacity_Ah();
        return;
    }
}

double delayOf(const std::string& name) {
    return name == "resistance_1s"      ? 1
           : name == "resistance_10s"   ? 10
           : name == "resistance_30s"   ? 30
           : name == "resistance_ohmic" ? 0
                                        : kNaN;
}

const std::vector<Event>& eventsOf(const AnalysisInput& in, bool discharge) {
    return discharge ? dischargeEvents(in) : chargeEvents(in);
}

}  // namespace

ReadingConditions conditionsOf(const AnalysisInput& in, const Analysis& a, const Reading& r) {
    ReadingConditions c;
    const int index = r.evidence.step;
    if (index < 0 || index >= static_cast<int>(a.steps.list.size())) {
        c.temperature_C = meanTemperature_C(in.recording, r.evidence.from_s, r.evidence.to_s);
        return c;
    }
    const Step& step = a.steps.list[static_cast<std::size_t>(index)];
    const double cells = a.battery.cells();
    const double rated = a.battery.capacity_Ah();
    c.mean_A = step.meanCurrent_A;
    double from_s = step.start_s;
    double to_s = step.end_s;
    int first = index;
    if (step.isActive()) {
        for (const Event& e : eventsOf(in, step.isDischarge())) {
            if (std::ranges::find(e.steps, index) == e.steps.end()) continue;
            c.mean_A = e.meanCurrent_A;
            from_s = e.from_s;
            to_s = e.to_s;
            first = e.steps.front();
            if (step.isCharge()) {
                double most_Ah = 0;
                for (const int k : e.steps) {
                    const Step& part = a.steps.list[static_cast<std::size_t>(k)];
                    if (part.kind != StepKind::CcCharge || !(part.sum.charge_Ah > most_Ah))
                        continue;
                    most_Ah = part.sum.charge_Ah;
                    c.plateau_A = part.meanCurrent_A;
                }
            }
            if (step.isDischarge()) {
                c.floor_V_per_cell = e.endVoltage_V / cells;
                c.endSlope_V_Ah = e.endSlope_V_Ah / cells;
                c.endSlopeShare = e.endSlopeShare;
                c.endDoubt_V = e.endDoubt_V / cells;
                c.fromLevel = e.fromLevel;
                if (e.fullAtStart != Known::Unknown) c.beganFull = e.fullAtStart == Known::Yes;
            }
            break;
        }
        if (rated > 0) c.cRate = std::abs(c.mean_A) / rated;
    }
    chargeBefore(a, index, c);
    if (first > 0) {
        const Step& before = a.steps.list[static_cast<std::size_t>(first) - 1];
        if (before.kind == StepKind::Rest) c.restBefore_s = before.end_s - before.start_s;
    }
    c.temperature_C = meanTemperature_C(in.recording, from_s, to_s);
    if (!r.name.starts_with("resistance_")) return c;
    c.delay_s = delayOf(r.name);
    c.floor_V_per_cell = c.set_V_per_cell = c.cutoff_C = kNaN;
    c.beganFull.reset();
    for (const StepResistance& s : stepResistances(in)) {
        if (s.step != index) continue;
        if (std::isfinite(c.delay_s) && s.nominalDelay_s != c.delay_s) continue;
        c.soc = s.soc;
        if (std::isfinite(s.temperature_C)) c.temperature_C = s.temperature_C;
        if (std::isfinite(c.delay_s) && c.delay_s > 0 && std::isfinite(s.delay_s))
            c.delay_s = s.delay_s;
        break;
    }
    return c;
}

}  // namespace nk
