#include "nickel_charging.h"

#include <algorithm>
#include <cmath>

namespace nk {

namespace {
constexpr double kFall_V = 0.005;
constexpr double kMostFallen_V = 0.05;
}  // namespace

double NickelCharging::extraAt(double current_A, double deviations) const {
    const double way = std::log(std::max(current_A, 1e-6) / amps);
    const double sigma = std::hypot(extraSigma_Ah, slopeSigma_Ah * way);
    return std::max(1e-3 * extra_Ah, extra_Ah + slope_Ah * way + deviations * sigma);
}

double NickelCharging::missing_Ah(double before_Ah, double extra_Ah) {
    if (!(before_Ah > 0)) return 0;
    return before_Ah - extra_Ah * (1 - std::exp(-before_Ah * kLostAtPeak / extra_Ah));
}

double NickelCharging::before_Ah(double missing_Ah, double extra_Ah) {
    if (!(missing_Ah > 0)) return 0;
    // z(a) rises from nothing, ever steeper: Newton from the right of the root goes straight to it.
    double a = missing_Ah + extra_Ah;
    for (int k = 0; k < 60; ++k) {
        const double step =
            (NickelCharging::missing_Ah(a, extra_Ah) - missing_Ah) / stored(a, extra_Ah);
        a -= step;
        if (std::abs(step) < 1e-9 * a) break;
    }
    return std::max(0.0, a);
}

double NickelCharging::stored(double before_Ah, double extra_Ah) {
    const double w = extra_Ah / kLostAtPeak;
    if (before_Ah < 0) return (1 - kLostAtPeak) * std::exp(before_Ah / w);
    return 1 - kLostAtPeak * std::exp(-before_Ah / w);
}

double NickelCharging::riseAt_V(double share) const {
    if (rise_V.size() != static_cast<std::size_t>(kRise)) return 0;
    const double s = std::clamp(share, 0.0, 1.0);
    std::size_t k = 0;
    while (k + 2 < rise_V.size() && kRiseKnots[k + 1] < s) ++k;
    const double upper = (s - kRiseKnots[k]) / (kRiseKnots[k + 1] - kRiseKnots[k]);
    return (1 - upper) * rise_V[k] + upper * rise_V[k + 1];
}

double NickelCharging::fallen_V(double after_Ah) const {
    if (!(after_Ah > 0) || !(fall_Ah > 0)) return 0;
    return std::min(kMostFallen_V, kFall_V * std::pow(after_Ah / fall_Ah, 2));
}

}  // namespace nk
