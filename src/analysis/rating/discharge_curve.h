// One discharge as the rating sees it: voltage, current and temperature over delivered charge,
// thinned to a few hundred points.
#pragma once

#include <vector>

#include "analysis/analysis.h"

namespace nk {

struct DischargeCurve {
    std::vector<double> charge_Ah;  ///< delivered since the start, rising from 0
    std::vector<double> voltage_V;  ///< loaded, whole battery
    std::vector<double> time_s;     ///< since the start
    std::vector<double> current_A;  ///< size, above 0
    double mean_A = 0;              ///< size of the mean current
    double delivered_Ah = 0;
    double duration_s = 0;
    double startTemperature_C = kNaN;
    double endTemperature_C = kNaN;
    double maxTemperature_C = kNaN;
    bool startedFull = false;  ///< known to have begun full
    bool startUnknown = false;
    bool reachedFloor = false;
    double resistance_ohm = kNaN;  ///< of a current step of the same log, longest delay up to 30 s
    double resistanceDelay_s = kNaN;
    double sigma_V = 0;  ///< standard uncertainty of one voltage
    int step = -1;

    /// Loaded voltage at a delivered charge; NaN beyond its ends.
    double voltageAt(double charge_Ah) const;
};

/// All discharges of a recording that hold a constant current (a tenth's spread) for at least a
/// twentieth of the rated capacity; pulses and variable loads are no rates.
std::vector<DischargeCurve> dischargeCurves(const AnalysisInput& in);

/// Temperature over time of a whole recording, with its current: what the heat fit uses.
struct HeatTrace {
    std::vector<double> time_s, temperature_C, current_A;
    double ambient_C = kNaN;
};
/// Nothing without a temperature column. Thinned to at most 2,000 points; the squared current
/// between two points is kept exactly as its mean.
HeatTrace heatTrace(const AnalysisInput& in);

}  // namespace nk
