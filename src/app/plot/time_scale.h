// The axis of the lanes, for the strips above and below them.
#pragma once

#include <algorithm>

#include "recording/sample_axis.h"

namespace nk {

/// Recording time (s) to widget pixels and back, over the edges of the lanes. Without an axis it
/// is linear in time.
struct TimeScale {
    double low = 0, high = 1;  ///< shown places along the axis: s, or Ah
    int left = 52, right = 400;
    SampleAxisPtr axis;

    /// A scale that always has some width.
    static TimeScale over(double low_s, double high_s, int left, int right,
                          SampleAxisPtr axis = nullptr) {
        const double from = axis ? axis->at(low_s) : low_s;
        const double to = axis ? axis->at(high_s) : high_s;
        return {from, std::max(to, from + 1e-9), left, right, std::move(axis)};
    }
    double placeOf(double time_s) const { return axis ? axis->at(time_s) : time_s; }
    bool holds(double time_s) const {
        const double place = placeOf(time_s);
        return place >= low && place <= high;
    }
    double xOf(double time_s) const {
        return left + (placeOf(time_s) - low) / (high - low) * (right - left);
    }
    double timeAt(double x) const {
        const double place = low + (high - low) * (x - left) / std::max(1, right - left);
        return axis ? axis->timeAt(place) : place;
    }
    double low_s() const { return timeAt(left); }
    double high_s() const { return timeAt(right); }
    /// The time that stands a part of the shown width further right.
    double shifted(double time_s, double part) const {
        return timeAt(xOf(time_s) + part * (right - left));
    }
};

}  // namespace nk
