// What rest looks like in a log: its threshold and its zero.
#include <algorithm>
#include <cmath>
#include <span>

#include "quantity/extent.h"
#include "segment.h"

namespace nk {

namespace {

/// What the battery holds as far as it is known, or else the largest charge moved in one direction,
/// Ah.
double capacityOrMoved_Ah(const Recording& recording, const Battery& battery) {
    if (battery.capacity_Ah() > 0) return battery.capacity_Ah();
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    double top = 0;
    double run = 0;
    double best = 0;
    for (std::size_t k = 1; k < i.size(); ++k) {
        const double dq = 0.5 * (i[k] + i[k - 1]) * (t[k] - t[k - 1]) / 3600;
        run = run * dq < 0 ? dq : run + dq;
        best = std::max(best, std::abs(run));
        top = std::max(top, std::abs(i[k]));
    }
    return std::max(best, 0.3 * top);
}

struct Run {
    std::size_t first, last;
    double mean, square;  ///< mean current and mean square about it
};

/// Stretches of five samples and more that stay under `limit`.
std::vector<Run> quietRuns(std::span<const double> i, double limit) {
    constexpr std::size_t kLeast = 5;
    std::vector<Run> out;
    std::size_t first = 0;
    double sum = 0, squares = 0;
    for (std::size_t k = 0; k <= i.size(); ++k) {
        if (k < i.size() && std::abs(i[k]) <= limit) {
            if (k == first) sum = squares = 0;
            sum += i[k], squares += i[k] * i[k];
            continue;
        }
        if (k - first >= kLeast) {
            const auto n = static_cast<double>(k - first);
            const double mean = sum / n;
            out.push_back({first, k - 1, mean, std::max(0.0, squares / n - mean * mean)});
        }
        first = k + 1;
        sum = squares = 0;
    }
    return out;
}

double middle(std::vector<double> x) {
    const auto at = x.begin() + static_cast<std::ptrdiff_t>((x.size() - 1) / 2);
    std::nth_element(x.begin(), at, x.end());
    return *at;
}

}  // namespace

RestLevel restLevel(const Recording& recording, const Battery& battery) {
    const ChannelQuality& q = recording.currentQuality();
    double rated = capacityOrMoved_Ah(recording, battery);
    // A worn battery's taper goes far under a hundredth of its label: what a log moves in one go
    // says what it holds, a fifth of the label at the least.
    if (battery.capacity_Ah() > 0) {
        Battery unrated = battery;
        unrated.rated_Ah = unrated.measured_Ah = 0;
        constexpr double kRoom = 1.3, kLeastOfLabel = 0.2;
        rated = std::clamp(kRoom * capacityOrMoved_Ah(recording, unrated), kLeastOfLabel * rated,
                           rated);
    }
    RestLevel out;
    out.threshold_A =
        std::max({rated / 100, std::min(3 * q.noise, rated / 20), 1.01 * q.resolution, 1e-6});
    const auto i = recording.current_A();
    const double top = extentOf(i).size();
    const double limit = std::max(2.51 * q.resolution, std::min(2.5 * out.threshold_A, 0.05 * top));
    const auto runs = quietRuns(i, limit);
    if (runs.empty()) return out;
    // Every run counts as one, so that a long tail of a charge does not outvote the rests.
    std::vector<double> means, squares;
    bool rests = false;
    bool alike = true;
    for (const Run& run : runs) {
        means.push_back(run.mean), squares.push_back(run.square);
        rests |= std::abs(run.mean) <= 0.8 * out.threshold_A;
        alike &= std::abs(run.mean - runs.front().mean) <= 0.3 * std::abs(runs.front().mean);
    }
    const double mean = middle(means);
    const bool ends = runs.front().first == 0 || runs.back().last + 1 == i.size();
    const bool coarse = 4 * q.resolution >= out.threshold_A;
    // An offset of about one coarse step; or, on any display, one level near zero at the log's
    // end and wherever else the current is small, while it never reads zero.
    if ((coarse && std::abs(mean) <= 1.6 * q.resolution) ||
        (!rests && alike && runs.size() >= 2 && ends))
        out.zero_A = mean;
    // Filtered noise is larger than its steps from sample to sample tell.
    const double scatter = std::sqrt(middle(squares));
    out.threshold_A = std::max(out.threshold_A, std::min(3.5 * scatter, 0.04 * top));
    if (out.zero_A != 0) out.threshold_A += 0.5 * std::abs(out.zero_A);
    return out;
}

}  // namespace nk
