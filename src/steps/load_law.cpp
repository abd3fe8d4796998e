// What a load follows: constant current, power or resistance, as a slope in logarithms.
#include <algorithm>
#include <cmath>
#include <utility>

#include "segment.h"

namespace nk {

LoadLaw fitLoadLaw(const Recording& recording, std::size_t first, std::size_t last, double steady) {
    LoadLaw law;
    const auto v = recording.voltage_V();
    const auto i = recording.current_A();
    std::vector<double> x, y;
    const std::size_t stride = std::max<std::size_t>(1, (last - first) / 1000);
    x.reserve((last - first) / stride + 1);
    y.reserve(x.capacity());
    for (std::size_t k = first; k <= last; k += stride)
        if (v[k] > 0 && i[k] != 0) {
            x.push_back(v[k]);
            y.push_back(std::abs(i[k]));
        }
    if (x.size() < 5) return law;
    std::vector<double> sorted;
    const auto ends = [&sorted](const std::vector<double>& of) {
        sorted = of;
        const auto n = static_cast<double>(sorted.size() - 1);
        const auto high = sorted.begin() + static_cast<std::ptrdiff_t>(0.95 * n);
        std::nth_element(sorted.begin(), high, sorted.end());
        const double upper = *high;
        const auto low = sorted.begin() + static_cast<std::ptrdiff_t>(0.05 * n);
        if (low != high) std::nth_element(sorted.begin(), low, high);
        return std::pair(*low, upper);
    };
    const auto spreadOf = [&ends](const std::vector<double>& of) {
        const auto [low, high] = ends(of);
        return (high - low) / 3.29;
    };
    // The logarithm keeps the order, so two of them do; what is this steady follows no law.
    const auto [lowest_A, highest_A] = ends(y);
    law.currentSpread = (std::log(highest_A) - std::log(lowest_A)) / 3.29;
    if (law.currentSpread <= steady) return law;
    for (double& value : x) value = std::log(value);
    for (double& value : y) value = std::log(value);
    // Least squares with two rounds of down-weighting of stray points (Huber).
    std::vector<double> w(x.size(), 1.0);
    std::vector<double> r;
    double a = 0, b = 0;
    for (int round = 0; round < 3; ++round) {
        double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
        for (std::size_t k = 0; k < x.size(); ++k) sw += w[k], sx += w[k] * x[k], sy += w[k] * y[k];
        const double mx = sx / sw;
        const double my = sy / sw;
        for (std::size_t k = 0; k < x.size(); ++k)
            sxx += w[k] * (x[k] - mx) * (x[k] - mx), sxy += w[k] * (x[k] - mx) * (y[k] - my);
        b = sxx > 1e-14 ? sxy / sxx : 0;
        a = my - b * mx;
        r.resize(x.size());
        for (std::size_t k = 0; k < x.size(); ++k) r[k] = y[k] - a - b * x[k];
        law.residual = spreadOf(r);
        law.standardError = sxx > 1e-14 ? std::max(law.residual, 1e-6) / std::sqrt(sxx) : 1e9;
        for (std::size_t k = 0; k < x.size(); ++k)
            w[k] =
                std::min(1.0, 2 * std::max(law.residual, 1e-6) / std::max(std::abs(r[k]), 1e-12));
    }
    law.exponent = b;
    return law;
}

}  // namespace nk
