// Resistance from a load that changes all the time: voltage against current after the slow drift is
// taken away, by robust regression.
#pragma once

#include <optional>

#include "analysis/analysis.h"

namespace nk {

struct LoadResistance {
    double resistance_ohm = 0;
    double uncertainty_ohm = 0;
    std::size_t samples = 0;
    double spread_A = 0;  ///< standard deviation of the current about its drift
};

/// Tukey's bisquare regression (GSL) of the voltage's deviation from its running mean over
/// `window_s` on the current's. Nothing when the current hardly varies, under 30 samples, or when
/// the voltage does not answer.
std::optional<LoadResistance> regressLoad(const Recording& recording, std::size_t first,
                                          std::size_t last, double window_s = 60);

void computeResistanceLoad(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
