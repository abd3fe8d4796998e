#include "stop_moment.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace nk {

StopMoment stopOf(const Recording& r, const Step& step) {
    const auto t = r.time_s();
    const auto c = r.current_A();
    StopMoment out;
    out.last = step.last;
    // A last sample on which the charger or load has let go already belongs to what follows.
    while (out.last > step.first + 3 &&
           std::abs(c[out.last]) < 0.6 * std::abs(c[out.last - 1]) - 3 * r.currentQuality().noise)
        --out.last;
    out.at_s = t[out.last];
    if (out.last + 1 < r.size()) {
        // Over a gap nobody knows: the usual interval is the likely one.
        const double next =
            std::min(t[out.last + 1] - t[out.last], 3 * std::max(r.usualInterval_s(), 1e-9));
        out.halfWidth_s = 0.5 * next;
        out.at_s += out.halfWidth_s;
    }
    return out;
}

ReadAt readAt(std::span<const double> t, std::span<const double> y, std::size_t first,
              std::size_t last, double at_s, int order, double leastSigma) {
    ReadAt out;
    const std::size_t n = last - first + 1;
    const int m = order + 1;
    if (n < static_cast<std::size_t>(m) + 1) return out;
    const double scale = std::max(t[last] - t[first], 1e-9);
    // At most a parabola: the normal equations fit into what needs no memory of its own.
    using Small = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, 3, 3>;
    using SmallVector = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, 3, 1>;
    double powers[5] = {};
    double right[3] = {};
    for (std::size_t k = first; k <= last; ++k) {
        const double x = (t[k] - at_s) / scale;
        double power = 1;
        for (int p = 0; p < 2 * m - 1; ++p, power *= x) {
            powers[p] += power;
            if (p < m) right[p] += power * y[k];
        }
    }
    Small square(m, m);
    SmallVector b(m);
    for (int row = 0; row < m; ++row) {
        b(row) = right[row];
        for (int column = 0; column < m; ++column) square(row, column) = powers[row + column];
    }
    const Small normal = square.inverse();
    const SmallVector fit = normal * b;
    out.freedom = static_cast<double>(n) - m;
    double follow = 0;
    double misfit = 0;
    double before = 0;
    for (std::size_t k = first; k <= last; ++k) {
        const double x = (t[k] - at_s) / scale;
        double model = fit(m - 1);
        for (int p = m - 1; p-- > 0;) model = model * x + fit(p);
        const double residual = y[k] - model;
        misfit += residual * residual;
        if (k > first) follow += residual * before;
        before = residual;
    }
    const double rho = misfit > 0 && n > 6 ? std::clamp(follow / misfit, 0.0, 0.8) : 0;
    const double sigma = std::max(std::sqrt(misfit / out.freedom), leastSigma);
    out.value = fit(0);
    out.slope = m > 1 ? fit(1) / scale : 0;
    out.uncertainty = sigma * std::sqrt(std::max(normal(0, 0), 0.0) * (1 + rho) / (1 - rho));
    return out;
}

StopCurrent stopCurrentOf(const Recording& recording, const InstrumentAccuracy& accuracy,
                          const Step& step) {
    const ChannelQuality& q = recording.currentQuality();
    const StopMoment stop = stopOf(recording, step);
    const auto t = recording.time_s();
    const auto c = recording.current_A();
    const std::size_t rows = stop.last - step.first + 1;
    const std::size_t taken = std::min<std::size_t>(rows, std::max<std::size_t>(10, rows / 12));
    const std::size_t from = stop.last + 1 - taken;
    // Without noise that dithers it, rounding does not average out.
    const double rounding = q.rounding();
    const double least = std::max(q.noise, 0.2 * q.resolution);
    ReadAt end = readAt(t, c, from, stop.last, stop.at_s, 2, least);
    if (!std::isfinite(end.value) || !(end.value > 0))
        end = readAt(t, c, from, stop.last, stop.at_s, 1, least);
    if (!std::isfinite(end.value) || !(end.value > 0))
        end = {c[stop.last], 0, std::max(q.sigma(), 0.05 * c[stop.last]), 1};
    const double gain = rectangle(accuracy.currentGain * end.value);
    const double offset = rectangle(accuracy.currentOffsetSteps * q.resolution);
    const double moment = rectangle(end.slope * stop.halfWidth_s);
    StopCurrent out;
    out.value_A = end.value;
    out.uncertainty_A = quadrature({gain, offset, moment, end.uncertainty, rounding});
    out.coverage = coverageFactor(out.uncertainty_A, std::max({gain, offset, moment}),
                                  end.uncertainty, end.freedom);
    out.from_s = t[from];
    return out;
}

}  // namespace nk
