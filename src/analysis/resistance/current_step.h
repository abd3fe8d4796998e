// Resistance from current steps (methods.md §6): ΔV/ΔI at the first sample, 1 s, 10 s and 30 s
// after the current changed. The schools disagree because they measure different delays; they are
// never averaged together.
#pragma once

#include <span>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

/// One resistance with everything that makes it comparable.
struct StepResistance {
    double resistance_ohm = kNaN;  ///< whole battery; NaN: not measurable, `why` says so
    double uncertainty_ohm = kNaN;
    double coverage = 2;        ///< factor to the 95 % interval
    double nominalDelay_s = 0;  ///< 0 (first sample), 1, 10 or 30
    double delay_s =
        kNaN;  ///< from the edge; for the first sample from the row that shows the new current
    double from_A = 0, to_A = 0;
    double soc = kNaN;  ///< state of charge at the step, 0 … 1
    double temperature_C = kNaN;
    int step = -1;  ///< the step that begins with this change of current
    double at_s = 0;
    std::string why;
};

/// All steps of the current into a load, a charge or another level that the log resolves. When
/// there is none (the log begins and ends under one load), ends of a load are taken instead.
/// Voltage before: the mean of up to five samples of the level that ends. After: the response
/// fitted over ln of the time since the edge, read at the delay, while the current holds; not
/// measurable when rows lie neither on both sides of the delay nor within a tenth of it. The edge
/// lies half an interval before the first row that shows it.
const std::vector<StepResistance>& stepResistances(const AnalysisInput& in);
const std::vector<StepResistance>& stepResistances(AnalysisInput&&) = delete;

/// The measurable one with the longest delay, the earliest of equals, or null.
const StepResistance* longestStep(const AnalysisInput& in);
const StepResistance* longestStep(AnalysisInput&&) = delete;

/// The one of several resistances that says most about the battery: the longest delay up to 10 s
/// (or only `delay_s` when that is finite), then the one nearest to half charge and not near empty,
/// where every resistance is high, and of a large step rather than a small one (common practice, no
/// source). Null when none is measurable.
const StepResistance* mostComparable(std::span<const StepResistance> steps, double delay_s = kNaN);

/// State of charge at sample k, 0 … 1: counted from a full charge, a rested voltage, or the end of
/// a discharge to its floor; NaN when the log does not tell.
double stateOfCharge(const AnalysisInput& in, std::size_t k);

void computeResistanceOhmic(const AnalysisInput& in, std::vector<Reading>& out);
void computeResistance1s(const AnalysisInput& in, std::vector<Reading>& out);
void computeResistance10s(const AnalysisInput& in, std::vector<Reading>& out);
void computeResistance30s(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
