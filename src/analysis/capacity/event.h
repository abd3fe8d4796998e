// A discharge or charge as a whole: the steps between two changes of direction, with the
// conditions that make its capacity comparable or not.
#pragma once

#include <vector>

#include "analysis/analysis.h"

namespace nk {

enum class Known { Yes, No, Unknown };

struct Event {
    std::vector<int> steps;  ///< indices into Steps::list
    std::size_t first = 0, last = 0;
    Integral sum;  ///< of the event's steps only
    double from_s = 0, to_s = 0;
    double meanCurrent_A = 0;  ///< mean over the active time
    double meanTemperature_C = kNaN;
    double endVoltage_V = 0;
    Known fullAtStart = Known::Unknown;  ///< of a discharge
    std::string fullBecause;             ///< how that is known, in words
    double startSoc = kNaN;              ///< from a rested voltage, when there was one
    double startSocUncertainty = kNaN;
    Known reachedFloor = Known::Unknown;
    /// Full is 1: to which level the charge before it was held, by its set voltage; NaN: not known.
    double fromLevel = kNaN;
    /// How steeply the voltage falls at the end of a discharge over the charge taken, V/Ah of the
    /// whole, not negative; its relative standard uncertainty. NaN: not measurable.
    double endSlope_V_Ah = kNaN, endSlopeShare = kNaN;
    /// Standard uncertainty of the end voltage of the whole: meter, resolution, noise.
    double endDoubt_V = kNaN;

    int mainStep() const;  ///< the step that holds most of the charge
    int main = -1;
};

const std::vector<Event>& dischargeEvents(const AnalysisInput& in);
const std::vector<Event>& dischargeEvents(AnalysisInput&&) = delete;
const std::vector<Event>& chargeEvents(const AnalysisInput& in);
const std::vector<Event>& chargeEvents(AnalysisInput&&) = delete;
/// Charge (Ah, may be negative) that a discharge which ended at `end_V` would still give down to
/// `floor_V`, along its own last slope (methods.md §16). NaN: no slope, or more than a twentieth of
/// its charge: nobody can say.
double carryTo_Ah(double end_V, double floor_V, double slope_V_Ah, double charge_Ah);

/// Why the charge (or energy) of an event is not measurable, in words: its 95 % interval reaches
/// nothing or the other direction, or there is no voltage. Empty when it is measurable.
std::string whyNoCharge(const AnalysisInput& in, const Event& e, bool energy = false);
/// Charge since the first sample, Ah, one value a sample.
const std::vector<double>& runningCharge_Ah(const AnalysisInput& in);
const std::vector<double>& runningCharge_Ah(AnalysisInput&&) = delete;

}  // namespace nk
