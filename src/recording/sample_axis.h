// Where samples stand across a picture: by time, or by the charge that was moved until then. Both
// only ever rise, so one way of drawing serves both.
#pragma once

#include <memory>

#include "recording.h"

namespace nk {

enum class AxisKind {
    Time,    ///< s since the start of the recording
    Charge,  ///< Ah moved since then; charge and discharge both count
};

class SampleAxis {
  public:
    /// Keeps the recording alive. Charge is the integral of |current|, trapezoid rule.
    static std::shared_ptr<const SampleAxis> make(RecordingPtr recording, AxisKind kind);

    AxisKind kind() const { return kind_; }
    /// One value a sample, never falling.
    std::span<const double> column() const;
    double low() const { return column().front(); }
    double high() const { return column().back(); }

    /// Place of a time (s), between samples by a straight line; the ends for times outside.
    double at(double time_s) const;
    /// Time of a place. Where nothing moved (a rest, by charge): the earliest.
    double timeAt(double place) const;

  private:
    SampleAxis(RecordingPtr recording, AxisKind kind);
    RecordingPtr recording_;
    AxisKind kind_;
    std::vector<double> moved_Ah_;
};

using SampleAxisPtr = std::shared_ptr<const SampleAxis>;

/// First index of a rising column whose value is not less than `value`, found quickest when it lies
/// near `guess`.
std::size_t lowerBoundNear(std::span<const double> column, double value, std::size_t guess);

}  // namespace nk
