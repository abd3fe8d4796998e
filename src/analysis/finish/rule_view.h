// One charge as a stop rule sees it: what the conditions of replay and the moving of flags share.
// Internal to analysis/finish.
#pragma once

#include <algorithm>
#include <cmath>

#include "replay.h"

namespace nk {

/// One charge as the conditions see it.
struct RuleView {
    const AnalysisInput& in;
    const ChargeSpan& charge;
    double holdOff_s;
    std::span<const double> t, v, i, temp;

    /// The end of the hold-off.
    double hears_s() const { return start() + holdOff_s; }
    double start() const { return t[charge.first]; }
    bool deaf(std::size_t k) const { return t[k] - start() < holdOff_s; }
    double interval() const { return std::max(in.recording.usualInterval_s(), 1e-3); }
};

/// Calls visit(k, mean) with the mean over the last `window` seconds (0: the sample itself), from
/// the first sample at or after `from_s`. Missing samples are left out of the mean.
template <class Visit>
void trailing(const RuleView& w, std::span<const double> column, double window, Visit visit,
              double from_s = -1e300) {
    std::size_t k = w.charge.first;
    while (k <= w.charge.last && w.t[k] < from_s - window) ++k;
    if (window <= 0) {
        for (; k <= w.charge.last; ++k)
            if (!visit(k, column[k])) return;
        return;
    }
    std::size_t from = k;
    double sum = 0;
    double missing = 0;
    std::size_t renew = 0;
    for (; k <= w.charge.last; ++k) {
        const double x = column[k];
        if (x == x)
            sum += x;
        else
            ++missing;
        for (; from < k && w.t[k] - w.t[from] > window; ++from) {
            const double old = column[from];
            if (old == old)
                sum -= old;
            else
                --missing;
        }
        // Renew the sum now and then, so that a million samples lose no digits.
        if (++renew == 65536) {
            renew = 0;
            sum = 0;
            for (std::size_t n = from; n <= k; ++n)
                if (column[n] == column[n]) sum += column[n];
        }
        if (w.t[k] < from_s) continue;
        const double count = static_cast<double>(k - from + 1) - missing;
        if (!visit(k, count > 0 ? sum / count : kNaN)) return;
    }
}

/// Seconds of trailing mean that bring the noise to a tenth of `delta`; 0 on clean data, 60 at most
/// (lag 30 s).
inline double windowFor(const RuleView& w, const ChannelQuality& q, double delta) {
    const double need = std::pow(10 * q.noise / std::max(delta, 1e-9), 2);
    return need <= 1 ? 0 : std::min(60.0, need * w.interval());
}

/// Whether a display's rounding is not broken up by noise: then a mean over many rows rounds as
/// one.
inline bool undithered(const ChannelQuality& q) {
    return q.noise < 0.5 * q.resolution;
}

/// How much further than `delta` a smoothed voltage must fall before rounding and noise alone
/// cannot have made it, for the mean over `window` seconds: half a step where rounding does not
/// average out, and twice the noise of the mean (estimators.md).
inline double beyondRounding(const RuleView& w, const ChannelQuality& q, double window,
                             double delta) {
    constexpr double kMatters = 0.1, kTimes = 2;
    const double mean = q.noise / std::sqrt(std::max(1.0, window / w.interval()));
    const double rounding = undithered(q) && q.resolution > kMatters * delta ? q.resolution / 2 : 0;
    // A single code that flickers is no fall at all.
    constexpr double kOneCode = 1.05;
    return std::max(rounding, rounding > 0 ? kOneCode * q.resolution - delta : 0.0) + kTimes * mean;
}

/// Trailing regression slope over `window` seconds, per second; visits where it is full, from the
/// first sample at or after `from_s`.
template <class Visit>
void slopes(const RuleView& w, std::span<const double> column, double window, Visit visit,
            double from_s = -1e300) {
    std::size_t k = w.charge.first;
    while (k <= w.charge.last && w.t[k] < from_s - window - w.interval()) ++k;
    std::size_t from = k;
    double t0 = 0, y0 = 0;
    double n = 0, st = 0, sy = 0, stt = 0, sty = 0;
    const auto add = [&](std::size_t at, double sign) {
        const double y = column[at] - y0;
        if (!(y == y)) return;
        const double x = w.t[at] - t0;
        n += sign, st += sign * x, sy += sign * y, stt += sign * x * x, sty += sign * x * y;
    };
    // Sums are taken about a moving origin, renewed so that they lose no digits.
    std::size_t renew = 4096;
    for (; k <= w.charge.last; ++k) {
        if (++renew > 4096) {
            renew = 0;
            t0 = w.t[k];
            if (column[k] == column[k]) y0 = column[k];
            n = st = sy = stt = sty = 0;
            for (std::size_t m = from; m < k; ++m) add(m, 1);
        }
        add(k, 1);
        while (from < k && w.t[k] - w.t[from] > window + 1e-9) add(from++, -1);
        if (w.t[k] < from_s || w.t[k] - w.start() < window - w.interval()) continue;
        const double det = n * stt - st * st;
        if (n < 3 || det <= 0) continue;
        if (!visit(k, (n * sty - st * sy) / det)) return;
    }
}

}  // namespace nk
