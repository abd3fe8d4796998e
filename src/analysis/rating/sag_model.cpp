#include <algorithm>
#include <cmath>

#include "rating.h"

namespace nk {

SagModel::SagModel(const std::vector<DischargeCurve>& curves, double resistance)
    : curves_(&curves), resistance_ohm_(resistance) {
    for (const DischargeCurve& c : curves) highest_A_ = std::max(highest_A_, c.mean_A);
}

std::vector<SagModel::Point> SagModel::pointsAt(double q) const {
    std::vector<Point> out;
    for (const DischargeCurve& c : *curves_) {
        const double v = c.voltageAt(std::max(q, c.charge_Ah.front()));
        if (std::isfinite(v)) out.push_back({c.mean_A, v});
    }
    std::sort(out.begin(), out.end(),
              [](const Point& a, const Point& b) { return a.current_A < b.current_A; });
    // Two runs at one rate are one point.
    std::vector<Point> merged;
    for (const Point& p : out) {
        if (!merged.empty() && p.current_A < 1.1 * merged.back().current_A) {
            merged.back().voltage_V = 0.5 * (merged.back().voltage_V + p.voltage_V);
            merged.back().current_A = 0.5 * (merged.back().current_A + p.current_A);
        } else {
            merged.push_back(p);
        }
    }
    return merged;
}

std::size_t SagModel::ratesAt(double q) const {
    return pointsAt(q).size();
}

double SagModel::resistance_ohm(double q, double current) const {
    const auto points = pointsAt(q);
    if (points.size() < 2) {
        // Deeper than the faster runs go: the resistance where two of them last agreed.
        double last = kNaN;
        double end = 0;
        for (const DischargeCurve& a : *curves_)
            for (const DischargeCurve& b : *curves_) {
                if (a.mean_A >= 0.9 * b.mean_A) continue;
                const double shared = 0.97 * std::min(a.charge_Ah.back(), b.charge_Ah.back());
                if (shared >= q || shared <= end) continue;
                const double r =
                    (a.voltageAt(shared) - b.voltageAt(shared)) / (b.mean_A - a.mean_A);
                if (r > 0) last = r, end = shared;
            }
        return std::isfinite(last) ? last : resistance_ohm_;
    }
    std::size_t hi = 1;
    while (hi + 1 < points.size() && points[hi].current_A < current) ++hi;
    const Point& a = points[hi - 1];
    const Point& b = points[hi];
    const double r = (a.voltage_V - b.voltage_V) / (b.current_A - a.current_A);
    // Warm, fast runs may lie over slow ones; then the pair tells no resistance.
    return r > 0 ? r : resistance_ohm_;
}

double SagModel::voltage_V(double q, double current) const {
    const auto points = pointsAt(q);
    if (points.empty()) return kNaN;
    const double r = resistance_ohm(q, current);
    // From the nearest measured rate.
    const Point* nearest = &points.front();
    for (const Point& p : points)
        if (std::abs(p.current_A - current) < std::abs(nearest->current_A - current)) nearest = &p;
    return nearest->voltage_V + (nearest->current_A - current) * r;
}

bool SagModel::measured(double q, double current) const {
    const auto points = pointsAt(q);
    return points.size() >= 2 && current >= 0.99 * points.front().current_A &&
           current <= 1.01 * points.back().current_A;
}

}  // namespace nk
