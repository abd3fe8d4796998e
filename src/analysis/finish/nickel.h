// Nickel charges: the voltage peak, what came after it, and the slopes at the stop (methods.md §5).
#pragma once

#include <optional>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

inline constexpr double kHoldOff_s = 600;  ///< against false early peaks

/// One nickel charge as a whole: its steps joined, brief pauses included.
struct NickelCharge {
    int step = -1;  ///< its first step
    std::size_t first = 0, last = 0;
    bool peaked = false;
    double peak_s = kNaN;
    double peakUncertainty_s = kNaN;
    double peak_V = kNaN;  ///< smoothed, whole battery
    double drop_V = kNaN;  ///< per cell, from the peak to the stop
    double dropUncertainty_V = kNaN;
    double freedom = 1e9;        ///< degrees of freedom of the fits behind peak and drop
    double falseEarly_s = kNaN;  ///< a maximum within the hold-off that the voltage fell from
    double dVdt_V_s = kNaN;      ///< at the stop, per cell
    double dTdt_C_min = kNaN;    ///< at the stop, regression over 120 s
    double dTdtUncertainty_C_min = kNaN;  ///< where it was read from the changes of a coarse code
    double needed_V = 0;   ///< per cell: a smaller fall is none that this log can tell
    double rise_C = kNaN;  ///< from start to stop
    double charge_Ah = 0;
    double afterPeak_Ah = 0;
    double rate_C = kNaN;
};

const std::vector<NickelCharge>& nickelCharges(const AnalysisInput& in);
const std::vector<NickelCharge>& nickelCharges(AnalysisInput&&) = delete;

void computePeakTime(const AnalysisInput& in, std::vector<Reading>& out);
void computePeakDrop(const AnalysisInput& in, std::vector<Reading>& out);
void computeEndDtdt(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
