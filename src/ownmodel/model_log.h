// A log as the fit of a battery's own model needs it: rows thinned, charge moved, where full is.
#pragma once

#include "own_model.h"

namespace nk {

/// One row that is fitted.
struct ModelRow {
    double volts, amps, warmth, z_from_start;
    std::size_t index;
    double dt_s = 0, mean_A = 0;  ///< since the row before
    double sigma_V = 0.003;       ///< of a row: where the curve is steep a level that is off counts
    double before_Ah = kNaN;      ///< of a nickel charge: still to go to its peak
};

/// A log thinned for the fit.
struct ThinnedLog {
    const Recording* recording;
    std::vector<ModelRow> rows;
    std::vector<double> moved_Ah;   ///< stored since the start, each sample
    std::vector<double> before_Ah;  ///< nickel alone: to the peak, each sample of a charge
    double start_Ah = kNaN;         ///< z at the first sample; NaN: searched for
    bool assumedFull =
        false;  ///< nickel: no peak tells it, the charge before the longest discharge does
    double hold_V =
        kNaN;  ///< of a cell: the voltage at which a taper that tells the start was held
    double temperature(std::size_t k, double fallback) const {
        if (!recording->hasTemperature()) return fallback;
        const double t = recording->temperature_C()[k];
        return std::isfinite(t) ? t : fallback;
    }
};

/// Even over the samples, at most 4,000 rows, all of a minute behind a jump of the current. Its
/// start is known from a taper that comes to its end, a nickel peak, or a rested start near the set
/// voltage. `nickel`: the law by which a nickel charge is counted.
ThinnedLog thinnedLog(const ModelLog& given, const Battery& battery, const Chemistry& c,
                      const NickelCharging& nickel);

}  // namespace nk
