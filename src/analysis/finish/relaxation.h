// What the voltage does in the rest after a charge or discharge (methods.md §5, §8).
#pragma once

#include <optional>

#include "analysis/analysis.h"

namespace nk {

/// V(t) = rested + amplitude·exp(−(t − start)/tau), fitted to the later part of a rest.
struct Relaxation {
    double rested_V = 0;
    double uncertainty_V = 0;
    double tau_s = 0;
    double last_V = 0;     ///< the last voltage of the rest itself
    bool settled = false;  ///< the fit moves less than the noise beyond the last sample
};

/// Nothing for rests under two minutes.
std::optional<Relaxation> fitRelaxation(const Recording& recording, const Step& rest);

/// The same for step `k` of the log. The rests after charges and discharges are fitted once.
std::optional<Relaxation> relaxationAt(const AnalysisInput& in, std::size_t k);

void computeRestedVoltage(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
