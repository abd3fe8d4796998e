// When the current turned, where one interval of the log does not say: breaks of a model, the ramp
// of the voltage, the changes of a display's code, and how they are weighed.
#pragma once

#include <span>
#include <vector>

#include "knee.h"

namespace nk {

/// The middle one of the values; 0 where there are none.
double middleOf(std::vector<double> values);
/// Median of the samples [first, last], at most about 2000 of them.
double medianIn(std::span<const double> column, std::size_t first, std::size_t last);
/// Quantile `q` (0 … 1) of the samples [first, last], at most about 4000 of them.
double quantileIn(std::span<const double> column, std::size_t first, std::size_t last, double q);

/// Noisy or coarse data: moves `knee` to the moment that the witnesses agree on, with its doubt. A
/// parabola follows the fall only for a while, so no more of it is looked at than lifts it out of
/// noise and resolution; what half of that would say instead tells how far the model can be
/// trusted.
void refineKnee(const Recording& recording, std::size_t first, std::size_t last, Knee& knee);

}  // namespace nk
