#include "floor_charge.h"

#include <algorithm>
#include <cmath>

namespace nk {

std::vector<FloorPoint> floorPoints(const std::vector<DischargeCurve>& curves, double floor_V,
                                    double voltage_V) {
    std::vector<FloorPoint> out;
    for (const DischargeCurve& c : curves) {
        FloorPoint p;
        p.current_A = c.mean_A;
        p.delivered_Ah = c.charge_Ah.back();
        const std::size_t n = c.charge_Ah.size();
        const auto slopeAt = [&](std::size_t k) {
            const std::size_t a = k >= 4 ? k - 4 : 0;
            return (c.voltage_V[a] - c.voltage_V[k]) /
                   std::max(c.charge_Ah[k] - c.charge_Ah[a], 1e-12);
        };
        double carriedOn_Ah = 0;
        std::size_t at = n;
        for (std::size_t k = 0; k < n && at == n; ++k)
            if (c.voltage_V[k] < floor_V) at = k;
        // Half of what flows between two samples, and the voltage over the slope of the curve.
        const double between = n > 1 ? 0.5 * (c.charge_Ah[n - 1] - c.charge_Ah[n - 2]) : 0;
        if (at == 0) {
            p.charge_Ah = 0;
            p.delivered_Ah = 0;
        } else if (at < n) {
            const double dv = std::max(c.voltage_V[at - 1] - c.voltage_V[at], 1e-9);
            const double part = (c.voltage_V[at - 1] - floor_V) / dv;
            p.charge_Ah = c.charge_Ah[at - 1] + part * (c.charge_Ah[at] - c.charge_Ah[at - 1]);
            p.delivered_Ah = p.charge_Ah;
        } else if (n >= 5) {
            // The load let go at about the floor (the bins end before the last sample): carried on
            // to it by its own last slope, which steepens, where no more than a little is missing.
            constexpr double kLittle = 0.03, kSteepens = 0.75;
            const double slope = slopeAt(n - 1);
            const double most = std::max(c.delivered_Ah, p.delivered_Ah);
            const double carried =
                slope > 0 ? c.charge_Ah.back() + (c.voltage_V.back() - floor_V) / slope : most;
            const double over = std::max(0.0, carried - most);
            if (slope > 0 && over * slope <= kLittle * floor_V && over <= 0.2 * most) {
                carriedOn_Ah = kSteepens * over;
                p.charge_Ah = std::min(carried, most) + carriedOn_Ah;
            } else if (c.reachedFloor && !(slope > 0)) {
                p.charge_Ah = most;
            }
            p.delivered_Ah = most;
        }
        if (std::isfinite(p.charge_Ah)) {
            const double slope = slopeAt(std::min(at, n - 1));
            p.uncertainty_Ah = std::hypot(
                slope > 0 ? std::hypot(voltage_V, c.sigma_V) / slope : 0.05 * p.charge_Ah,
                between / std::sqrt(3.0));
            p.uncertainty_Ah = std::hypot(std::min(p.uncertainty_Ah, 0.1 * p.charge_Ah + between),
                                          0.4 * carriedOn_Ah);
        }
        out.push_back(p);
    }
    std::sort(out.begin(), out.end(),
              [](const FloorPoint& a, const FloorPoint& b) { return a.current_A < b.current_A; });
    return out;
}

FloorCharge::FloorCharge(const std::vector<FloorPoint>& points) {
    for (const FloorPoint& p : points) {
        if (!std::isfinite(p.charge_Ah)) continue;
        if (!x_.empty() && p.current_A <= 1.02 * x_.back()) {
            q_.back() = 0.5 * (q_.back() + p.charge_Ah);
            continue;
        }
        x_.push_back(p.current_A);
        q_.push_back(p.charge_Ah);
    }
}

double FloorCharge::along(Way way, double current) const {
    const bool log = way == Way::LinearLog || way == Way::CubicLog;
    const auto at = [&](std::size_t k) { return log ? std::log(x_[k]) : x_[k]; };
    const double x = log ? std::log(std::max(current, 1e-12)) : current;
    const std::size_t n = x_.size();
    if (n == 1) return q_.front();
    const auto chord = [&](std::size_t k) { return (q_[k + 1] - q_[k]) / (at(k + 1) - at(k)); };
    if (x <= at(0)) return q_.front() + std::min(chord(0), 0.0) * (x - at(0));
    if (x >= at(n - 1)) {
        const double over = x - at(n - 1);
        const double straight = q_.back() + chord(n - 2) * over;
        if (n < 3 || way == Way::Linear || way == Way::LinearLog) return straight;
        // The charge falls ever faster: the parabola through the last three, where it bends down.
        const double bend = (chord(n - 2) - chord(n - 3)) / (at(n - 1) - at(n - 3));
        return bend < 0 ? straight + bend * over * (over + at(n - 1) - at(n - 2)) : straight;
    }
    std::size_t k = 0;
    while (k + 2 < n && x > at(k + 1)) ++k;
    const double h = at(k + 1) - at(k);
    const double s = (x - at(k)) / h;
    if (way == Way::Linear || way == Way::LinearLog) return q_[k] + s * (q_[k + 1] - q_[k]);
    const auto tangent = [&](std::size_t m) {
        // At the ends the parabola's through three points, while it stays monotone.
        const auto end = [&](std::size_t near, std::size_t next) {
            const double h0 = std::abs(at(near + 1) - at(near));
            const double h1 = std::abs(at(next + 1) - at(next));
            const double d = ((2 * h0 + h1) * chord(near) - h0 * chord(next)) / (h0 + h1);
            if (d * chord(near) <= 0) return 0.0;
            return std::abs(d) > 3 * std::abs(chord(near)) ? 3 * chord(near) : d;
        };
        if (m == 0) return n < 3 ? chord(0) : end(0, 1);
        if (m + 1 == n) return n < 3 ? chord(n - 2) : end(n - 2, n - 3);
        const double a = chord(m - 1);
        const double b = chord(m);
        return a * b <= 0 ? 0.0 : 2 * a * b / (a + b);
    };
    const double m0 = tangent(k) * h;
    const double m1 = tangent(k + 1) * h;
    const double s2 = s * s;
    const double s3 = s2 * s;
    return (2 * s3 - 3 * s2 + 1) * q_[k] + (s3 - 2 * s2 + s) * m0 + (3 * s2 - 2 * s3) * q_[k + 1] +
           (s3 - s2) * m1;
}

double FloorCharge::at(double current) const {
    if (x_.empty()) return kNaN;
    return std::max(0.0, 0.5 * (along(Way::Cubic, current) + along(Way::CubicLog, current)));
}

double FloorCharge::solve(Way way, double charge, double most) const {
    double low = 0.02 * x_.front();
    double high = most;
    if (along(way, high) > charge || along(way, low) < charge) return kNaN;
    for (int k = 0; k < 60; ++k) {
        const double middle = 0.5 * (low + high);
        (along(way, middle) >= charge ? low : high) = middle;
    }
    return low;
}

double FloorCharge::currentFor(double charge, double most, double& spread) const {
    spread = 0;
    if (x_.size() < 2) return kNaN;
    double least = INFINITY;
    double greatest = 0;
    double sum = 0;
    double weights = 0;
    for (const Way way : {Way::Cubic, Way::CubicLog, Way::Linear, Way::LinearLog}) {
        const double i = solve(way, charge, most);
        if (!std::isfinite(i)) continue;
        // Beyond the fastest run a resistance takes as much for each ampere as before: over the
        // logarithm it would flatten.
        if (i > x_.back() && (way == Way::LinearLog || way == Way::CubicLog)) continue;
        least = std::min(least, i), greatest = std::max(greatest, i);
        const bool bent = way == Way::Cubic || way == Way::CubicLog;
        sum += bent ? i : 0.5 * i;
        weights += bent ? 1 : 0.5;
    }
    if (weights == 0) return kNaN;
    spread = 0.5 * (greatest - least);
    return sum / weights;
}

}  // namespace nk
