// Combining uncertainties after the GUM (JCGM 100:2008).
#pragma once

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

/// What an instrument may be off by: half-widths of rectangles. The default is ±0.5 % of the
/// reading ±1 step of the log's own resolution (common practice for hobby meters, no source).
struct InstrumentAccuracy {
    double voltageGain = 0.005;       ///< fraction of reading
    double voltageOffsetSteps = 1.0;  ///< in steps of the log's resolution
    double currentGain = 0.005;
    double currentOffsetSteps = 1.0;
    double temperature_C = 1.0;
};

}  // namespace nk
