// A recording that grows while it is made: rows are appended, its min/max pyramids grow with it,
// and at any moment it can be taken as a recording like any other, the same as if all its rows had
// come at once.
#pragma once

#include <vector>

#include "pyramid.h"
#include "quantity/error.h"
#include "recording.h"

namespace nk {

struct LiveRow {
    double time_s = kNaN;  ///< from the start; never smaller than the one before
    double voltage_V = kNaN, current_A = kNaN;
    double temperature_C = kNaN;       ///< NaN: not measured in this row
    std::vector<double> cells_V = {};  ///< as many in every row
};

class LiveRecording {
  public:
    /// What the instrument writes: its last decimals (0: unknown), whether it has a temperature,
    /// how many cells.
    struct Shape {
        bool temperature = false;
        std::size_t cells = 0;
        double step_V = 0, step_A = 0, step_C = 0;
    };
    explicit LiveRecording(const Shape& shape);

    /// Errors: a time, voltage or current that is no number, a time before the last one, another
    /// number of cells. The row is not taken then; it is a problem of the recording.
    Expected<void> append(const LiveRow& row);
    std::size_t size() const { return data_.time_s.size(); }
    const RecordingData& data() const { return data_; }

    /// Smallest and largest voltage, current or temperature of rows [first, last).
    MinMax range(Channel channel, std::size_t first, std::size_t last) const;

    /// The recording as it is now; its silences are gaps (silence.h).
    RecordingPtr snapshot() const;

  private:
    Shape shape_;
    RecordingData data_;
    Pyramid voltage_, current_, temperature_;
    std::int64_t rows_ = 0;  ///< that came, taken or not
};

}  // namespace nk
