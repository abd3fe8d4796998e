// A battery's own model: open-circuit curve, resistance over charge level and temperature, two RC
// pairs and heat, fitted from its recordings and judged on what it did not see.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "nickel_charging.h"
#include "steps/step.h"

namespace nk {

/// One log with its steps; the columns outlive the fit.
struct ModelLog {
    const Recording* recording = nullptr;
    const Steps* steps = nullptr;
};

/// A log as a fit that did not see it predicts it, thinned to a few hundred rows.
struct LeftOutLog {
    std::size_t log = 0;                                  ///< among those given
    std::vector<double> time_s, measured_V, predicted_V;  ///< of a cell
    std::vector<double> level, weight;                    ///< only while it is fitted
    double rms_V = 0;
    /// Its longest charge or discharge that came to its end: time and charge, measured and
    /// predicted; NaN where there is none.
    double measured_s = kNaN, predicted_s = kNaN;
    double measured_Ah = kNaN, predicted_Ah = kNaN;
};

/// The chemistry's curve with a smooth correction; z in Ah under full.
struct OwnModel {
    const Chemistry* chemistry = nullptr;
    int series = 1;
    double capacity_Ah = 0;            ///< from full and rested down to the floor without load
    double scale_Ah = 0;               ///< z over this is one minus the level
    std::vector<double> correction_V;  ///< at kCurveKnots, of a cell
    std::vector<double> r0_ohm;        ///< at kResistanceKnots, of a cell at 25 °C
    std::array<double, 2> r_ohm{}, tau_s{};
    /// Diffusion: the terminals see the level of a lagging surface, lag_Ah_A · (current through a
    /// filter of lag_s) nearer to full while charging.
    double lag_s = 100, lag_Ah_A = 0;
    double activation_J_mol = 0;
    double heat_J_K = 0, loss_W_K = 0;  ///< of the battery
    bool heatKnown = false;             ///< from its own temperatures, not a usual figure
    /// Nickel alone: full is where the charge had its peak.
    NickelCharging nickel;

    double leftOutRms_V = 0;          ///< a cell, predicted by a fit that did not see it
    std::vector<double> leftOutAt_V;  ///< the same at kErrorKnots of the level
    double noise_V = 0;               ///< RMS of the fit itself
    double resistanceShare = 0.02;    ///< standard uncertainty of all resistances, relative
    double fullShare = 0.003;         ///< how well full is met: fraction of the capacity, standard
    double chargeShare = 0.005;       ///< of every charge: the gain of the instrument
    struct Evidence {
        double c_low = 0, c_high = 0;  ///< currents, C (discharge and charge)
        double t_low_C = 0, t_high_C = 0;
        double soc_low = 0, soc_high = 1;
    } evidence;
    std::vector<LeftOutLog> leftOut;
    std::vector<std::string> caveats;

    /// All parts there and finite: what came out of a file may be used.
    bool wellFormed() const;
    double level(double z_Ah) const { return 1 - z_Ah / scale_Ah; }
    /// Open-circuit voltage of a cell, beyond the ends straight on.
    double ocv_V(double z_Ah) const;
    /// What it misses at a level by, V a cell, standard.
    double missesAt_V(double z_Ah) const;
    double r0At(double z_Ah, double temperature_C) const;
    double warmthFactor(double temperature_C) const;
};

/// Fits by variable projection: for given time constants, scale and unknown starts the curve and
/// the resistances are a regularised linear least-squares fit (Golub and Pereyra, SIAM J. Numer.
/// Anal. 10 (1973) 413–432, memory); those few are searched by Nelder and Mead's simplex. Rows are
/// thinned, dense behind changes of the current. The first log that leads from full to the floor is
/// the battery of today; others that show another capacity are left out. Errors: no chemistry or
/// series count, nothing from which capacity or resistance can be learned.
Expected<OwnModel> fitOwnModel(const std::vector<ModelLog>& logs, const Battery& battery);

}  // namespace nk
