// Curves of several logs over each other: by time, by charge that moved, by state of charge or from
// an event; and what the second has less or more of than the first, with its interval.
#pragma once

#include <string>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

enum class OverlayAxis { Time, Charge, StateOfCharge, Knee, Peak };

/// One curve to be laid over others: a step of a log, or the whole of it.
struct OverlayCurve {
    std::string name;
    std::vector<double> x;  ///< h, Ah without sign, % or h from the event; never falling
    std::vector<double> volts, amps, celsius;  ///< celsius empty when not logged
    double voltsUncertainty = 0;               ///< of one point, without the meter's gain, standard
    double voltageGain = 0;                    ///< half-width of the meter's gain
    double perAxisUncertainty = 0;  ///< relative, of a charge axis: the current's gain, standard
    std::string why;                ///< why there is none; empty: there is one
};

/// Of step `step` (−1: the whole log), at most `most` points: the highest and lowest voltage of
/// each stretch stay. A state of charge counts from full of a discharge that began full, else it is
/// refused; an event is that of the step's charge: its knee, or its nickel peak.
OverlayCurve overlayCurve(const AnalysisInput& in, int step, OverlayAxis axis,
                          const std::string& name, std::size_t most = 20'000);

/// The second curve less the first where both have points, at up to `points` places.
struct OverlayDifference {
    std::vector<double> x, volts, low, high;  ///< 95 %
};
/// `oneInstrument`: both were logged with the same, whose gain cancels but for the difference
/// itself. `shift` is added to the second's x.
OverlayDifference overlayDifference(const OverlayCurve& first, const OverlayCurve& second,
                                    bool oneInstrument, double shift = 0, std::size_t points = 400);

/// What differs between two discharges (or charges) of one battery, in sentences: charge, where on
/// the voltage it is missing, resistance. Empty when nothing can be said.
std::vector<std::string> whatDiffers(const AnalysisInput& first, int firstStep,
                                     const std::string& firstName, const AnalysisInput& second,
                                     int secondStep, const std::string& secondName);

}  // namespace nk
