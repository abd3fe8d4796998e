// Rainflow counting: a history of charge levels (or anything else) into cycles.
#pragma once

#include <span>
#include <vector>

namespace nk {

struct CountedCycle {
    double range = 0, mean = 0;  ///< in the unit of the history
    double count = 0;            ///< 1, or 0.5 for a half cycle
};

/// Peaks and valleys of a history, its first and last value among them; values that are not finite
/// are passed over, equal neighbours are one.
std::vector<double> reversals(std::span<const double> history);

/// Counted after ASTM E1049-85 (2017), 5.4.4, for a history that does not repeat: what holds the
/// first point and what is left at the end are half cycles. In the order in which they close. Time
/// and memory are linear in the number of reversals.
std::vector<CountedCycle> rainflow(std::span<const double> history);

/// Σ count · range / full: half-way down and back is half a cycle. `full`: the range of one full
/// cycle, above 0.
double equivalentFullCycles(std::span<const CountedCycle> cycles, double full);

}  // namespace nk
