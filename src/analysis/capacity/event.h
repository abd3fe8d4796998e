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

    int mainStep() const;  ///< the step that holds most of the charge
    int main = -1;
};

const std::vector<Event>& dischargeEvents(const AnalysisInput& in);
const std::vector<Event>& dischargeEvents(AnalysisInput&&) = delete;
const std::vector<Event>& chargeEvents(const AnalysisInput& in);
const std::vector<Event>& chargeEvents(AnalysisInput&&) = delete;
/// Why the charge (or energy) of an event is not measurable, in words: its 95 % interval reaches
/// nothing or the other direction, or there is no voltage. Empty when it is measurable.
std::string whyNoCharge(const AnalysisInput& in, const Event& e, bool energy = false);
/// Charge since the first sample, Ah, one value a sample.
const std::vector<double>& runningCharge_Ah(const AnalysisInput& in);
const std::vector<double>& runningCharge_Ah(AnalysisInput&&) = delete;

}  // namespace nk
