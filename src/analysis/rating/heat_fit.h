// The heat of a discharge: m·cp·dT/dt = I²·R − h·(T − Ta), fitted to one or more recordings.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "analysis/rating/discharge_curve.h"

namespace nk {

struct HeatFit {
    double heating_K_sA2 = 0;  ///< R/(m·cp): warming rate of one ampere squared
    double heatingUncertainty = 0;
    double cooling_1_s = 0;  ///< h/(m·cp)
    double coolingUncertainty = 0;
    double ambient_C = kNaN;
    double residual_C = 0;     ///< rms of measured minus fitted temperature
    bool coolingSeen = false;  ///< false: too little to tell; then 0
    /// Measured minus fitted, one trace after the other, for the picture.
    std::vector<std::vector<double>> residuals_C;

    /// Temperature after a discharge of `charge_Ah` at constant current, from `start_C`.
    double endTemperature_C(double current_A, double charge_Ah, double start_C,
                            double ambient_C) const;
};

/// Least squares of T(t) − T(0) = a·∫I²dt − b·∫(T − Ta)dt over all traces, both not negative. The
/// surroundings are the given ones, else the temperature at the start of each trace. Nothing when
/// it warms by less than 2 K or three times the noise.
std::optional<HeatFit> fitHeat(std::span<const HeatTrace> traces, double noise_C = 0.1);

}  // namespace nk
