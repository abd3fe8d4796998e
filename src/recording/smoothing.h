// Smoothing and slopes whose lag is stated. All windows are in seconds of recording time, so that
// a slow and a fast log are treated alike.
#pragma once

#include <span>
#include <vector>

namespace nk {

/// A smoothed column and how late it is: a feature at time t shows at t + lag.
struct Smoothed {
    std::vector<double> value;
    double lag_s = 0;
};

/// Mean of the samples within (t − window, t]; lag window/2. NaN samples are left out.
Smoothed trailingMean(std::span<const double> time_s, std::span<const double> column,
                      double window_s);

/// Mean of the samples within ±window/2; no lag, but it looks ahead.
std::vector<double> centredMean(std::span<const double> time_s, std::span<const double> column,
                                double window_s);

/// The same at a few samples, `at` in rising order, NaN at those that are missing themselves: only
/// their windows are summed where that is less work.
std::vector<double> centredMeanAt(std::span<const double> time_s, std::span<const double> column,
                                  double window_s, std::span<const std::size_t> at);

/// Least-squares slope over the samples within (t − window, t], per second; lag window/2. NaN
/// until the window holds three samples that span at least half of it.
Smoothed trailingSlope(std::span<const double> time_s, std::span<const double> column,
                       double window_s);

}  // namespace nk
