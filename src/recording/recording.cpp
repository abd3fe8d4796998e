#include "recording.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <cstdint>
#include <numeric>

#include "quantity/phrase.h"
#include "quantity/two_threads.h"

namespace nk {

namespace {

constexpr std::size_t kBlock = 2048;
constexpr std::size_t kBlocks = 30;

/// Calls visit(first, last) for up to kBlocks stretches spread evenly over [0, n).
template <class Visit>
void sampleBlocks(std::size_t n, Visit visit) {
    if (n <= kBlock * kBlocks) {
        visit(std::size_t{0}, n);
        return;
    }
    for (std::size_t b = 0; b < kBlocks; ++b) {
        const std::size_t first = (n - kBlock) / (kBlocks - 1) * b;
        visit(first, first + kBlock);
    }
}

double medianOf(std::vector<double>& values) {
    if (values.empty()) return 0;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// Smallest difference that occurs often: at least 1 % of the non-zero ones, with hardly any
/// smaller (the steps of a dense edge repeat too, but a smooth fall goes by less).
double resolutionOf(std::vector<double>& differences, double textStep, double range) {
    std::sort(differences.begin(), differences.end());
    const double tolerance = textStep > 0 ? textStep * 0.25 : 1e-9;
    const auto often = std::max<std::size_t>(3, differences.size() / 100);
    std::size_t first = 0;
    while (first < differences.size() &&
           first <= std::max<std::size_t>(3, differences.size() / 10)) {
        std::size_t last = first + 1;
        const double limit = differences[first] + std::max(tolerance, differences[first] * 1e-6);
        while (last < differences.size() && differences[last] <= limit) ++last;
        if (last - first >= often) {
            // A few equal jumps of a clean signal are no resolution.
            const double step = differences[first + (last - first) / 2];
            return step < range / 20 || step < 3 * textStep ? step : textStep;
        }
        first = last;
    }
    return textStep;
}

/// The step that all values of the column are multiples of, in place of the last written decimal.
/// Three values at least must say so, or two where a small one of them stands for zero; round
/// settings alone say nothing.
double latticeOf(std::span<const double> column, double textStep) {
    if (textStep <= 0) return 0;
    std::int64_t common = 0;
    std::int64_t top = 0;
    std::int64_t smallest = 0;
    std::vector<std::int64_t> seen;
    constexpr std::size_t kLooked = 40;
    bool zero = false;
    bool whole = true;
    sampleBlocks(column.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; whole && k < to; ++k) {
            if (!std::isfinite(column[k])) continue;
            const double steps = column[k] / textStep;
            const double rounded = std::round(steps);
            whole = std::abs(steps - rounded) < 0.01 && std::abs(rounded) < 1e12;
            const auto n = static_cast<std::int64_t>(std::abs(rounded));
            zero |= n == 0;
            if (n == 0) continue;
            common = std::gcd(common, n);
            whole &= common > 1;
            top = std::max(top, n);
            smallest = smallest == 0 ? n : std::min(smallest, n);
            if (seen.size() < kLooked && std::find(seen.begin(), seen.end(), n) == seen.end())
                seen.push_back(n);
        }
    });
    const bool enough = seen.size() >= 3 || (seen.size() == 2 && !zero);
    // Settings lie far apart, and are few; the codes of a display lie side by side, most of them.
    std::ranges::sort(seen);
    std::size_t side = 0;
    for (std::size_t k = 1; k < seen.size(); ++k) side += seen[k] - seen[k - 1] == common;
    const bool beside = seen.size() >= 8 && 3 * side >= 2 * (seen.size() - 1);
    return whole && enough && (smallest == common || beside) && 20 * common <= top
               ? static_cast<double>(common) * textStep
               : 0;
}

/// Of a channel that has a few levels only, as a temperature in whole degrees: the common divisor
/// of what they lie apart, whatever the noise. Nothing where fewer than four changes say so (one,
/// in fifty rows and more), or the step would be over two units.
double narrowLattice(std::span<const double> column, double textStep) {
    if (textStep <= 0) return 0;
    constexpr double kWidest = 2.01;
    std::int64_t common = 0;
    std::int64_t base = 0;
    std::int64_t before = 0;
    std::size_t changes = 0;
    bool any = false;
    bool whole = true;
    sampleBlocks(column.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; whole && k < to; ++k) {
            if (!std::isfinite(column[k])) continue;
            const double steps = column[k] / textStep;
            whole = std::abs(steps - std::round(steps)) < 0.01 && std::abs(steps) < 1e12;
            const auto n = static_cast<std::int64_t>(std::llround(steps));
            if (!any) base = before = n, any = true;
            common = std::gcd(common, std::abs(n - base));
            changes += n != before;
            before = n;
        }
    });
    const double step = static_cast<double>(common) * textStep;
    return whole && changes >= 4 && step <= kWidest ? step : 0;
}

double noiseOf(std::vector<double>& second, double resolution) {
    if (second.empty()) return 0;
    const double median = medianOf(second);
    // A second difference of independent noise has variance 6σ².
    if (median > 6 * resolution) return 1.4826 * median / std::sqrt(6.0);
    // Coarse steps: a median of them says little. The mean square of all but edges (six steps, or
    // six times what the median says), less what rounding alone gives, q²/12 a sample.
    const double limit = 6 * std::max(resolution, 1.4826 * median);
    double sum = 0;
    std::size_t count = 0;
    for (const double d : second)
        if (d <= limit) sum += d * d, ++count;
    if (count == 0) return 0;
    const double variance = sum / static_cast<double>(count) / 6.0;
    return std::sqrt(std::max(0.0, variance - resolution * resolution / 12));
}

/// Lag-one correlation of the noise, over stretches of 200 samples without edges or ramps: for
/// noise that follows x' = ρ·x + e the differences of neighbours correlate by −(1 − ρ)/2 at one lag
/// and ρ times that at two; what rounding adds is white and is taken off. Where the two lags do not
/// agree on ρ (the staircase of a slow ramp) there is none.
double followOf(std::span<const double> column, double resolution) {
    constexpr std::size_t kStretch = 200;
    double c0 = 0, c1 = 0, c2 = 0, count = 0;
    sampleBlocks(column.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t first = from; first + kStretch <= to; first += kStretch) {
            double s0 = 0, s1 = 0, s2 = 0, biggest = 0, sum = 0, d1 = 0, d2 = 0;
            std::size_t moving = 0;
            for (std::size_t k = first + 1; k < first + kStretch; ++k) {
                const double d = column[k] - column[k - 1];
                if (!std::isfinite(d)) continue;
                s0 += d * d, s1 += d * d1, s2 += d * d2, sum += d;
                biggest = std::max(biggest, d * d);
                moving += std::abs(d) > 1e-12;
                d2 = d1, d1 = d;
            }
            // Not an edge, not a ramp, and enough going on.
            if (moving < kStretch / 4 || biggest > 0.2 * s0 || sum * sum > 0.2 * s0 * kStretch)
                continue;
            c0 += s0, c1 += s1, c2 += s2, count += kStretch - 1;
        }
    });
    const double rounding = count * resolution * resolution / 12;
    c0 -= 2 * rounding, c1 += rounding;
    if (count < kStretch || c0 <= 0 || c1 >= 0) return 0;
    const double one = 1 + 2 * c1 / c0;
    const double two = c2 / c1;
    if (one < 0.15 || std::abs(one - two) > 0.25) return 0;
    return std::clamp(one, 0.0, 0.9);
}

/// Scatter of the current that the voltage does not answer. A drive changes all the time, and its
/// voltage with it: that is no noise. Returns the smaller of `noise` and the robust residual of the
/// current's second differences about their line over the voltage's, where the two go together.
double unansweredNoise(std::span<const double> voltage, std::span<const double> current,
                       double noise) {
    std::vector<double> di, dv;
    sampleBlocks(current.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from + 1; k + 1 < to; ++k) {
            const double a = current[k - 1] - 2 * current[k] + current[k + 1];
            const double b = voltage[k - 1] - 2 * voltage[k] + voltage[k + 1];
            if (std::isfinite(a) && std::isfinite(b)) di.push_back(a), dv.push_back(b);
        }
    });
    if (di.size() < 16) return noise;
    const auto spread = [](const std::vector<double>& x) {
        std::vector<double> sizes;
        for (const double d : x)
            if (std::abs(d) > 1e-12) sizes.push_back(std::abs(d));
        return 1.4826 * medianOf(sizes);
    };
    // A few edges must not look like an answer: beyond four spreads nothing weighs more.
    const double topI = 4 * spread(di);
    const double topV = 4 * spread(dv);
    double ii = 0, vv = 0, iv = 0;
    for (std::size_t k = 0; k < di.size(); ++k) {
        const double a = std::clamp(di[k], -topI, topI);
        const double b = std::clamp(dv[k], -topV, topV);
        ii += a * a;
        vv += b * b;
        iv += a * b;
    }
    if (iv <= 0 || iv * iv < 0.5 * ii * vv) return noise;
    std::vector<double> rest;
    for (std::size_t k = 0; k < di.size(); ++k) rest.push_back(std::abs(di[k] - iv / vv * dv[k]));
    return std::min(noise, 1.4826 * medianOf(rest) / std::sqrt(6.0));
}

}  // namespace

ChannelQuality estimateQuality(std::span<const double> column, double textStep, bool narrow) {
    std::vector<double> first;
    std::vector<double> second;
    double low = INFINITY;
    double high = -INFINITY;
    sampleBlocks(column.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from + 1; i < to; ++i) {
            const double d = std::abs(column[i] - column[i - 1]);
            if (column[i] < low) low = column[i];
            if (column[i] > high) high = column[i];
            if (d > 1e-12) first.push_back(d);
            if (i + 1 < to) {
                const double dd = std::abs(column[i - 1] - 2 * column[i] + column[i + 1]);
                if (std::isfinite(dd)) second.push_back(dd < 1e-12 ? 0 : dd);
            }
        }
    });
    ChannelQuality quality;
    quality.resolution = std::max(
        {resolutionOf(first, textStep, high - low), textStep, latticeOf(column, textStep)});
    if (narrow) quality.resolution = std::max(quality.resolution, narrowLattice(column, textStep));
    quality.noise = noiseOf(second, quality.resolution);
    // Second differences see only part of noise that follows itself.
    quality.follow = followOf(column, quality.resolution);
    const double f = quality.follow;
    quality.noise *= std::sqrt(6 / (6 - 8 * f + 2 * f * f));
    return quality;
}

ChannelQualities estimateQualities(const RecordingData& data) {
    ChannelQualities out;
    atOnce(
        data.time_s.size() >= kBlock * kBlocks,
        [&] {
            out.voltage = estimateQuality(data.voltage_V, data.textStep_V);
            if (!data.temperature_C.empty())
                out.temperature = estimateQuality(data.temperature_C, data.textStep_C, true);
        },
        [&] { out.current = estimateQuality(data.current_A, data.textStep_A); });
    return out;
}

std::shared_ptr<const Recording> Recording::make(RecordingData data) {
    const ChannelQualities known = estimateQualities(data);
    return make(std::move(data), known);
}

std::shared_ptr<const Recording> Recording::make(RecordingData data,
                                                 const ChannelQualities& known) {
    const std::size_t n = data.time_s.size();
    assert(data.voltage_V.size() == n && data.current_A.size() == n);
    assert(data.temperature_C.empty() || data.temperature_C.size() == n);
    auto recording = std::make_shared<Recording>();
    recording->data_ = std::move(data);
    for (Problem& p : recording->data_.problems)
        if (isRecorded(p.message)) {
            p.told = std::move(p.message);
            p.message = retold(p.told);
        }
    const RecordingData& d = recording->data_;
    recording->voltage_ = known.voltage;
    recording->current_ = known.current;
    recording->current_.noise =
        unansweredNoise(d.voltage_V, d.current_A, recording->current_.noise);
    recording->temperature_ = known.temperature;
    std::vector<double> steps;
    sampleBlocks(n, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from + 1; i < to; ++i)
            if (d.time_s[i] > d.time_s[i - 1]) steps.push_back(d.time_s[i] - d.time_s[i - 1]);
    });
    recording->interval_s_ = medianOf(steps);
    return recording;
}

double Recording::duration_s() const {
    return empty() ? 0 : data_.time_s.back() - data_.time_s.front();
}

std::size_t Recording::lowerBound(double t_s) const {
    return static_cast<std::size_t>(
        std::lower_bound(data_.time_s.begin(), data_.time_s.end(), t_s) - data_.time_s.begin());
}

std::size_t Recording::nearest(double t_s) const {
    if (empty()) return 0;
    const std::size_t after = std::min(lowerBound(t_s), size() - 1);
    if (after == 0) return 0;
    const std::size_t before = after - 1;
    return t_s - data_.time_s[before] <= data_.time_s[after] - t_s ? before : after;
}

}  // namespace nk
