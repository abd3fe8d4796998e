// The time axis of the lanes, for the strips above and below them.
#pragma once

#include <algorithm>

namespace nk {

/// Recording time (s) to widget pixels and back, over the edges of the lanes.
struct TimeScale {
    double low_s = 0, high_s = 1;
    int left = 52, right = 400;

    /// A scale that always has some width.
    static TimeScale over(double low_s, double high_s, int left, int right) {
        return {low_s, std::max(high_s, low_s + 1e-9), left, right};
    }
    double span_s() const { return high_s - low_s; }
    bool holds(double time_s) const { return time_s >= low_s && time_s <= high_s; }
    double xOf(double time_s) const { return left + (time_s - low_s) / span_s() * (right - left); }
    double timeAt(double x) const {
        return low_s + span_s() * (x - left) / std::max(1, right - left);
    }
};

}  // namespace nk
