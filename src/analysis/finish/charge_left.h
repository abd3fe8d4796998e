// What a constant-voltage charge still had to take in when it stopped, and how full that left the
// battery (methods.md §5, estimators.md).
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

/// Charge that would still enter from the stop on, at the terminal voltage of the stop, until the
/// current over any floor is under rated/1000.
struct ChargeLeft {
    double left_Ah = kNaN;
    double uncertainty_Ah = kNaN;  ///< standard
    double coverage = 2;
    double from_s = 0, to_s = 0;  ///< rows of the line
    double regulator_ohm = 0;     ///< resistance of a soft regulator; 0: the voltage stood still
    std::vector<std::string> caveats;
    std::string why;  ///< why there is no value
};

/// Over the charge that entered the current of a late taper is a straight line (one exponential in
/// time), and a bent one where diffusion or the open-circuit voltage bends it. The line through the
/// part under twice the last current is carried on to rated/1000; a parabola through three times
/// the last current tells how far it can be trusted. Where the regulator lets the voltage rise with
/// the falling current, the fall is that of the cell and the regulator together; the rested voltage
/// after the stop, or the resistance of the log, parts them.
const ChargeLeft& chargeLeftOf(const AnalysisInput& in, int step);
const ChargeLeft& chargeLeftOf(AnalysisInput&&, int) = delete;

/// How full: D/(D + left), D what a slow discharge from the stop delivers. From a discharge to the
/// floor that follows in the log, or the charge that was counted up from a floor; else from what is
/// known of the capacity: at least what went in, half to 1.05 of the rating (common practice).
struct Fullness {
    double share = kNaN;        ///< 0 to 1
    double uncertainty = kNaN;  ///< standard
    double coverage = 2;
    std::vector<std::string> caveats;
};
Fullness fullnessOf(const AnalysisInput& in, int step);

void computeChargeLeft(const AnalysisInput& in, std::vector<Reading>& out);
void computeFullness(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
