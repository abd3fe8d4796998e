#include "conditions.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "analysis/capacity/event.h"
#include "analysis/resistance/current_step.h"

namespace nk {

namespace {

/// What the conditions of many readings look up, made once a log: a log of thousands of cycles has
/// tens of thousands of readings.
struct LookUp {
    /// The constant-voltage charge that a step right behind this one would go back to; −1: none.
    std::vector<int> held;
    std::vector<const Reading*> set, end;               ///< by step
    std::vector<std::vector<std::size_t>> resistances;  ///< by step, in their order
};

const LookUp& lookUp(const AnalysisInput& in, const Analysis& a) {
    return in.memo->remember<LookUp>("conditions", [&] {
        LookUp out;
        const std::size_t n = a.steps.list.size();
        out.held.assign(n, -1);
        for (std::size_t k = 0; k < n; ++k) {
            const Step& s = a.steps.list[k];
            if (s.isDischarge() && s.kind != StepKind::Pulse) continue;
            out.held[k] = s.kind == StepKind::CvCharge ? static_cast<int>(k)
                          : k > 0                      ? out.held[k - 1]
                                                       : -1;
        }
        out.set.assign(n, nullptr);
        out.end.assign(n, nullptr);
        for (const Reading& r : a.readings) {
            const auto step = static_cast<std::size_t>(r.evidence.step);
            if (r.evidence.step < 0 || step >= n || !r.measurable()) continue;
            if (r.name == "cv_set_voltage" && out.set[step] == nullptr) out.set[step] = &r;
            if (r.name == "taper_end_current" && out.end[step] == nullptr) out.end[step] = &r;
        }
        out.resistances.resize(n);
        const auto& all = stepResistances(in);
        for (std::size_t k = 0; k < all.size(); ++k)
            if (all[k].step >= 0 && static_cast<std::size_t>(all[k].step) < n)
                out.resistances[static_cast<std::size_t>(all[k].step)].push_back(k);
        return out;
    });
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
void chargeBefore(const LookUp& all, const Analysis& a, int index, ReadingConditions& c) {
    const auto here = static_cast<std::size_t>(index);
    const int held = a.steps.list[here].kind == StepKind::CvCharge ? index
                     : index > 0                                   ? all.held[here - 1]
                                                                   : -1;
    if (held < 0) return;
    const auto k = static_cast<std::size_t>(held);
    if (all.set[k] != nullptr) c.set_V_per_cell = all.set[k]->value / a.battery.cells();
    if (all.end[k] != nullptr && a.battery.capacity_Ah() > 0)
        c.cutoff_C = all.end[k]->value / a.battery.capacity_Ah();
}

double delayOf(const std::string& name) {
    return name == "resistance_1s"      ? 1
           : name == "resistance_10s"   ? 10
           : name == "resistance_30s"   ? 30
           : name == "resistance_ohmic" ? 0
                                        : kNaN;
}

/// The charge or discharge that a step is a part of; null where it is of none. They stand in the
/// order of time.
const Event* eventOf(const AnalysisInput& in, bool discharge, int step) {
    const auto& events = discharge ? dischargeEvents(in) : chargeEvents(in);
    const auto at = std::partition_point(events.begin(), events.end(), [&](const Event& e) {
        return e.steps.empty() || e.steps.back() < step;
    });
    return at != events.end() && std::ranges::binary_search(at->steps, step) ? &*at : nullptr;
}

/// What all readings of one event share, made once: its thousands of pulses do not each walk it.
struct OfEvent {
    double temperature_C = kNaN;
    double plateau_A = kNaN;  ///< of the largest constant-current part of a charge
};

const OfEvent& ofEvent(const AnalysisInput& in, const Steps& steps, const Event& e, bool charge) {
    const std::string key = (charge ? "of charge " : "of discharge ") + std::to_string(e.first);
    return in.memo->remember<OfEvent>("conditions " + key, [&] {
        OfEvent out;
        out.temperature_C = meanTemperature_C(in.recording, e.from_s, e.to_s);
        double most_Ah = 0;
        for (const int k : e.steps) {
            const Step& part = steps.list[static_cast<std::size_t>(k)];
            if (!charge || part.kind != StepKind::CcCharge || !(part.sum.charge_Ah > most_Ah))
                continue;
            most_Ah = part.sum.charge_Ah;
            out.plateau_A = part.meanCurrent_A;
        }
        return out;
    });
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
    int first = index;
    const OfEvent* shared = nullptr;
    if (step.isActive()) {
        if (const Event* event = eventOf(in, step.isDischarge(), index)) {
            const Event& e = *event;
            c.mean_A = e.meanCurrent_A;
            first = e.steps.front();
            shared = &ofEvent(in, a.steps, e, step.isCharge());
            c.plateau_A = shared->plateau_A;
            if (step.isDischarge()) {
                c.floor_V_per_cell = e.endVoltage_V / cells;
                c.endSlope_V_Ah = e.endSlope_V_Ah / cells;
                c.endSlopeShare = e.endSlopeShare;
                c.endDoubt_V = e.endDoubt_V / cells;
                c.fromLevel = e.fromLevel;
                if (e.fullAtStart != Known::Unknown) c.beganFull = e.fullAtStart == Known::Yes;
            }
        }
        if (rated > 0) c.cRate = std::abs(c.mean_A) / rated;
    }
    const LookUp& all = lookUp(in, a);
    chargeBefore(all, a, index, c);
    if (first > 0) {
        const Step& before = a.steps.list[static_cast<std::size_t>(first) - 1];
        if (before.kind == StepKind::Rest) c.restBefore_s = before.end_s - before.start_s;
    }
    c.temperature_C = shared != nullptr ? shared->temperature_C
                                        : meanTemperature_C(in.recording, step.start_s, step.end_s);
    if (!r.name.starts_with("resistance_")) return c;
    c.delay_s = delayOf(r.name);
    c.floor_V_per_cell = c.set_V_per_cell = c.cutoff_C = kNaN;
    c.beganFull.reset();
    for (const std::size_t k : all.resistances[static_cast<std::size_t>(index)]) {
        const StepResistance& s = stepResistances(in)[k];
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
