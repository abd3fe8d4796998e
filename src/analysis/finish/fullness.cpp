// Fullness, and the readings of charge_left.h.
#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "charge_left.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "quantity/two_threads.h"

namespace nk {

namespace {

/// What a slow discharge from the stop delivers, with its standard uncertainty.
struct Delivers {
    double charge_Ah = kNaN, uncertainty_Ah = 0;
};

/// The first event that starts at `from_s` or later; null when there is none.
const Event* firstFrom(const std::vector<Event>& events, double from_s) {
    const auto it = std::partition_point(events.begin(), events.end(),
                                         [from_s](const Event& e) { return e.from_s < from_s; });
    return it != events.end() ? &*it : nullptr;
}

/// The charge that holds a step; null when there is none.
const Event* chargeOf(const AnalysisInput& in, const Step& step) {
    const auto& events = chargeEvents(in);
    const auto it = std::partition_point(events.begin(), events.end(),
                                         [&](const Event& e) { return e.to_s < step.end_s - 1; });
    return it != events.end() && it->from_s <= step.start_s ? &*it : nullptr;
}

Delivers deliversAfter(const AnalysisInput& in, int index) {
    Delivers out;
    const Step& step = in.steps.list[static_cast<std::size_t>(index)];
    // The next thing that happens must be a discharge to the floor.
    const Event* e = firstFrom(dischargeEvents(in), step.end_s - 1);
    const Event* charge = firstFrom(chargeEvents(in), step.end_s - 1);
    if (e == nullptr || e->reachedFloor != Known::Yes ||
        (charge != nullptr && charge->from_s < e->from_s))
        return out;
    out.charge_Ah = -e->sum.charge_Ah;
    const double rate =
        in.battery.capacity_Ah() > 0 ? std::abs(e->meanCurrent_A) / in.battery.capacity_Ah() : 0.5;
    // Faster than C/5, or cold, it delivers less: a twentieth for each C, a hundredth for each 5 K
    // (common practice, no source).
    const double cold = std::isfinite(e->meanTemperature_C)
                            ? std::max(0.0, 20 - e->meanTemperature_C) / 5 * 0.01
                            : 0.01;
    const double less = std::max(0.0, rate - 0.25) * 0.05 + cold;
    out.charge_Ah *= 1 + 0.5 * less;
    out.uncertainty_Ah = out.charge_Ah * (0.01 + 0.5 * less);
    return out;
}

Delivers countedUp(const AnalysisInput& in, int index) {
    Delivers out;
    const Chemistry* chemistry = in.chemistry();
    const Event* charge = chargeOf(in, in.steps.list[static_cast<std::size_t>(index)]);
    if (charge == nullptr || (chemistry != nullptr && chemistry->nickel())) return out;
    // The last thing before it must be a discharge to the floor.
    const auto& discharges = dischargeEvents(in);
    const auto& charges = chargeEvents(in);
    const auto after =
        std::partition_point(discharges.begin(), discharges.end(),
                             [&](const Event& d) { return d.to_s <= charge->from_s + 1; });
    if (after == discharges.begin() || (after - 1)->reachedFloor != Known::Yes) return out;
    const bool first = charge == &charges.front();
    if (!first && (charge - 1)->from_s >= (after - 1)->to_s - 1) return out;
    out.charge_Ah = charge->sum.charge_Ah;
    out.uncertainty_Ah = 0.025 * out.charge_Ah;
    return out;
}

}  // namespace

Fullness fullnessOf(const AnalysisInput& in, int index) {
    Fullness out;
    const ChargeLeft& left = chargeLeftOf(in, index);
    if (!std::isfinite(left.left_Ah)) {
        out.caveats.push_back(left.why);
        return out;
    }
    const double l = std::max(0.0, left.left_Ah);
    Delivers d = deliversAfter(in, index);
    if (!std::isfinite(d.charge_Ah)) d = countedUp(in, index);
    double capacityTerm = 0;
    if (std::isfinite(d.charge_Ah)) {
        const double whole = d.charge_Ah + l;
        out.share = d.charge_Ah / whole;
        capacityTerm = l * d.uncertainty_Ah / (whole * whole);
        out.uncertainty =
            std::hypot(d.charge_Ah * left.uncertainty_Ah / (whole * whole), capacityTerm);
    } else {
        const Event* charge = chargeOf(in, in.steps.list[static_cast<std::size_t>(index)]);
        const double in_Ah = charge != nullptr ? charge->sum.charge_Ah : 0;
        const double rated =
            in.battery.capacity_Ah() > 0 ? in.battery.capacity_Ah() : 2 * (in_Ah + l);
        // What it was measured to hold may be of another day: a seventh less or more of it.
        const bool known = in.battery.measured_Ah > 0;
        const double low = std::max((known ? 0.86 : 0.5) * rated, in_Ah + l);
        const double high = std::max((known ? 1.14 : 1.05) * rated, 1.1 * low);
        const double least = std::clamp(1 - l / low, 0.0, 1.0);
        const double most = std::clamp(1 - l / high, 0.0, 1.0);
        out.share = 0.5 * (least + most);
        capacityTerm = rectangle(0.5 * (most - least));
        out.uncertainty = std::hypot(left.uncertainty_Ah / (0.5 * (low + high)), capacityTerm);
        out.caveats.push_back(
            known ? phrase("Of the {} it was measured to hold, a seventh less or more.",
                           shortValue(rated, "Ah"))
            : in.battery.rated_Ah > 0
                ? phrase("What it holds is not in this log: taken between half and all of the "
                         "rating, and at least what went in. A discharge to the floor after the "
                         "charge makes it sharper.")
                : phrase("The rated capacity is not given: what it holds is taken as one to two "
                         "times what went in."));
    }
    out.coverage = coverageFactor(out.uncertainty, capacityTerm);
    out.caveats.push_back(phrase("Of what this set voltage holds, not of what another one would."));
    return out;
}

namespace {

template <class Fill>
void eachTail(const AnalysisInput& in, std::vector<Reading>& out, const char* name,
              const char* unit, const char* method, Fill fill) {
    const auto& list = in.steps.list;
    collectInTwo(list.size(), 500, out, [&](std::size_t k, std::vector<Reading>& to) {
        if (list[k].kind != StepKind::CvCharge) return;
        const ChargeLeft& left = chargeLeftOf(in, static_cast<int>(k));
        Reading r;
        r.name = name;
        r.unit = unit;
        r.method = method;
        r.evidence = {left.from_s, left.to_s, static_cast<int>(k)};
        if (std::isfinite(left.left_Ah))
            fill(left, static_cast<int>(k), r);
        else
            r.caveats.push_back(left.why);
        to.push_back(std::move(r));
    });
}

}  // namespace

void computeChargeLeft(const AnalysisInput& in, std::vector<Reading>& out) {
    eachTail(in, out, "charge_left_at_stop", "Ah", "current_over_charge_carried_on",
             [](const ChargeLeft& left, int, Reading& r) {
                 r.value = left.left_Ah;
                 r.uncertainty = left.uncertainty_Ah;
                 r.coverage = left.coverage;
                 r.caveats = left.caveats;
             });
}

void computeFullness(const AnalysisInput& in, std::vector<Reading>& out) {
    eachTail(in, out, "fullness_at_stop", "%", "delivered_over_delivered_and_left",
             [&](const ChargeLeft&, int k, Reading& r) {
                 const Fullness full = fullnessOf(in, k);
                 r.value = 100 * full.share;
                 r.uncertainty = 100 * full.uncertainty;
                 r.coverage = full.coverage;
                 r.caveats = full.caveats;
             });
}

}  // namespace nk
