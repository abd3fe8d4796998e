#include "overlay.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace nk {

double CellCurve::at(double q) const {
    const std::size_t n = charge_Ah.size();
    const auto it = std::lower_bound(charge_Ah.begin(), charge_Ah.end(), q);
    auto k = static_cast<std::size_t>(it - charge_Ah.begin());
    k = std::clamp<std::size_t>(k, 1, n - 1);
    const double f = (q - charge_Ah[k - 1]) / (charge_Ah[k] - charge_Ah[k - 1]);
    return voltage_V[k - 1] + f * (voltage_V[k] - voltage_V[k - 1]);
}

double CellCurve::slope(double q) const {
    const double h = 0.01 * (charge_Ah.back() - charge_Ah.front());
    const double low = std::max(q - h, charge_Ah.front());
    const double high = std::max(low + h, std::min(q + h, charge_Ah.back()));
    return (at(high) - at(low)) / (high - low);
}

namespace {

Overlay fitFrom(const CellCurve& weak, const CellCurve& other, const OverlayPrior& prior,
                double offset, double from) {
    constexpr double kIndependent = 18;
    const double end = weak.charge_Ah.back();
    Overlay out;
    out.offset_Ah = offset;
    out.shift_V = prior.shift_V;
    Eigen::Matrix3d inverse = Eigen::Matrix3d::Zero();
    double points = 0;
    for (int round = 0; round < 25; ++round) {
        Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
        Eigen::Vector3d right = Eigen::Vector3d::Zero();
        points = 0;
        double square = 0;
        for (std::size_t k = 0; k < other.charge_Ah.size(); ++k)
            points += other.charge_Ah[k] >= from * end;
        if (points < 8) return out;
        const double share = std::min(1.0, kIndependent / points);
        for (std::size_t k = 0; k < other.charge_Ah.size(); ++k) {
            const double q = other.charge_Ah[k];
            if (q < from * end) continue;
            const double x = (q + out.offset_Ah) / out.scale;
            if (x > 1.02 * end || x < -0.2 * end) continue;
            const double slope = weak.slope(std::clamp(x, 0.0, end));
            const double residual = other.voltage_V[k] - weak.at(x) - out.shift_V;
            const double steep = slope * 0.005 * end;
            const double variance =
                2 * prior.sigma_V * prior.sigma_V + prior.shape_V * prior.shape_V + steep * steep;
            const Eigen::Vector3d row(-slope * x / out.scale, slope / out.scale, 1);
            normal += row * row.transpose() * (share / variance);
            right += row * (residual * share / variance);
            square += residual * residual / variance;
        }
        const auto known = [&](int p, double value, double now, double sigma) {
            if (!(sigma > 0)) return;
            normal(p, p) += 1 / (sigma * sigma);
            right(p) += (value - now) / (sigma * sigma);
        };
        known(0, 1, out.scale, 0.3);
        known(1, prior.offset_Ah, out.offset_Ah, prior.offsetUncertainty_Ah);
        known(2, prior.shift_V, out.shift_V, prior.shiftUncertainty_V);
        inverse = normal.inverse();
        if (!inverse.allFinite()) return out;
        Eigen::Vector3d step = inverse * right;
        step(0) = std::clamp(step(0), -0.1, 0.1);
        step(1) = std::clamp(step(1), -0.1 * end, 0.1 * end);
        out.scale = std::clamp(out.scale + step(0), 0.6, 2.5);
        out.offset_Ah += step(1);
        out.shift_V += step(2);
        out.rms_V = std::sqrt(square / points);  // in units of the expected scatter
        if (std::abs(step(0)) < 1e-6 && std::abs(step(1)) < 1e-6 * end) break;
    }
    const Eigen::Vector3d gradient(end, -1, 0);
    const double worse = std::max(1.0, out.rms_V);
    out.left_Ah = (out.scale - 1) * end - out.offset_Ah;
    out.leftUncertainty_Ah = worse * std::sqrt(std::max(0.0, gradient.dot(inverse * gradient)));
    out.found = std::isfinite(out.left_Ah) && std::isfinite(out.leftUncertainty_Ah);
    return out;
}

}  // namespace

Overlay layOver(const CellCurve& weak, const CellCurve& other, const OverlayPrior& prior) {
    const double end = weak.charge_Ah.back();
    Overlay best;
    for (const double start : {0.0, -0.1, 0.1}) {
        Overlay fit = fitFrom(weak, other, prior, prior.offset_Ah + start * end, 0.05);
        if (fit.found && (!best.found || fit.rms_V < 0.98 * best.rms_V)) best = fit;
    }
    if (!best.found) return best;
    // The deeper half alone: where it tells another story, that is doubt.
    const Overlay deep = fitFrom(weak, other, prior, best.offset_Ah, 0.5);
    if (deep.found) {
        const double apart = std::abs(deep.left_Ah - best.left_Ah);
        const double scatter = deep.leftUncertainty_Ah;
        best.leftUncertainty_Ah =
            std::hypot(best.leftUncertainty_Ah, std::max(0.0, apart - scatter) / std::sqrt(3.0));
    }
    return best;
}

}  // namespace nk
