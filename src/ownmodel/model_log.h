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
};

/// A log thinned for the fit.
struct ThinnedLog {
    const Recording* recording;
    std::vector<ModelRow> rows;
    std::vector<double> moved_Ah;  ///< into the battery since the start, each sample
    double start_Ah = kNaN;        ///< z at the first sample; NaN: searched for
    double hold_V =
        kNaN;  ///< of a cell: the voltage at which a taper that tells the start was held
    double temperature(std::size_t k, double fallback) const {
        if (!recording->hasTemperature()) return fallback;
        const double t = recording->temperature_C()[k];
        return std::isfinite(t) ? t : fallback;
    }
};

/// Even over the samples, at most 4,000 rows, all of a minute behind a jump of the current. Its
/// start is known from a taper that comes to its end, or a rested start near the set voltage.
ThinnedLog thinnedLog(const ModelLog& given, const Battery& battery, const Chemistry& c);

}  // namespace nk
