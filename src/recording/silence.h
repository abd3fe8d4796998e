// Where a logger was silent: one rule for logs that are read and recordings that grow.
#pragma once

#include <span>
#include <vector>

#include "recording.h"

namespace nk {

/// Median of the time steps, s; 0 without any. Looks at no more than about 50,000 of them.
double usualStep_s(std::span<const double> time_s);

/// Steps of the time over five usual ones, and over three times the 95th percentile of all: loggers
/// that write unevenly are not silent.
std::vector<Gap> silences(std::span<const double> time_s, double usual_s);

}  // namespace nk
