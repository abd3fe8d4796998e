#include "rainflow.h"

#include <cmath>
#include <cstddef>

namespace nk {

std::vector<double> reversals(std::span<const double> history) {
    std::vector<double> out;
    for (const double x : history) {
        if (!std::isfinite(x) || (!out.empty() && x == out.back())) continue;
        const std::size_t n = out.size();
        // Going on in the same direction moves the last point.
        if (n >= 2 && (out[n - 1] > out[n - 2]) == (x > out[n - 1]))
            out[n - 1] = x;
        else
            out.push_back(x);
    }
    return out;
}

std::vector<CountedCycle> rainflow(std::span<const double> history) {
    std::vector<CountedCycle> out;
    std::vector<double> points;  // from the standard's starting point S on
    const auto keep = [&](double a, double b, double count) {
        out.push_back({std::abs(a - b), 0.5 * (a + b), count});
    };
    for (const double x : reversals(history)) {
        points.push_back(x);
        while (points.size() >= 3) {
            const std::size_t n = points.size();
            const double latest = std::abs(points[n - 1] - points[n - 2]);
            const double before = std::abs(points[n - 2] - points[n - 3]);
            if (latest < before) break;
            if (n == 3) {
                // It holds the starting point: half a cycle, and the start moves on.
                keep(points[0], points[1], 0.5);
                points.erase(points.begin());
                break;
            }
            keep(points[n - 3], points[n - 2], 1);
            points.erase(points.end() - 3, points.end() - 1);
        }
    }
    for (std::size_t k = 1; k < points.size(); ++k) keep(points[k - 1], points[k], 0.5);
    return out;
}

double equivalentFullCycles(std::span<const CountedCycle> cycles, double full) {
    double sum = 0;
    for (const CountedCycle& c : cycles) sum += c.count * c.range;
    return sum / full;
}

}  // namespace nk
