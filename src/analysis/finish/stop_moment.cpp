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
    const auto n = static_cast<Eigen::Index>(last - first + 1);
    const Eigen::Index m = order + 1;
    if (n < m + 1) return out;
    const double scale = std::max(t[last] - t[first], 1e-9);
    Eigen::MatrixXd a(n, m);
    Eigen::VectorXd b(n);
    for (Eigen::Index k = 0; k < n; ++k) {
        const double x = (t[first + static_cast<std::size_t>(k)] - at_s) / scale;
        double power = 1;
        for (Eigen::Index p = 0; p < m; ++p, power *= x) a(k, p) = power;
        b(k) = y[first + static_cast<std::size_t>(k)];
    }
    const Eigen::MatrixXd normal = (a.transpose() * a).inverse();
    const Eigen::VectorXd fit = normal * (a.transpose() * b);
    const Eigen::VectorXd residual = b - a * fit;
    out.freedom = static_cast<double>(n - m);
    double follow = 0;
    for (Eigen::Index k = 1; k < n; ++k) follow += residual(k) * residual(k - 1);
    const double square = residual.squaredNorm();
    const double rho = square > 0 && n > 6 ? std::clamp(follow / square, 0.0, 0.8) : 0;
    const double sigma = std::max(std::sqrt(square / out.freedom), leastSigma);
    out.value = fit(0);
    out.slope = fit(1) / scale;
    out.uncertainty = sigma * std::sqrt(std::max(normal(0, 0), 0.0) * (1 + rho) / (1 - rho));
    return out;
}

}  // namespace nk
