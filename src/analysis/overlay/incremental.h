// Incremental capacity dQ/dV and differential voltage dV/dQ of a slow step at constant current:
// what a plateau of the curve becomes a peak in (methods.md §14).
#pragma once

#include <string>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

/// A peak of dQ/dV. Uncertainties are standard, k = 1.
struct IncrementalPeak {
    double volts = kNaN, voltsUncertainty = kNaN;  ///< of the whole battery
    double voltsScatter = kNaN;                    ///< of it without gain and offset of the meter
    double height_Ah_V = kNaN, heightUncertainty = kNaN;
    double area_Ah = kNaN, areaUncertainty = kNaN;  ///< charge between the valleys on its sides
    double from_V = kNaN, to_V = kNaN;              ///< those valleys
};

struct IncrementalCapacity {
    int step = -1;
    std::string why;  ///< why there is none; empty: there is one
    /// Bins of voltage, rising; dQ/dV without sign, smoothed.
    std::vector<double> volts, smooth_Ah_V;
    std::vector<double> raw_Ah_V;        ///< before smoothing
    double bin_V = kNaN;                 ///< width of a bin
    double width_V = kNaN;               ///< of the smoothing window
    double scatter_Ah_V = kNaN;          ///< of a raw bin, standard
    std::vector<IncrementalPeak> peaks;  ///< by rising voltage
    /// Charge from the start of the step, Ah without sign, and dV/dQ there, V/Ah, smoothed alike.
    std::vector<double> charge_Ah, dVdQ_V_Ah;
};

/// The window's 2·half + 1 weights of a quadratic (or cubic) fit at its middle (Savitzky and Golay,
/// Anal. Chem. 36 (1964) 1627–1639).
std::vector<double> smoothingWeights(int half);

/// Charge is spread over the voltage it moved through, in bins of three resolution steps, two of
/// the noise or what six rows move through where most of them are or a
/// two-thousandth of the span, whichever is widest. Refused, with the reason: a step
/// that is no constant current, faster than C/3 of the rating, fewer than 40 bins, fewer than 100
/// rows.
IncrementalCapacity incrementalCapacity(const AnalysisInput& in, int step);

/// The steps of a log that can be tried: constant current, an hour or longer, slowest first.
std::vector<int> incrementalSteps(const AnalysisInput& in);

/// One peak through several logs: an index into each one's peaks, −1 where it has none.
using PeakTrack = std::vector<int>;
/// Peaks of neighbouring logs are the same when they are each other's nearest within 60 mV a cell.
std::vector<PeakTrack> followPeaks(const std::vector<IncrementalCapacity>& logs, int cells);

}  // namespace nk
