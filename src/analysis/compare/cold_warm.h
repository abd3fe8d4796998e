// Two recordings of one battery side by side: what cold, or age, took away (methods.md §8).
#pragma once

#include <string>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

/// A ratio of the second recording to the first, with its standard uncertainty.
struct Ratio {
    double value = kNaN;
    double uncertainty = kNaN;
    bool known() const { return std::isfinite(value); }
};

struct Comparison {
    Ratio resistance;  ///< at the same delay, the longest that both have up to 10 s
    double delay_s = kNaN;
    Ratio capacity;  ///< delivered, main discharges
    Ratio energy;
    Ratio power;  ///< usable power at the floor: floor·(E − floor)/R, E the rested voltage
    Ratio meanVoltage;
    double firstTemperature_C = kNaN, secondTemperature_C = kNaN;
    double minutesOff = kNaN;  ///< to take off a timer set for the first, at the first's current
    std::vector<std::string> caveats;  ///< conditions that differ
    std::vector<std::string> words;    ///< sentences for people
};

/// What one recording brings to a comparison; holds no samples.
struct CompareSide {
    struct Step {
        double delay_s = 0, resistance_ohm = 0, uncertainty_ohm = 0, soc = kNaN,
               temperature_C = kNaN;
        double rested_V = kNaN;  ///< before the step
    };
    std::vector<Step> steps;
    double charge_Ah = kNaN, chargeUncertainty_Ah = kNaN, energy_Wh = kNaN;
    double voltageUncertainty_V = kNaN;  ///< of the mean voltage, the meter's gain left out
    double current_A = kNaN, endVoltage_V = kNaN, temperature_C = kNaN;
    bool startedFull = false;
    double floor_V = kNaN;  ///< of the whole battery under load
};
/// Of the largest discharge and all step resistances; with a step (an index, else −1) of that
/// discharge and of the steps of the current from its beginning to its end.
CompareSide compareSide(const AnalysisInput& in, int step = -1);
Comparison compareSides(const CompareSide& first, const CompareSide& second);

/// Compares the largest discharge and the step resistances of both, or those of a step of each (see
/// compareSide). Both inputs must describe the same battery.
Comparison compareRecordings(const AnalysisInput& first, const AnalysisInput& second,
                             int firstStep = -1, int secondStep = -1);

}  // namespace nk
