#include <cmath>

#include "analysis/capacity/capacity.h"
#include "analysis/capacity/event.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

struct Cycle {
    const Event* charge;
    const Event* discharge;
    bool closed = false;  ///< starts and ends at the same state
};

/// Each discharge with the charge right before it. Events stand in the order of time and do not
/// overlap, so one pass over both lists finds them, however many there are.
std::vector<Cycle> cycles(const AnalysisInput& in) {
    const auto& charges = chargeEvents(in);
    const auto& discharges = dischargeEvents(in);
    std::vector<Cycle> out;
    std::size_t charged = 0;  // charges that ended before the discharge began
    std::size_t earlier = 0;  // discharges that ended before that charge began
    for (std::size_t k = 0; k < discharges.size(); ++k) {
        const Event& d = discharges[k];
        while (charged < charges.size() && charges[charged].last < d.first) ++charged;
        if (charged == 0) continue;
        const Event& before = charges[charged - 1];
        // Another discharge between them.
        if (k > 0 && discharges[k - 1].first > before.last) continue;
        while (earlier < k && discharges[earlier].last < before.first) ++earlier;
        const bool empty = earlier > 0 && discharges[earlier - 1].reachedFloor == Known::Yes;
        out.push_back({&before, &d, empty && d.reachedFloor == Known::Yes});
    }
    return out;
}

void fill(const AnalysisInput& in, std::vector<Reading>& out, bool energy) {
    for (const Cycle& cycle : cycles(in)) {
        Reading r;
        r.name = energy ? "energy_efficiency" : "coulombic_efficiency";
        r.unit = "%";
        r.method = energy ? "energy_out_over_in" : "charge_out_over_in";
        r.evidence = {cycle.charge->from_s, cycle.discharge->to_s, cycle.discharge->mainStep()};
        const double given = energy ? cycle.charge->sum.energy_Wh : cycle.charge->sum.charge_Ah;
        const double taken =
            energy ? -cycle.discharge->sum.energy_Wh : -cycle.discharge->sum.charge_Ah;
        // Where the charge says so, its energy is no more known.
        const double in_Ah = cycle.charge->sum.charge_Ah;
        if (in_Ah > 0 && -cycle.discharge->sum.charge_Ah > in_Ah * 1.005 && !cycle.closed) {
            r.caveats.push_back(phrase(
                "Not measurable from this log: more came out than went in, so the charge did not "
                "start from empty. Log a discharge to the floor, a full charge and a discharge to "
                "the floor."));
        } else if (given > 0 && taken > 0) {
            const double ratio = taken / given;
            r.value = 100 * ratio;
            // One instrument measured both: its gain cancels, its offset and the sampling do not.
            InstrumentAccuracy offsetOnly = in.accuracy;
            offsetOnly.currentGain = 0;
            offsetOnly.voltageGain = 0;
            const double uOut =
                energy ? energyUncertainty_Wh(in.recording, cycle.discharge->sum, offsetOnly)
                       : chargeUncertainty_Ah(in.recording, cycle.discharge->sum, offsetOnly);
            const double uIn =
                energy ? energyUncertainty_Wh(in.recording, cycle.charge->sum, offsetOnly)
                       : chargeUncertainty_Ah(in.recording, cycle.charge->sum, offsetOnly);
            // A constant offset acts on both with opposite effect on the ratio: add, do not square.
            r.uncertainty = 100 * ratio * (uOut / taken + uIn / given);
            if (!cycle.closed)
                r.caveats.push_back(phrase(
                    "Charge and discharge are not known to start and end at the same state; log a "
                    "discharge to the floor, a full charge and a discharge to the floor for a true "
                    "efficiency."));
            if (in.accuracy.currentGain > 0)
                r.caveats.push_back(
                    phrase("Assumes the logger reads charge and discharge with the same gain."));
        } else {
            r.caveats.push_back(phrase("No charge moved."));
        }
        out.push_back(std::move(r));
    }
}

}  // namespace

void computeCoulombicEfficiency(const AnalysisInput& in, std::vector<Reading>& out) {
    fill(in, out, false);
}
void computeEnergyEfficiency(const AnalysisInput& in, std::vector<Reading>& out) {
    fill(in, out, true);
}

}  // namespace nk
