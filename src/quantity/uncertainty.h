// Combining uncertainties after the GUM (JCGM 100:2008).
#pragma once

#include <algorithm>
#include <cmath>
#include <initializer_list>

namespace nk {

/// Standard uncertainty of a value known to lie within ±halfWidth (rectangle; GUM 4.3.7).
inline double rectangle(double halfWidth) {
    return std::abs(halfWidth) / std::sqrt(3.0);
}

/// Standard uncertainty of rounding to a step of `resolution` (GUM F.2.2.1): resolution/√12.
inline double quantisation(double resolution) {
    return std::abs(resolution) / std::sqrt(12.0);
}

/// Root of the sum of squares of independent contributions; NaN terms are ignored.
inline double quadrature(std::initializer_list<double> terms) {
    double sum = 0;
    for (double t : terms)
        if (std::isfinite(t)) sum += t * t;
    return std::sqrt(sum);
}

/// Student's factor for 95 % with `freedom` degrees of freedom (GUM, table G.2); 1.96 for very
/// many.
inline double studentFactor(double freedom) {
    constexpr double kTable[] = {12.71, 4.30, 3.18, 2.78, 2.57, 2.45, 2.36, 2.31, 2.26, 2.23};
    if (!(freedom >= 1)) return kTable[0];
    if (freedom < 10) {
        const int low = static_cast<int>(freedom);
        const double part = freedom - low;
        return kTable[low - 1] + part * (kTable[std::min(low, 9)] - kTable[low - 1]);
    }
    // Within half a per cent of the table from ten on.
    return 1.96 + 2.4 / freedom + 3.0 / (freedom * freedom);
}

/// Factor for 95 % of a quadrature sum of which one rectangle is the share `rectangleShare` (0 to
/// 1) of the combined uncertainty and `few`, a part known from few points, has `freedom` degrees of
/// freedom (Welch and Satterthwaite, GUM G.4). Where the rectangle rules the factor is under
/// two: 1.88, 1.81, 1.74 and 1.65 at shares of 0.8, 0.9, 0.95 and 1 (Monte Carlo, JCGM 101).
inline double coverageFactor(double whole, double largestRectangle, double few = 0,
                             double freedom = 1e9) {
    if (!(whole > 0)) return 2;
    const double share = std::min(1.0, std::abs(largestRectangle) / whole);
    double factor = 1.96;
    if (share > 0.7) {
        constexpr double kShare[] = {0.7, 0.8, 0.9, 0.95, 1.0};
        constexpr double kFactor[] = {1.93, 1.88, 1.81, 1.74, 1.65};
        for (int k = 0; k < 4; ++k)
            if (share >= kShare[k])
                factor = kFactor[k] + (share - kShare[k]) / (kShare[k + 1] - kShare[k]) *
                                          (kFactor[k + 1] - kFactor[k]);
    }
    const double part = few / whole;
    if (part > 0.2 && freedom < 30)
        factor = std::max(factor, studentFactor(freedom / std::pow(part, 4)));
    return factor;
}

/// What an instrument may be off by: half-widths of rectangles. The default is ±0.5 % of the
/// reading ±1 step of the log's own resolution (common practice for hobby meters, no source).
struct InstrumentAccuracy {
    double voltageGain = 0.005;       ///< fraction of reading
    double voltageOffsetSteps = 1.0;  ///< in steps of the log's resolution
    double currentGain = 0.005;
    double currentOffsetSteps = 1.0;
    double temperature_C = 1.0;
    bool operator==(const InstrumentAccuracy&) const = default;
};

}  // namespace nk
