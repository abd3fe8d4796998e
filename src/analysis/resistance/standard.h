// Resistance by the standards' own two-level procedures.
#pragma once

#include "analysis/analysis.h"

namespace nk {

/// One two-level measurement found in a recording.
struct TwoLevel {
    double resistance_ohm = kNaN;
    double uncertainty_ohm = kNaN;
    double low_A = 0, high_A = 0;  ///< sizes of the two currents
    double lowHeld_s = 0, highDelay_s = 0;
    int step = -1;  ///< of the second level
    double from_s = 0, to_s = 0;
    std::string cell;  ///< nickel: L, M, or H and X
    std::string note;
};

/// IEC 61960-3 (lithium): 0.2 It for 10 s, then 1.0 It for 1 s; R = (U1 − U2)/(I2 − I1).
/// IEC 61951-2 (nickel metal hydride), from memory and uncertain: 10 s then 3 s at 0.2 and 2.0 It
/// (type L), 0.5 and 5 It (M), 1 and 10 It (H and X). Levels count within 15 %. Needs the rated
/// capacity.
std::vector<TwoLevel> twoLevelResistances(const AnalysisInput& in);

void computeResistanceIec61960(const AnalysisInput& in, std::vector<Reading>& out);
void computeResistanceIec61951(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
