// Charge and energy by the trapezoid rule on the real time stamps, with the uncertainty that the
// sampling itself leaves (gaps, jumps of the current between two samples).
#pragma once

#include <vector>

#include "quantity/uncertainty.h"
#include "recording.h"

namespace nk {

struct Integral {
    double charge_Ah = 0;  ///< signed, positive into the battery
    double energy_Wh = 0;  ///< signed
    double duration_s = 0;
    /// Standard uncertainty from sampling: across each jump or gap the charge is bounded by
    /// holding the larger and the smaller neighbour; half the range/√3 (methods.md §1).
    double samplingCharge_Ah = 0;
    double samplingEnergy_Wh = 0;
    double absCharge_Ah = 0;  ///< ∫|I| dt: what an instrument's gain error acts on
};

/// Integrates the intervals between samples first … last (inclusive). Empty when last ≤ first.
Integral integrate(const Recording& recording, std::size_t first, std::size_t last);

/// Standard uncertainties of a charge and an energy, from instrument accuracy, resolution,
/// noise and sampling. `sum` is the integral they belong to.
double chargeUncertainty_Ah(const Recording& recording, const Integral& sum,
                            const InstrumentAccuracy& accuracy);
double energyUncertainty_Wh(const Recording& recording, const Integral& sum,
                            const InstrumentAccuracy& accuracy);

/// Running charge from the first sample, Ah, one value a sample.
std::vector<double> cumulativeCharge_Ah(const Recording& recording);
/// Running charge moved, in or out, Ah: never falls.
std::vector<double> movedCharge_Ah(const Recording& recording);
std::vector<double> cumulativeEnergy_Wh(const Recording& recording);

}  // namespace nk
