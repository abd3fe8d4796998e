#include "knee_moment.h"

#include <algorithm>
#include <cmath>

namespace nk {

double middleOf(std::vector<double> values) {
    if (values.empty()) return 0;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

double medianIn(std::span<const double> column, std::size_t first, std::size_t last) {
    std::vector<double> values;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 2000);
    for (std::size_t i = first; i <= last; i += stride) values.push_back(column[i]);
    return middleOf(std::move(values));
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

namespace {

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
Break bestBreakFrom(const Recording& recording, std::size_t first, std::size_t last,
                    const Knee& knee, double drop_A, std::size_t wider, bool& atLeftEdge) {
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    const auto v = recording.voltage_V();
    std::size_t right = knee.sample;
    const double target = knee.plateau_A - drop_A;
    // The mean of as many samples as it takes to tell this fall from the noise.
    const double ratio = 6 * recording.currentQuality().sigma() / std::max(drop_A, 1e-12);
    const auto need = static_cast<std::size_t>(std::clamp(ratio * ratio, 3.0, 400.0));
    double sum = 0;
    std::size_t counted = 0;
    while (right < last && (counted < need || sum >= target * static_cast<double>(need))) {
        sum += i[++right];
        if (++counted > need) sum -= i[right - need], --counted;
    }
    right = std::min(right, knee.sample + 3000);
    const std::size_t reach = std::max<std::size_t>(right - knee.sample, 8);
    const std::size_t before = wider * reach;
    const std::size_t left = knee.sample > first + before ? knee.sample - before : first;
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
    // Too short also where its first quarter is no longer on the plateau.
    const std::size_t quarter = std::max<std::size_t>(1, ii.size() / 4);
    double head = 0;
    for (std::size_t k = 0; k < quarter; ++k) head += ii[k] / static_cast<double>(quarter);
    const bool fallen =
        knee.plateau_A - head >
        3 * sigmaI / std::sqrt(static_cast<double>(quarter)) + 0.004 * knee.plateau_A;
    atLeftEdge = left > first && (fallen || bestAt < low + 0.15 * (high - low));
    // Where the misfit grows by one (scaled by its own minimum) is one standard deviation; noise
    // that follows itself makes as much of it as fewer points would.
    const double rho =
        std::max(recording.currentQuality().follow, recording.voltageQuality().follow);
    const double dof = std::max(1.0, 2.0 * static_cast<double>(tt.size()) - 6);
    const double followed = stride < 4 ? (1 + rho) / (1 - rho) : 1.0;
    const double scale = std::max(1.0, best / dof) * followed;
    double spread = cell / 20;
    for (const auto& [b, m] : curve)
        if (m < best + scale) spread = std::max(spread, std::abs(b - bestAt));
    return {bestAt + t[left], spread};
}

/// The same, looking further back while the best break lies where the stretch begins: noise shows
/// the fall late, and the turn may lie well before.
Break bestBreak(const Recording& recording, std::size_t first, std::size_t last, const Knee& knee,
                double drop_A) {
    Break out;
    for (std::size_t wider = 1; wider <= 64; wider *= 2) {
        bool atLeftEdge = false;
        out = bestBreakFrom(recording, first, last, knee, drop_A, wider, atLeftEdge);
        if (!atLeftEdge) break;
    }
    return out;
}

/// Line (or parabola) through a ramp of the voltage, and when it meets the set voltage.
std::optional<Break> crossing(std::span<const double> t, std::span<const double> v,
                              std::size_t from, std::size_t to, double set_V, bool bent,
                              const ChannelQuality& q) {
    const double origin = t[to];
    double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0, sxxx = 0, sxxxx = 0, sxxy = 0;
    for (std::size_t k = from; k <= to; ++k) {
        const double x = t[k] - origin;
        const double y = v[k] - set_V;
        n += 1, sx += x, sy += y, sxx += x * x, sxy += x * y;
        sxxx += x * x * x, sxxxx += x * x * x * x, sxxy += x * x * y;
    }
    const double det = n * sxx - sx * sx;
    if (n < (bent ? 8 : 5) || det <= 0) return std::nullopt;
    double c = 0;
    double b = (n * sxy - sx * sy) / det;
    double a = (sy - b * sx) / n;
    if (bent) {
        // Normal equations of three unknowns by Cramer's rule.
        const double d = n * (sxx * sxxxx - sxxx * sxxx) - sx * (sx * sxxxx - sxxx * sxx) +
                         sxx * (sx * sxxx - sxx * sxx);
        if (!(std::abs(d) > 0)) return std::nullopt;
        a = (sy * (sxx * sxxxx - sxxx * sxxx) - sx * (sxy * sxxxx - sxxx * sxxy) +
             sxx * (sxy * sxxx - sxx * sxxy)) /
            d;
        b = (n * (sxy * sxxxx - sxxx * sxxy) - sy * (sx * sxxxx - sxxx * sxx) +
             sxx * (sx * sxxy - sxy * sxx)) /
            d;
        c = (n * (sxx * sxxy - sxy * sxxx) - sx * (sx * sxxy - sxy * sxx) +
             sy * (sx * sxxx - sxx * sxx)) /
            d;
    }
    if (!(b > 0)) return std::nullopt;
    double x = -a / b;
    if (bent && c != 0) {
        const double inside = b * b - 4 * a * c;
        if (inside < 0) return std::nullopt;
        x = -2 * a / (b + std::sqrt(inside));
    }
    const double mean = sx / n;
    const double read = q.sigma() * std::sqrt((1 + q.follow) / (1 - q.follow)) *
                        std::sqrt(1 / n + (x - mean) * (x - mean) / (sxx - n * mean * mean));
    return Break{origin + x, std::hypot(read, std::sqrt(2.0) * q.rounding()) / b};
}

/// The moment at which the rising voltage meets the set voltage. Nothing where the voltage goes on
/// rising afterwards (a soft regulator) or the ramp is too short.
std::optional<Break> rampMeets(const Recording& recording, std::size_t first, std::size_t last,
                               std::size_t inside) {
    const auto t = recording.time_s();
    const auto v = recording.voltage_V();
    const ChannelQuality& q = recording.voltageQuality();
    const std::size_t tail = inside + (last - inside) / 4;
    if (last < tail + 8) return std::nullopt;
    const double usual = medianIn(v, tail, last);
    const double band = std::max(2.5 * q.sigma(), 0.6 * q.resolution);
    // The mean, not a code of the display: the set voltage may lie between two of them.
    double sum = 0, near = 0;
    const std::size_t stride = std::max<std::size_t>(1, (last - tail) / 4000);
    for (std::size_t k = tail; k <= last; k += stride)
        if (std::abs(v[k] - usual) <= 2 * band + q.resolution) sum += v[k], ++near;
    const double set = sum / std::max(near, 1.0);
    if (quantileIn(v, tail, last, 0.9) - quantileIn(v, tail, last, 0.1) >
        std::max(2 * band, 3.1 * q.resolution))
        return std::nullopt;
    const double early = medianIn(v, inside, std::min(last, inside + 8));
    if (std::abs(early - set) > band) return std::nullopt;
    std::size_t m = inside;
    std::size_t outside = 0;
    while (m > first && outside < 2) {
        --m;
        outside = v[m] < set - band ? outside + 1 : 0;
    }
    if (outside < 2) return std::nullopt;
    const std::size_t to = m + 1;  // the last sample that lies under the band
    const double depth = std::max({30 * q.sigma(), 12 * q.resolution, 0.002 * set});
    std::size_t from = to;
    while (from > first && to - from < 120 && v[from - 1] > set - depth && v[from - 1] < set)
        --from;
    const auto line = crossing(t, v, from, to, set, false, q);
    if (!line) return std::nullopt;
    Break out = *line;
    if (const auto bent = crossing(t, v, from, to, set, true, q)) {
        out.spread_s = std::hypot(out.spread_s, (bent->at_s - line->at_s) / std::sqrt(3.0));
        out.at_s = 0.5 * (bent->at_s + line->at_s);
    }
    const double window = t[last] - t[first];
    return out.spread_s < 0.1 * window ? std::optional(out) : std::nullopt;
}

/// A coarse current without noise: the moments at which its code changes are the moments at which
/// the current passed half-way between two codes. A line and a parabola through them, as time over
/// the fall, solved for the plateau (estimators.md). The plateau itself is known to its code.
std::optional<Break> byCodes(const Recording& recording, std::size_t first, std::size_t last,
                             const Knee& knee) {
    const auto t = recording.time_s();
    const auto i = recording.current_A();
    const ChannelQuality& q = recording.currentQuality();
    const double step = q.resolution;
    if (!(step > 0) || q.noise >= 0.5 * step || step < 0.015 * knee.plateau_A) return std::nullopt;
    // Where the plateau flickers between two codes it lies where they say, else anywhere in one.
    double sum = 0;
    double rows = 0;
    double low = INFINITY;
    double high = -INFINITY;
    const std::size_t stop = std::max(first + 2, knee.sample) - 1;
    const std::size_t from = first + (stop - first) / 3;
    for (std::size_t k = from; k < stop; ++k) {
        if (std::abs(i[k] - knee.plateau_A) > 1.2 * step) continue;
        sum += i[k], ++rows;
        low = std::min(low, i[k]), high = std::max(high, i[k]);
    }
    if (rows < 3) return std::nullopt;
    const double plateau = sum / rows;
    const bool flickers = high - low > 0.5 * step && plateau - low > 0.05 * step;
    const double plateau_u = flickers ? 0.15 * step : quantisation(step);
    // Thresholds under the plateau's code, and when the current passed each.
    const double code = flickers ? low : plateau;
    std::vector<double> x, y;  // fall under the plateau, and when
    constexpr std::size_t kMost = 6;
    std::size_t k = first;
    for (std::size_t m = 0; m < kMost; ++m) {
        const double limit = code - (static_cast<double>(m) + 0.5) * step;
        while (k <= last && i[k] >= limit) ++k;
        // A row of noise alone does not pass it for good.
        while (k + 2 <= last && (i[k + 1] >= limit && i[k + 2] >= limit)) {
            ++k;
            while (k <= last && i[k] >= limit) ++k;
        }
        if (k > last || k == first) break;
        std::size_t above = k - 1;
        for (std::size_t n = k; n <= std::min(last, k + 30); ++n)
            if (i[n] >= limit) above = n;
        const double at = above < k ? 0.5 * (t[above] + t[k]) : 0.5 * (t[k] + t[above]);
        if (!y.empty() && at <= y.back()) continue;
        x.push_back(plateau - limit);
        y.push_back(at);
    }
    if (x.size() < 2) return std::nullopt;
    const std::size_t few = std::min<std::size_t>(x.size(), 3);
    double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (std::size_t m = 0; m < few; ++m)
        n += 1, sx += x[m], sy += y[m] - y[0], sxx += x[m] * x[m], sxy += x[m] * (y[m] - y[0]);
    const double det = n * sxx - sx * sx;
    if (!(det > 0)) return std::nullopt;
    const double slope = (n * sxy - sx * sy) / det;
    const double line = y[0] + (sy - slope * sx) / n;
    double bent = line;
    if (x.size() >= 4) {
        // Three of the moments, wide apart, make the parabola.
        const std::size_t b = x.size() / 2;
        const std::size_t c = x.size() - 1;
        const auto part = [&](std::size_t p, std::size_t r, std::size_t s) {
            return y[p] * x[r] * x[s] / ((x[p] - x[r]) * (x[p] - x[s]));
        };
        bent = part(0, b, c) + part(b, 0, c) + part(c, 0, b);
    }
    const double value = std::min(0.5 * (line + bent), y[0]);
    const double pace = std::max(slope, 0.0);
    // Carried to the plateau it is as far as the first moment lies behind it that one may be wrong.
    const double carried = y[0] - value;
    Break out;
    out.at_s = std::clamp(value, t[first], y[0]);
    out.spread_s = quadrature({pace * plateau_u, quantisation(recording.usualInterval_s()),
                               (bent - line) / std::sqrt(3.0),
                               x.size() < 4 ? 0.35 * carried : 0.15 * carried});
    return out;
}

}  // namespace

void refineKnee(const Recording& recording, std::size_t first, std::size_t last, Knee& knee) {
    const ChannelQuality& q = recording.currentQuality();
    const double drop =
        std::min(0.12 * knee.plateau_A, 15 * std::max(q.sigma(), 0.5 * q.resolution));
    const Break whole = bestBreak(recording, first, last, knee, drop);
    if (!std::isfinite(whole.at_s)) return;
    const Break half = bestBreak(recording, first, last, knee, 0.5 * drop);
    const double trust = std::isfinite(half.at_s) ? std::abs(half.at_s - whole.at_s) : 0;
    const double interval = recording.usualInterval_s();
    double at = whole.at_s;
    double u = quadrature({rectangle(0.5 * interval), 1.4 * whole.spread_s, 1.2 * trust});
    if (const auto codes = byCodes(recording, first, last, knee)) {
        at = codes->at_s;
        u = codes->spread_s;
    }
    // The voltage tells it in its own way; where it does so better than the current, or as well and
    // alike, both count by their weights.
    if (const auto ramp = rampMeets(recording, first, last, std::min(last, knee.sample + 2))) {
        const double v = std::hypot(rectangle(0.5 * interval), 1.2 * ramp->spread_s);
        const double apart = std::abs(ramp->at_s - at);
        const bool alike = apart < 2.5 * std::hypot(u, v);
        if (alike) {
            const double w = 1 / (u * u) + 1 / (v * v);
            at = (at / (u * u) + ramp->at_s / (v * v)) / w;
            // They share the moments of the rows.
            u = std::max(std::sqrt(1 / w), rectangle(0.5 * interval));
            u = std::hypot(u, 0.3 * apart);
        } else if (v < u) {
            at = ramp->at_s;
            u = std::hypot(v, 0.05 * apart);
        } else {
            u = std::hypot(u, 0.5 * apart);
        }
    }
    const std::size_t sample = std::min(last, recording.lowerBound(at + 1e-9));
    knee.sample = std::max(first + 1, sample);
    knee.before_s = recording.time_s()[knee.sample] - at;
    // Set on logs of one generator, seen on others of the same only (docs/methods.md).
    knee.uncertainty_s = 1.15 * u;
}

}  // namespace nk
