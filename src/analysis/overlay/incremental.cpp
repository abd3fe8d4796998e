#include "incremental.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "quantity/format.h"
#include "quantity/phrase.h"
#include "quantity/uncertainty.h"

namespace nk {

namespace {

constexpr std::size_t kFewestBins = 40;
constexpr std::size_t kFewestRows = 100;
constexpr double kFastest_C = 1.0 / 3;
/// What a peak must stand out of the valleys beside it: of the highest, and of the scatter.
constexpr double kShare = 0.05;
constexpr double kScatters = 4;

/// Weighted means; towards the ends the window gets as short as there is room.
std::vector<double> smoothed(const std::vector<double>& raw, int half) {
    std::vector<double> out(raw.size());
    std::vector<std::vector<double>> weights;
    for (int h = 0; h <= half; ++h) weights.push_back(smoothingWeights(h));
    const auto n = static_cast<int>(raw.size());
    for (int k = 0; k < n; ++k) {
        const int h = std::min({half, k, n - 1 - k});
        double sum = 0;
        for (int i = -h; i <= h; ++i)
            sum += weights[static_cast<std::size_t>(h)][static_cast<std::size_t>(i + h)] *
                   raw[static_cast<std::size_t>(k + i)];
        out[static_cast<std::size_t>(k)] = sum;
    }
    return out;
}

double median(std::vector<double> x) {
    if (x.empty()) return kNaN;
    const auto middle = x.begin() + static_cast<std::ptrdiff_t>(x.size() / 2);
    std::ranges::nth_element(x, middle);
    return *middle;
}

/// Rows of the step without its first minute, where the voltage jumps and settles.
std::pair<std::size_t, std::size_t> rowsOf(const AnalysisInput& in, const Step& s) {
    const auto t = in.recording.time_s();
    std::size_t first = s.first;
    while (first < s.last && t[first] - t[s.first] < 60) ++first;
    return {first, s.last};
}

/// Of a raw bin, standard: what is left of its neighbourhood after smoothing, and never less than
/// over the whole.
std::vector<double> scatterAround(const IncrementalCapacity& c, int half) {
    const auto n = static_cast<std::ptrdiff_t>(c.raw_Ah_V.size());
    const double own = smoothingWeights(half)[static_cast<std::size_t>(half)];
    std::vector<double> out;
    for (std::ptrdiff_t k = 0; k < n; ++k) {
        const auto from = std::max<std::ptrdiff_t>(0, k - 2 * half);
        const auto to = std::min(n - 1, k + 2 * half);
        double squares = 0;
        for (auto i = from; i <= to; ++i)
            squares += std::pow(c.raw_Ah_V[static_cast<std::size_t>(i)] -
                                    c.smooth_Ah_V[static_cast<std::size_t>(i)],
                                2);
        out.push_back(std::max(
            c.scatter_Ah_V,
            std::sqrt(squares / static_cast<double>(to - from + 1) / std::max(0.1, 1 - own))));
    }
    return out;
}

void findPeaks(const AnalysisInput& in, int half, IncrementalCapacity& out) {
    const auto& y = out.smooth_Ah_V;
    const auto n = static_cast<std::ptrdiff_t>(y.size());
    const double top = std::ranges::max(y);
    const auto weights = smoothingWeights(half);
    const double squares = std::inner_product(weights.begin(), weights.end(), weights.begin(), 0.0);
    // Where the voltage stands still more rows fall into a bin and scatter more: it is local.
    const auto local = scatterAround(out, half);
    const auto scatterAt = [&](std::ptrdiff_t k) {
        return local[static_cast<std::size_t>(k)] * std::sqrt(squares);
    };
    const auto least = [&](std::ptrdiff_t k) {
        return std::max(kShare * top, kScatters * scatterAt(k));
    };
    const ChannelQuality& qv = in.recording.voltageQuality();
    const double gain = rectangle(in.accuracy.currentGain);
    const auto value = [&](std::ptrdiff_t k) { return y[static_cast<std::size_t>(k)]; };
    // Valley, peak, valley: a turn counts when the curve has moved by `least` since.
    std::ptrdiff_t valley = 0;
    std::ptrdiff_t peak = 0;
    bool rising = true;
    const auto keep = [&](std::ptrdiff_t from, std::ptrdiff_t at, std::ptrdiff_t to) {
        if (at < half || at >= n - half) return;  // at the end the whole peak is not seen
        const double scatter = scatterAt(at);
        IncrementalPeak p;
        // The vertex of a parabola as wide as the window.
        const std::ptrdiff_t reach = std::min<std::ptrdiff_t>({half, at, n - 1 - at});
        double s2 = 0, s4 = 0, sy = 0, s1y = 0, s2y = 0;
        double count = 0;
        for (std::ptrdiff_t i = -reach; i <= reach; ++i) {
            if (at + i < 0 || at + i >= n) return;
            const auto x = static_cast<double>(i);
            s2 += x * x, s4 += x * x * x * x, sy += value(at + i);
            s1y += x * value(at + i), s2y += x * x * value(at + i), count += 1;
        }
        const double c = (count * s2y - s2 * sy) / (count * s4 - s2 * s2);
        const double b = s1y / s2;
        const double a = (sy - c * s2) / count;
        if (!(c < 0)) return;
        const double vertex =
            std::clamp(-b / (2 * c), -1.0 * static_cast<double>(reach), static_cast<double>(reach));
        p.volts = out.volts[static_cast<std::size_t>(at)] + vertex * out.bin_V;
        p.height_Ah_V = a - b * b / (4 * c);
        // Neighbours share most of their window: the slope is known to a few independent points.
        const double slope = scatter / std::sqrt(s2 / std::max(1.0, half / 2.0));
        p.voltsScatter = quadrature({out.bin_V * slope / (2 * std::abs(c)),
                                     rectangle(0.5 * out.bin_V), quantisation(qv.resolution)});
        p.voltsUncertainty =
            quadrature({p.voltsScatter, rectangle(in.accuracy.voltageGain * p.volts),
                        rectangle(in.accuracy.voltageOffsetSteps * qv.resolution)});
        // Smoothing lowers a narrow peak: what half the window makes of it tells by how much.
        const auto narrower = smoothed(out.raw_Ah_V, std::max(1, half / 2));
        const double lower = narrower[static_cast<std::size_t>(at)] - value(at);
        p.height_Ah_V += std::max(0.0, lower) / 3;
        p.heightUncertainty = quadrature(
            {scatter, gain * p.height_Ah_V, std::max(std::abs(lower), scatter) / std::sqrt(3.0)});
        double area = 0;
        for (std::ptrdiff_t i = from; i <= to; ++i)
            area += out.raw_Ah_V[static_cast<std::size_t>(i)];
        p.area_Ah = area * out.bin_V;
        // Where a valley lies is known to a third of the window.
        const double edges = (value(from) + value(to)) * out.width_V / 6;
        p.areaUncertainty = quadrature(
            {gain * p.area_Ah, rectangle(edges),
             out.scatter_Ah_V * out.bin_V * std::sqrt(static_cast<double>(to - from + 1))});
        p.from_V = out.volts[static_cast<std::size_t>(from)];
        p.to_V = out.volts[static_cast<std::size_t>(to)];
        out.peaks.push_back(p);
    };
    std::ptrdiff_t before = 0;  // the valley on the left of the peak
    for (std::ptrdiff_t k = 1; k < n; ++k) {
        if (rising) {
            if (value(k) > value(peak)) peak = k;
            if (value(peak) - value(k) > least(peak)) {
                rising = false;
                before = valley;
                valley = k;
            }
        } else {
            if (value(k) < value(valley)) valley = k;
            if (value(k) - value(valley) > least(k)) {
                if (value(peak) - value(before) > least(peak)) keep(before, peak, valley);
                rising = true;
                peak = k;
            }
        }
    }
    if (!rising && value(peak) - value(before) > least(peak)) keep(before, peak, valley);
}

/// dV/dQ over charge: the voltage at even steps of charge, its slope by the same kind of window.
void differentiate(std::span<const double> q, std::span<const double> v, IncrementalCapacity& out) {
    constexpr std::size_t kPoints = 400;
    const double whole = q.back();
    if (!(whole > 0)) return;
    const double step = whole / kPoints;
    // Means over each step of charge, so that noise falls with the rows in it.
    std::vector<double> mean(kPoints, 0), count(kPoints, 0);
    for (std::size_t k = 0; k < q.size(); ++k) {
        const auto bin = std::min(kPoints - 1, static_cast<std::size_t>(q[k] / step));
        mean[bin] += v[k];
        count[bin] += 1;
    }
    std::vector<double> at, volts;
    for (std::size_t k = 0; k < kPoints; ++k)
        if (count[k] > 0) {
            at.push_back((static_cast<double>(k) + 0.5) * step);
            volts.push_back(mean[k] / count[k]);
        }
    constexpr std::ptrdiff_t kHalf = 6;
    for (std::ptrdiff_t k = kHalf; k + kHalf < static_cast<std::ptrdiff_t>(at.size()); ++k) {
        double sxx = 0, sxy = 0, mx = 0, my = 0;
        for (std::ptrdiff_t i = -kHalf; i <= kHalf; ++i)
            mx += at[static_cast<std::size_t>(k + i)], my += volts[static_cast<std::size_t>(k + i)];
        mx /= 2 * kHalf + 1, my /= 2 * kHalf + 1;
        for (std::ptrdiff_t i = -kHalf; i <= kHalf; ++i) {
            const double x = at[static_cast<std::size_t>(k + i)] - mx;
            sxx += x * x, sxy += x * (volts[static_cast<std::size_t>(k + i)] - my);
        }
        out.charge_Ah.push_back(at[static_cast<std::size_t>(k)]);
        out.dVdQ_V_Ah.push_back(std::abs(sxy / sxx));
    }
}

}  // namespace

std::vector<double> smoothingWeights(int half) {
    const double m = half;
    std::vector<double> out;
    if (half < 1) return {1.0};
    const double norm = (2 * m + 3) * (2 * m + 1) * (2 * m - 1) / 3;
    for (int i = -half; i <= half; ++i) out.push_back((3 * m * m + 3 * m - 1 - 5.0 * i * i) / norm);
    return out;
}

std::vector<int> incrementalSteps(const AnalysisInput& in) {
    std::vector<int> out;
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if ((s.kind == StepKind::CcCharge || s.kind == StepKind::CcDischarge) &&
            s.end_s - s.start_s >= 3600)
            out.push_back(static_cast<int>(k));
    }
    std::ranges::stable_sort(out, {}, [&](int k) {
        return std::abs(in.steps.list[static_cast<std::size_t>(k)].meanCurrent_A);
    });
    return out;
}

IncrementalCapacity incrementalCapacity(const AnalysisInput& in, int step) {
    IncrementalCapacity out;
    out.step = step;
    const auto refuse = [&](std::string why) {
        out.why = std::move(why);
        return out;
    };
    if (step < 0 || step >= static_cast<int>(in.steps.list.size()))
        return refuse(phrase("There is no such step."));
    const Step& s = in.steps.list[static_cast<std::size_t>(step)];
    if (s.kind != StepKind::CcCharge && s.kind != StepKind::CcDischarge)
        return refuse(phrase("Only a step at constant current has a dQ/dV."));
    const double rate =
        in.battery.capacity_Ah() > 0 ? std::abs(s.meanCurrent_A) / in.battery.capacity_Ah() : kNaN;
    if (rate > 1.05 * kFastest_C)
        return refuse(phrase(
            "{:.2g}C is too fast: over C/3 the cell's resistance smears what dQ/dV shows. Log a "
            "charge or discharge at C/10 to C/5.",
            rate));
    const auto [first, last] = rowsOf(in, s);
    if (last < first + kFewestRows)
        return refuse(phrase("Too few rows: dQ/dV needs a hundred and more. Log faster."));
    const auto t = in.recording.time_s();
    const auto v = in.recording.voltage_V();
    const auto i = in.recording.current_A();
    const ChannelQuality& q = in.recording.voltageQuality();
    const auto [low, high] = std::ranges::minmax(v.subspan(first, last - first + 1));
    const double span = high - low;
    // No finer than what six rows move through where most of them are.
    std::vector<double> sorted(v.begin() + static_cast<std::ptrdiff_t>(first),
                               v.begin() + static_cast<std::ptrdiff_t>(last) + 1);
    std::ranges::sort(sorted);
    const std::size_t tenth = sorted.size() / 10;
    const double core = sorted[sorted.size() - 1 - tenth] - sorted[tenth];
    const auto rows = 0.8 * static_cast<double>(sorted.size());
    out.bin_V = std::max({3 * q.resolution, 2 * q.noise, span / 2000, 6 * core / rows});
    const auto bins = static_cast<std::size_t>(std::ceil(span / out.bin_V));
    if (bins < kFewestBins)
        return refuse(phrase(
            "Too coarse: the voltage moves through {} steps that can be told apart, forty and "
            "more are needed. Log with a finer voltage.",
            bins));
    // Charge is spread over the voltage that it moved through, so that no row falls into one bin.
    out.raw_Ah_V.assign(bins, 0);
    for (std::size_t k = 0; k < bins; ++k)
        out.volts.push_back(low + (static_cast<double>(k) + 0.5) * out.bin_V);
    std::vector<double> charge{0};
    for (std::size_t k = first; k < last; ++k) {
        const double dq = std::abs(0.5 * (i[k] + i[k + 1]) * (t[k + 1] - t[k]) / 3600);
        charge.push_back(charge.back() + dq);
        const double a = std::min(v[k], v[k + 1]);
        const double b = std::max(v[k], v[k + 1]);
        const auto bin = [&, low = low](double volts) {
            return std::min(bins - 1,
                            static_cast<std::size_t>(std::max(0.0, (volts - low) / out.bin_V)));
        };
        const std::size_t from = bin(a);
        const std::size_t to = bin(b);
        if (from == to) {
            out.raw_Ah_V[from] += dq / out.bin_V;
            continue;
        }
        for (std::size_t n = from; n <= to; ++n) {
            const double lower = std::max(a, low + static_cast<double>(n) * out.bin_V);
            const double upper = std::min(b, low + static_cast<double>(n + 1) * out.bin_V);
            out.raw_Ah_V[n] += dq * std::max(0.0, upper - lower) / (b - a) / out.bin_V;
        }
    }
    const int half = std::clamp(static_cast<int>(core / out.bin_V / 40), 2, 20);
    out.width_V = (2 * half + 1) * out.bin_V;
    out.smooth_Ah_V = smoothed(out.raw_Ah_V, half);
    for (double& y : out.smooth_Ah_V) y = std::max(0.0, y);
    std::vector<double> off;
    for (std::size_t k = static_cast<std::size_t>(half); k + static_cast<std::size_t>(half) < bins;
         ++k)
        off.push_back(std::abs(out.raw_Ah_V[k] - out.smooth_Ah_V[k]));
    // The middle weight of the window takes its part of every deviation with it.
    const double own = smoothingWeights(half)[static_cast<std::size_t>(half)];
    out.scatter_Ah_V = 1.4826 * median(std::move(off)) / std::sqrt(std::max(0.1, 1 - own));
    findPeaks(in, half, out);
    differentiate(charge, v.subspan(first, last - first + 1), out);
    return out;
}

std::vector<PeakTrack> followPeaks(const std::vector<IncrementalCapacity>& logs, int cells) {
    std::vector<PeakTrack> tracks;
    const double reach = 0.06 * std::max(1, cells);
    const auto volts = [&](std::size_t log, int peak) {
        return logs[log].peaks[static_cast<std::size_t>(peak)].volts;
    };
    for (std::size_t n = 0; n < logs.size(); ++n) {
        for (int k = 0; k < static_cast<int>(logs[n].peaks.size()); ++k) {
            // Its nearest in the last log of a track, when it is nearest to that one too.
            PeakTrack* best = nullptr;
            double least = reach;
            for (PeakTrack& track : tracks) {
                if (track[n] >= 0) continue;
                std::size_t from = n;
                while (from > 0 && track[from - 1] < 0) --from;
                if (from == 0) continue;
                const double here = volts(from - 1, track[from - 1]);
                const double off = std::abs(here - volts(n, k));
                const bool nearer =
                    std::ranges::any_of(logs[n].peaks, [&](const IncrementalPeak& p) {
                        return std::abs(here - p.volts) < off - 1e-12;
                    });
                if (off < least && !nearer) least = off, best = &track;
            }
            if (best == nullptr) {
                tracks.emplace_back(logs.size(), -1);
                best = &tracks.back();
            }
            (*best)[n] = k;
        }
    }
    return tracks;
}

}  // namespace nk
