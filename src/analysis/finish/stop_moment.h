// The moment at which a step ended, which lies between two rows of the log, and what a channel read
// there.
#pragma once

#include <span>

#include "quantity/uncertainty.h"
#include "recording/recording.h"
#include "steps/step.h"

namespace nk {

/// When a step ended: the middle between its last row and the next, or the last row where the log
/// ends.
struct StopMoment {
    std::size_t last = 0;  ///< last row that belongs to the step for sure
    double at_s = 0;
    double halfWidth_s = 0;  ///< rectangle
};
StopMoment stopOf(const Recording& recording, const Step& step);

/// A polynomial through samples, read at a moment.
struct ReadAt {
    double value = kNaN;
    double slope = kNaN;        ///< per second, there
    double uncertainty = kNaN;  ///< of the value, standard, from the scatter about the polynomial
    double freedom = 0;         ///< degrees of freedom of that scatter
};

/// Least squares of `order` (1 or 2) through samples [first, last], read at `at_s`. `leastSigma`:
/// scatter is never taken to be smaller. Residuals that follow one another widen it by (1 + rho)/(1
/// - rho), rho their lag-one autocorrelation. NaN with fewer than order + 2 samples.
ReadAt readAt(std::span<const double> t_s, std::span<const double> y, std::size_t first,
              std::size_t last, double at_s, int order, double leastSigma);

/// The current of a taper at its stop: its tail read there, between the last row and the next.
struct StopCurrent {
    double value_A = kNaN;
    double uncertainty_A = kNaN;  ///< standard
    double coverage = 2;
    double from_s = kNaN;  ///< of the tail that was read
    double low_A() const { return value_A - coverage * uncertainty_A; }
};
StopCurrent stopCurrentOf(const Recording& recording, const InstrumentAccuracy& accuracy,
                          const Step& step);

}  // namespace nk
