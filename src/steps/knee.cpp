#include "knee.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace nk {

namespace {

double medianOf(std::vector<double> values) {
    if (values.empty()) return 0;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// Median of the samples [first, last], at most about 2000 of them.
double medianIn(std::span<const double> column, std::size_t first, std::size_t last) {
    std::vector<double> values;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 2000);
    for (std::size_t i = first; i <= last; i += stride) values.push_back(column[i]);
    return medianOf(std::move(values));
}

double quantileIn(std::span<const double> column, std::size_t first, std::size_t last, double q) {
    std::vector<double> values;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 4000);
    for (std::size_t i = first; i <= last; i += stride) values.push_back(column[i]);
    const auto at =
        values.begin() + static_cast<std::ptrdiff_t>(q * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

struct Margins {
    double current_A;
    double voltage_V;
};

/// Sums of squares of the broken-line model with the break at time b: the current constant before
/// and a parabola after, the voltage a line before and constant after. Continuous at the break.
double misfit(std::span<const double> t, std::span<const double> i, std::span<const double> v,
              double b, double sigmaI, double sigmaV) {
    // Current: i = p + a·x + c·x² with x = max(0, t − b). Normal equations of three unknowns.
    double m[3][4] = {};
    double w[2][3] = {};  // voltage: v = s + k·min(0, t − b)
    for (std::size_t n = 0; n < t.size(); ++n) {
        const double x = std::max(0.0, t[n] - b);
        const double basis[3] = {1, x, x * x};
        for (int r = 0; r < 3; ++r) {
            for (int c = 0; c < 3; ++c) m[r][c] += basis[r] * basis[c];
            m[r][3] += basis[r] * i[n];
        }
        const double y = std::min(0.0, t[n] - b);
        const double line[2] = {1, y};
        for (int r = 0; r < 2; ++r) {
            for (int c = 0; c < 2; ++c) w[r][c] += line[r] * line[c];
            w[r][2] += line[r] * v[n];
        }
    }
    for (int r = 0; r < 3; ++r) m[r][r] += 1e-12 * (m[r][r] + 1e-30);
    for (int col = 0; col < 3; ++col)
        for (int row = 0; row < 3; ++row) {
            if (row == col || m[col][col] == 0) continue;
            const double f = m[row][col] / m[col][col];
            for (int k = col; k < 4; ++k) m[row][k] -= f * m[col][k];
        }
    const double p = m[0][0] != 0 ? m[0][3] / m[0][0] : 0;
    const double a = m[1][1] != 0 ? m[1][3] / m[1][1] : 0;
    const double c = m[2][2] != 0 ? m[2][3] / m[2][2] : 0;
    const double det = w[0][0] * w[1][1] - w[0][1] * w[1][0];
    const double s =
        det != 0 ? (w[0][2] * w[1][1] - w[1][2] * w[0][1]) / det : w[0][2] / std::max(w[0][0], 1.0);
    const double k = det != 0 ? (w[0][0] * w[1][2] - w[1][0] * w[0][2]) / det : 0;
    double sum = 0;
    for (std::size_t n = 0; n < t.size(); ++n) {
        const double x = std::max(0.0, t[n] - b);
        const double y = std::min(0.0, t[n] - b);
        const double ri = (i[n] - p - a * x - c * x * x) / sigmaI;
        const double rv = (v[n] - s - k * y) / sigmaV;
        // Huber-like: one stray sample does not move the knee.
        sum += ri * ri < 9 ? ri * ri : 6 * std::abs(ri) - 9;
        sum += rv * rv < 9 ? rv * rv : 6 * std::abs(rv) - 9;
    }
    return sum;
}

struct Break {
    double at_s = kNaN;
    double spread_s = 0;  ///< one standard deviation, from the misfit
};

/// The break that explains current and voltage best, seen until the current has fallen by `drop_A`.
Break bestBreak(const Recording& recording, std::size_t first, std::size_t last, const Knee& knee,
                double drop_A) {
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    const auto v = recording.voltage_V();
    std::size_t right = knee.sample;
    const double target = knee.plateau_A - drop_A;
    std::size_t below = 0;
    while (right < last && below < 3) below = i[++right] < target ? below + 1 : 0;
    right = std::min(right, knee.sample + 3000);
    const std::size_t reach = std::max<std::size_t>(right - knee.sample, 8);
    const std::size_t left = knee.sample > first + reach ? knee.sample - reach : first;
    right = std::min(last, knee.sample + reach);
    const std::size_t stride = std::max<std::size_t>(1, (right - left) / 400);
    std::vector<double> tt, ii, vv;
    for (std::size_t k = left; k + stride <= right + 1; k += stride) {
        double st = 0, si = 0, sv = 0;
        for (std::size_t n = k; n < k + stride; ++n) st += t[n], si += i[n], sv += v[n];
        const auto count = static_cast<double>(stride);
        tt.push_back(st / count - t[left]);
        ii.push_back(si / count);
        vv.push_back(sv / count);
    }
    if (tt.size() < 8) return {};
    const double average = std::sqrt(static_cast<double>(stride));
    const double sigmaI = std::max({recording.currentQuality().sigma() / average,
                                    quantisation(recording.currentQuality().resolution) * 0.7,
                                    1e-5 * knee.plateau_A});
    const double sigmaV =
        std::max({recording.voltageQuality().sigma() / average,
                  quantisation(recording.voltageQuality().resolution) * 0.7, 1e-5});
    double best = 1e300;
    double bestAt = t[knee.sample] - t[left];
    const double low = tt.front();
    const double high = tt.back();
    const int coarse = 160;
    std::vector<std::pair<double, double>> curve;
    for (int k = 1; k < coarse; ++k) {
        const double b = low + (high - low) * k / coarse;
        const double m = misfit(tt, ii, vv, b, sigmaI, sigmaV);
        curve.emplace_back(b, m);
        if (m < best) best = m, bestAt = b;
    }
    const double cell = (high - low) / coarse;
    for (int k = -20; k <= 20; ++k) {
        const double b = bestAt + cell * k / 20;
        const double m = misfit(tt, ii, vv, b, sigmaI, sigmaV);
        curve.emplace_back(b, m);
    }
    for (const auto& [b, m] : curve)
        if (m < best) best = m, bestAt = b;
    // Where the misfit grows by one (scaled by its own minimum) is one standard deviation.
    const double dof = std::max(1.0, 2.0 * static_cast<double>(tt.size()) - 6);
    const double scale = std::max(1.0, best / dof);
    double spread = cell / 20;
    for (const auto& [b, m] : curve)
        if (m < best + scale) spread = std::max(spread, std::abs(b - bestAt));
    return {bestAt + t[left], spread};
}

/// Noisy or coarse data. A parabola follows the fall only for a while, so no more of it is looked
/// at than lifts it out of noise and resolution; what half of that would say instead tells how far
/// the model can be trusted.
void refine(const Recording& recording, std::size_t first, std::size_t last, Knee& knee) {
    const ChannelQuality& q = recording.currentQuality();
    const double drop =
        std::min(0.12 * knee.plateau_A, 15 * std::max(q.sigma(), 0.5 * q.resolution));
    const Break whole = bestBreak(recording, first, last, knee, drop);
    if (!std::isfinite(whole.at_s)) return;
    const Break half = bestBreak(recording, first, last, knee, 0.5 * drop);
    const double trust = std::isfinite(half.at_s) ? std::abs(half.at_s - whole.at_s) : 0;
    const std::size_t sample = std::min(last, recording.lowerBound(whole.at_s + 1e-9));
    knee.sample = std::max(first + 1, sample);
    knee.before_s = recording.time_s()[knee.sample] - whole.at_s;
    knee.uncertainty_s = quadrature({knee.uncertainty_s, whole.spread_s, trust});
}

}  // namespace

double constantVoltageBand_V(const Recording& recording, double set_V) {
    const ChannelQuality& q = recording.voltageQuality();
    return std::max({4 * q.sigma(), 1.5 * q.resolution, 0.0015 * std::abs(set_V)});
}

std::optional<Knee> findKnee(const Recording& recording, std::size_t first, std::size_t last) {
    if (last < first + 4) return std::nullopt;
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    const auto v = recording.voltage_V();
    const ChannelQuality& qi = recording.currentQuality();
    const double end_A =
        medianIn(i, std::max(first, last - std::min<std::size_t>(last - first, 2)), last);
    const double top_A = quantileIn(i, first, last, 0.98);
    const double margin0 = std::max({4 * qi.sigma(), 1.5 * qi.resolution, 0.002 * top_A});
    if (top_A - end_A < std::max(5 * margin0 / 4, 0.04 * top_A)) return std::nullopt;  // no fall

    Knee knee;
    knee.uncertainty_s = (t[last] - t[first]) / static_cast<double>(last - first) / std::sqrt(12.0);
    // The constant-voltage part must hold its voltage while the current falls, at the top of the
    // charge.
    const auto holds = [&](std::size_t from) {
        if (last < from + 2) return false;
        const double low = quantileIn(v, from, last, 0.03);
        const double high = quantileIn(v, from, last, 0.97);
        const double set = medianIn(v, from, last);
        const double fall = (quantileIn(i, from, std::min(last, from + 2), 0.5) - end_A) /
                            std::max(quantileIn(i, from, std::min(last, from + 2), 0.5), 1e-9);
        const double band = constantVoltageBand_V(recording, set);
        const double rise = high - low;
        const bool steady = rise <= 2 * band || (rise <= 0.015 * set && rise / set < 0.1 * fall);
        const double before = first < from ? quantileIn(v, first, from - 1, 0.97) : low;
        return steady && before <= high + 2 * band;
    };

    // By the current: the last sample that is still on the plateau, for a flat plateau.
    const auto byCurrent = [&](double plateau, double margin) {
        std::size_t k = last;
        while (k > first && i[k] < plateau - margin) --k;
        return k + 1;
    };
    std::vector<double> high;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 20000);
    for (std::size_t k = first; k <= last; k += stride)
        if (i[k] > top_A - 2 * margin0) high.push_back(i[k]);
    double plateau = medianOf(high);
    const double margin = std::max({3 * qi.sigma(), 1.01 * qi.resolution, 1e-5 * plateau});
    std::size_t k = byCurrent(plateau, margin);
    const double interval = knee.uncertainty_s * std::sqrt(12.0);
    bool found = k <= last && k > first + 1 && holds(k);
    if (found && static_cast<double>(high.size() * stride) < 2.5) found = false;
    if (!found) {
        // By the voltage: the longest tail that stays within the band of its own median.
        const double set = medianIn(v, last - (last - first) / 8, last);
        for (const double widen : {1.0, 3.0}) {
            const double band = constantVoltageBand_V(recording, set) * widen;
            std::size_t from = last;
            std::size_t outside = 0;
            while (from > first && outside < 3) {
                --from;
                outside = std::abs(v[from] - set) > band ? outside + 1 : 0;
            }
            from = std::min(last, outside > 0 ? from + outside : from);
            if (from + 3 > last || !holds(from)) continue;
            const double start_A = medianIn(i, from, std::min(last, from + 4));
            if (start_A - end_A < std::max(2 * margin0, 0.04 * start_A)) continue;
            k = std::max(from, first + 1);
            knee.fromStart = from <= first + 2;
            if (!knee.fromStart) {
                const std::size_t back =
                    from - std::min<std::size_t>(from - first,
                                                 std::max<std::size_t>(5, (from - first) / 20));
                plateau = medianIn(i, back, from - 1);
                const std::size_t sharper = byCurrent(plateau, std::max(margin, 0.003 * plateau));
                if (sharper <= last && sharper > first && holds(sharper) && sharper + 5 > from / 2)
                    k = sharper;
            } else {
                plateau = i[first];
                k = first;
            }
            found = true;
            break;
        }
    }
    if (!found) return std::nullopt;
    knee.sample = k;
    knee.plateau_A = plateau;
    if (knee.fromStart) return knee;
    // When the fall of one interval drowns in the noise, look at more samples at once.
    const std::size_t ahead = std::min(last, k + 10);
    const double fallPerSample =
        std::abs(plateau - medianIn(i, ahead - std::min<std::size_t>(ahead - k, 3), ahead)) /
        std::max<double>(1, static_cast<double>(ahead - k));
    // The first sample that shows the fall comes up to one interval after the turn, and later by
    // what the fall needs to leave the margin.
    const double wide = interval * (1 + margin / std::max(fallPerSample, 1e-12));
    knee.uncertainty_s = rectangle(0.5 * interval);
    if (fallPerSample < 2.5 * margin) {
        refine(recording, first, last, knee);
    } else {
        // The turn lies anywhere in that stretch before the first sample that shows it: its middle,
        // and a rectangle.
        knee.before_s = 0.5 * wide;
        knee.uncertainty_s = rectangle(0.5 * wide);
    }
    return knee;
}

}  // namespace nk
