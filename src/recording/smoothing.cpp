#include "smoothing.h"

#include <cmath>
#include <limits>

namespace nk {

namespace {

constexpr double kMissing = std::numeric_limits<double>::quiet_NaN();

/// Sums of a moving window. Values are kept relative to a reference that is renewed from time to
/// time, so that ten million samples lose no digits.
struct Window {
    double t0 = 0, y0 = 0;
    double n = 0, st = 0, sy = 0, stt = 0, sty = 0;

    void add(double t, double y, double sign) {
        if (!std::isfinite(y)) return;
        const double dt = t - t0;
        const double dy = y - y0;
        n += sign;
        st += sign * dt;
        sy += sign * dy;
        stt += sign * dt * dt;
        sty += sign * dt * dy;
    }
    void restart(double t, double y) {
        *this = {};
        t0 = t;
        y0 = std::isfinite(y) ? y : 0;
    }
    double mean() const { return n > 0.5 ? y0 + sy / n : kMissing; }
    double slope() const {
        const double spread = stt - st * st / n;
        return n > 2.5 && spread > 0 ? (sty - st * sy / n) / spread : kMissing;
    }
};

/// Visits every index with a window holding the samples of (lowEdge(i), highEdge(i)].
template <class Low, class High, class Visit>
void slide(std::span<const double> t, std::span<const double> y, Low low, High high, Visit visit) {
    Window window;
    std::size_t first = 0;
    std::size_t last = 0;
    std::size_t sinceRestart = 0;
    for (std::size_t i = 0; i < t.size(); ++i) {
        while (last < t.size() && t[last] <= high(i)) window.add(t[last], y[last], 1), ++last;
        while (first < last && t[first] <= low(i)) window.add(t[first], y[first], -1), ++first;
        if (++sinceRestart >= 4096 || window.n < 0.5) {
            sinceRestart = 0;
            window.restart(t[i], y[i]);
            for (std::size_t k = first; k < last; ++k) window.add(t[k], y[k], 1);
        }
        visit(i, window, first, last);
    }
}

}  // namespace

Smoothed trailingMean(std::span<const double> time_s, std::span<const double> column,
                      double window_s) {
    Smoothed out{std::vector<double>(time_s.size(), kMissing), window_s / 2};
    slide(
        time_s, column, [&](std::size_t i) { return time_s[i] - window_s; },
        [&](std::size_t i) { return time_s[i]; },
        [&](std::size_t i, const Window& w, std::size_t, std::size_t) { out.value[i] = w.mean(); });
    return out;
}

std::vector<double> centredMean(std::span<const double> time_s, std::span<const double> column,
                                double window_s) {
    std::vector<double> out(time_s.size(), kMissing);
    const double half = window_s / 2 * (1 + 1e-12);
    slide(
        time_s, column, [&](std::size_t i) { return time_s[i] - half - 1e-9; },
        [&](std::size_t i) { return time_s[i] + half; },
        [&](std::size_t i, const Window& w, std::size_t, std::size_t) { out[i] = w.mean(); });
    return out;
}

std::vector<double> centredMeanAt(std::span<const double> time_s, std::span<const double> column,
                                  double window_s, std::span<const std::size_t> at) {
    const double half = window_s / 2 * (1 + 1e-12);
    std::vector<std::pair<std::size_t, std::size_t>> windows;
    windows.reserve(at.size());
    std::size_t first = 0, last = 0, all = 0;
    for (const std::size_t k : at) {
        while (first < time_s.size() && time_s[first] <= time_s[k] - half - 1e-9) ++first;
        while (last < time_s.size() && time_s[last] <= time_s[k] + half) ++last;
        windows.emplace_back(first, last);
        all += last - first;
    }
    std::vector<double> out;
    out.reserve(at.size());
    // A moving sum over all costs about as much as three plain ones. The windows are counted, not
    // guessed from their length: a log may have most of its rows in one of them.
    const std::vector<double> moving =
        all / 3 > time_s.size() ? centredMean(time_s, column, window_s) : std::vector<double>();
    for (std::size_t n = 0; n < at.size(); ++n) {
        const std::size_t k = at[n];
        if (!std::isfinite(column[k])) {
            out.push_back(kMissing);
            continue;
        }
        if (!moving.empty()) {
            out.push_back(moving[k]);
            continue;
        }
        // About the sample itself, so that no digits are lost.
        double sum = 0, count = 0;
        for (std::size_t m = windows[n].first; m < windows[n].second; ++m)
            if (std::isfinite(column[m])) sum += column[m] - column[k], ++count;
        out.push_back(column[k] + sum / count);
    }
    return out;
}

Smoothed trailingSlope(std::span<const double> time_s, std::span<const double> column,
                       double window_s) {
    Smoothed out{std::vector<double>(time_s.size(), kMissing), window_s / 2};
    slide(
        time_s, column, [&](std::size_t i) { return time_s[i] - window_s - 1e-9; },
        [&](std::size_t i) { return time_s[i]; },
        [&](std::size_t i, const Window& w, std::size_t first, std::size_t) {
            if (time_s[i] - time_s[first] >= window_s / 2) out.value[i] = w.slope();
        });
    return out;
}

}  // namespace nk
