#include "live_recording.h"

#include <cmath>

#include "quantity/phrase.h"
#include "silence.h"

namespace nk {

LiveRecording::LiveRecording(const Shape& shape) : shape_(shape) {
    data_.cells_V.resize(shape.cells);
    data_.textStep_V = shape.step_V;
    data_.textStep_A = shape.step_A;
    data_.textStep_C = shape.step_C;
}

Expected<void> LiveRecording::append(const LiveRow& row) {
    ++rows_;
    const auto refuse = [&](const char* kind, std::string what) {
        data_.problems.push_back(
            {rows_, data_.time_s.empty() ? kNaN : data_.time_s.back(), kind, what});
        return fail(ErrorKind::InvalidArgument, std::move(what), phrase("row {}", rows_),
                    phrase("a time that does not go back, and numbers for voltage and current."));
    };
    if (!std::isfinite(row.time_s) || !std::isfinite(row.voltage_V) ||
        !std::isfinite(row.current_A))
        return refuse("bad_row", phrase("The row has no time, no voltage or no current."));
    if (row.cells_V.size() != shape_.cells)
        return refuse("bad_row",
                      phrase("The row has {} cells and not {}.", row.cells_V.size(), shape_.cells));
    if (!data_.time_s.empty() && row.time_s < data_.time_s.back())
        return refuse("out_of_order", phrase("The row's time lies before the one before it."));
    data_.time_s.push_back(row.time_s);
    data_.voltage_V.push_back(row.voltage_V);
    data_.current_A.push_back(row.current_A);
    if (shape_.temperature) data_.temperature_C.push_back(row.temperature_C);
    for (std::size_t c = 0; c < shape_.cells; ++c) data_.cells_V[c].push_back(row.cells_V[c]);
    voltage_.grow(data_.voltage_V);
    current_.grow(data_.current_A);
    if (shape_.temperature) temperature_.grow(data_.temperature_C);
    return {};
}

MinMax LiveRecording::range(Channel channel, std::size_t first, std::size_t last) const {
    switch (channel) {
        case Channel::Voltage:
            return voltage_.range(first, last);
        case Channel::Current:
            return current_.range(first, last);
        case Channel::Temperature:
            return temperature_.range(first, last);
        case Channel::Time:
            break;
    }
    if (last > data_.time_s.size()) last = data_.time_s.size();
    if (first >= last) return {kNaN, kNaN};
    return {data_.time_s[first], data_.time_s[last - 1]};
}

RecordingPtr LiveRecording::snapshot() const {
    RecordingData copy = data_;
    copy.gaps = silences(copy.time_s, usualStep_s(copy.time_s));
    return Recording::make(std::move(copy));
}

}  // namespace nk
