#include "sample_axis.h"

#include <algorithm>
#include <cassert>

#include "integral.h"

namespace nk {

namespace {

/// Reads a line through points (from[k], to[k]) at x; both columns rise.
double read(std::span<const double> from, std::span<const double> to, double x) {
    const auto after = std::lower_bound(from.begin(), from.end(), x);
    if (after == from.begin()) return to.front();
    if (after == from.end()) return to.back();
    const auto k = static_cast<std::size_t>(after - from.begin());
    const double width = from[k] - from[k - 1];
    const double part = width > 0 ? (x - from[k - 1]) / width : 1;
    return to[k - 1] + part * (to[k] - to[k - 1]);
}

}  // namespace

SampleAxis::SampleAxis(RecordingPtr recording, AxisKind kind)
    : recording_(std::move(recording)), kind_(kind) {
    if (kind == AxisKind::Charge) moved_Ah_ = movedCharge_Ah(*recording_);
}

SampleAxisPtr SampleAxis::make(RecordingPtr recording, AxisKind kind) {
    assert(recording && !recording->empty());
    return SampleAxisPtr(new SampleAxis(std::move(recording), kind));
}

std::span<const double> SampleAxis::column() const {
    return kind_ == AxisKind::Time ? recording_->time_s() : std::span<const double>(moved_Ah_);
}

double SampleAxis::at(double time_s) const {
    return kind_ == AxisKind::Time ? time_s : read(recording_->time_s(), moved_Ah_, time_s);
}

double SampleAxis::timeAt(double place) const {
    return kind_ == AxisKind::Time ? place : read(moved_Ah_, recording_->time_s(), place);
}

std::size_t lowerBoundNear(std::span<const double> column, double value, std::size_t guess) {
    // Doubling steps away from the guess until the answer lies between low and high.
    std::size_t low = std::min(guess, column.size());
    std::size_t high = low;
    for (std::size_t step = 1; low > 0 && column[low - 1] >= value; step *= 2) {
        high = low;
        low -= std::min(step, low);
    }
    for (std::size_t step = 1; high < column.size() && column[high] < value; step *= 2) {
        low = high;
        high += std::min(step, column.size() - high);
    }
    const auto from = column.begin() + static_cast<std::ptrdiff_t>(low);
    const auto to = column.begin() + static_cast<std::ptrdiff_t>(high);
    return static_cast<std::size_t>(std::lower_bound(from, to, value) - column.begin());
}

}  // namespace nk
