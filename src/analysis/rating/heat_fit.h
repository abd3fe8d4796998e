// The heat of a discharge, fitted to one or more recordings:
// C·dT/dt = I²·R25·exp(Ea/Rg·(1/T − 1/298.15 K)) + |I|·v − h·(T − Ta).
#pragma once

#include <array>
#include <optional>
#include <span>
#include <vector>

#include "analysis/rating/discharge_curve.h"

namespace nk {

/// What is known of the resistance's temperature law before: Ea and its standard uncertainty,
/// J/mol. 0: one resistance at all temperatures.
struct HeatPrior {
    double activation_J_mol = 0;
    double activationUncertainty_J_mol = 0;
    /// Share of the heat at the highest current that grows with |I| alone (kinetics); fitted about
    /// this value with as much doubt. 0: none.
    double kineticShare = 0;
};

struct HeatFit {
    double heating_K_sA2 = 0;  ///< R25/(m·cp): warming rate of one ampere squared at 25 °C
    double heatingUncertainty = 0;
    double kinetic_K_sA = 0;  ///< v/(m·cp): of one ampere, what kinetics add
    double cooling_1_s = 0;   ///< h/(m·cp)
    double coolingUncertainty = 0;
    double activation_J_mol = 0;
    double ambient_C = kNaN;
    double residual_C = 0;     ///< rms of measured minus fitted temperature
    bool coolingSeen = false;  ///< false: too little to tell; then 0
    /// Rows of heating, kinetic, cooling, activation, in this order.
    std::array<std::array<double, 4>, 4> covariance{};
    /// Measured minus fitted, one trace after the other, for the picture.
    std::vector<std::vector<double>> residuals_C;

    /// Temperature after a discharge of `charge_Ah` at constant current, from `start_C`.
    double endTemperature_C(double current_A, double charge_Ah, double start_C,
                            double ambient_C) const;
    /// The same fit with its parameters moved, for propagation.
    HeatFit moved(int parameter, double by) const;
};

/// Least squares over all traces (Gauss–Newton), heating and cooling not negative. The surroundings
/// are the given ones, else the temperature at the start of each trace. Residuals of a thermal
/// model hang together over minutes: about ten independent ones a trace are counted. Nothing when
/// it warms by less than 2 K or three times the noise.
std::optional<HeatFit> fitHeat(std::span<const HeatTrace> traces, double noise_C = 0.1,
                               const HeatPrior& prior = {});

}  // namespace nk
