#include "variable.h"

#include <algorithm>
#include <cmath>

#include "quantity/spread_index.h"

namespace nk {

namespace {

constexpr double kTurnAtLeastEvery_s = 60;
constexpr std::size_t kTurns = 8;
constexpr std::size_t kLevels = 5;
/// A base level that holds this share of the turns or of the time makes pulses of a stretch.
constexpr double kBaseShare = 0.4;

/// What counts as the same current.
double tolerance_A(const Recording& recording) {
    const auto i = recording.current_A();
    std::vector<double> sizes;
    const std::size_t stride = std::max<std::size_t>(1, i.size() / 20000);
    for (std::size_t k = 0; k < i.size(); k += stride) sizes.push_back(std::abs(i[k]));
    const auto high =
        sizes.begin() + static_cast<std::ptrdiff_t>(0.99 * static_cast<double>(sizes.size() - 1));
    std::nth_element(sizes.begin(), high, sizes.end());
    const ChannelQuality& q = recording.currentQuality();
    return std::max({std::min(10 * q.sigma(), 0.15 * *high), 2.5 * q.resolution, 0.02 * *high});
}

/// Samples at which the current turned by more than the tolerance.
std::vector<std::size_t> turnsOf(const Recording& recording, double tolerance) {
    const auto i = recording.current_A();
    std::vector<std::size_t> turns;
    std::size_t low = 0;
    std::size_t high = 0;
    int direction = 0;
    for (std::size_t k = 1; k < i.size(); ++k) {
        if (i[k] > i[high]) high = k;
        if (i[k] < i[low]) low = k;
        if (direction >= 0 && i[high] - i[k] > tolerance) {
            if (direction > 0) turns.push_back(high);
            direction = -1;
            low = k;
        } else if (direction <= 0 && i[k] - i[low] > tolerance) {
            if (direction < 0) turns.push_back(low);
            direction = 1;
            high = k;
        }
    }
    return turns;
}

struct Spread {
    std::size_t levels = 0;
    double commonest = 0;  ///< share of the values that lie at the commonest level
};

Spread spreadOf(std::vector<double> values, double width) {
    std::sort(values.begin(), values.end());
    Spread out;
    std::size_t best = 0;
    for (std::size_t k = 0, from = 0; k < values.size(); ++k) {
        if (k == 0 || values[k] - values[from] > width) ++out.levels, from = k;
        best = std::max(best, k - from + 1);
    }
    out.commonest = static_cast<double>(best) / static_cast<double>(values.size());
    return out;
}

/// Pulses come back to a base and stay there; a drive does not.
bool pulses(const Recording& recording, std::size_t first, std::size_t last, double tolerance) {
    const auto i = recording.current_A();
    std::vector<double> sample;
    std::size_t flat = 0;
    std::size_t seen = 0;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 4000);
    for (std::size_t k = first; k < last; k += stride) {
        sample.push_back(i[k]);
        ++seen;
        if (std::abs(i[k + 1] - i[k]) < 0.5 * tolerance) ++flat;
    }
    return seen == 0 || (2 * flat > seen && spreadOf(sample, tolerance).commonest > kBaseShare);
}

}  // namespace

std::vector<RestlessStretch> findRestless(const Recording& recording, double restThreshold_A) {
    std::vector<RestlessStretch> out;
    if (recording.size() < 2 * kTurns) return out;
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    const double tolerance = std::max(tolerance_A(recording), 2 * restThreshold_A);
    const double longest_s = std::max(kTurnAtLeastEvery_s, 5 * recording.usualInterval_s());
    const std::vector<std::size_t> turns = turnsOf(recording, tolerance);
    const auto rests = [&](std::size_t k) { return std::abs(i[k]) <= restThreshold_A; };
    for (std::size_t from = 0; from < turns.size();) {
        std::size_t to = from;
        while (to + 1 < turns.size() && t[turns[to + 1]] - t[turns[to]] <= longest_s) ++to;
        const std::size_t count = to - from + 1;
        // At most 10,000 of them, each time another of its neighbours: how many levels there are,
        // and how common the commonest is, more do not tell better.
        std::vector<double> values;
        const std::size_t few = 1 + count / 10000;
        for (std::size_t k = 0; k * few < count; ++k)
            values.push_back(i[turns[from + std::min(k * few + spreadIndex(k, few), count - 1)]]);
        const std::size_t next = to + 1;
        const Spread spread = spreadOf(std::move(values), tolerance);
        if (count >= kTurns && spread.levels >= kLevels &&
            static_cast<double>(spread.levels) >=
                0.1 * static_cast<double>(std::min<std::size_t>(count, 60)) &&
            spread.commonest < kBaseShare &&
            !pulses(recording, turns[from], turns[to], tolerance)) {
            // Outwards to where the current holds still for long, or for a minute.
            RestlessStretch stretch{turns[from], turns[to]};
            const std::size_t floor = out.empty() ? 0 : out.back().last + 1;
            std::size_t still = stretch.first;
            for (std::size_t k = stretch.first; k > floor && t[turns[from]] - t[k - 1] <= longest_s;
                 --k) {
                if (std::abs(i[k - 1] - i[k]) >= 0.5 * tolerance) stretch.first = k, still = k;
                if (t[still] - t[k - 1] > longest_s) break;
            }
            for (std::size_t k = stretch.last;
                 k + 1 < i.size() && t[k + 1] - t[turns[to]] <= longest_s; ++k)
                if (std::abs(i[k + 1] - i[k]) >= 0.5 * tolerance) stretch.last = k;
            // A level held at either end counts while it is not a rest and ends with the log.
            if (t[stretch.first] - t[floor] <= longest_s) stretch.first = floor;
            if (t.back() - t[stretch.last] <= longest_s) stretch.last = i.size() - 1;
            // What follows up to a rest is its end, and what a rest was left by its beginning.
            std::size_t edge = stretch.last + 1;
            while (edge < i.size() && !rests(edge) && t[edge] - t[turns[to]] <= longest_s) ++edge;
            if (edge < i.size() && rests(edge)) stretch.last = edge - 1;
            edge = stretch.first;
            while (edge > floor && !rests(edge - 1) && t[turns[from]] - t[edge - 1] <= longest_s)
                --edge;
            if (edge > floor && rests(edge - 1)) stretch.first = edge;
            while (stretch.first < stretch.last && rests(stretch.first)) ++stretch.first;
            while (stretch.last > stretch.first && rests(stretch.last)) --stretch.last;
            out.push_back(stretch);
        }
        from = next;
    }
    return out;
}

}  // namespace nk
