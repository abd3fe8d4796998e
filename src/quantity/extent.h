// The smallest and the largest number of a column.
#pragma once

#include <array>
#include <cstddef>
#include <span>

namespace nk {

struct Extent {
    double low = 0, high = 0;

    /// The largest size of a number in it.
    double size() const { return -low > high ? -low : high; }
};

/// Smallest and largest of `column` and `start`, whatever is not a number left out. Four runs side
/// by side: a comparison need not wait for the one before it.
inline Extent extentOf(std::span<const double> column, double start = 0) {
    constexpr std::size_t kRuns = 4;
    std::array<double, kRuns> low{}, high{};
    low.fill(start);
    high.fill(start);
    const auto take = [&](std::size_t run, double x) {
        low[run] = x < low[run] ? x : low[run];
        high[run] = x > high[run] ? x : high[run];
    };
    std::size_t k = 0;
    for (; k + kRuns <= column.size(); k += kRuns)
        for (std::size_t run = 0; run < kRuns; ++run) take(run, column[k + run]);
    for (; k < column.size(); ++k) take(0, column[k]);
    Extent out{low[0], high[0]};
    for (std::size_t run = 1; run < kRuns; ++run) {
        if (low[run] < out.low) out.low = low[run];
        if (high[run] > out.high) out.high = high[run];
    }
    return out;
}

}  // namespace nk
