// The taper of a constant-voltage charge: what the falling current says about the charge that is
// still missing (methods.md §5).
#pragma once

#include <optional>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

/// I(t) = floor + amplitude·exp(−(t − start)/tau), fitted to the late tail.
struct TaperFit {
    double start_s = 0;      ///< recording time of the first sample fitted
    double end_s = 0;        ///< of the last
    double amplitude_A = 0;  ///< at start_s, over the floor
    double tau_s = 0;
    double tauUncertainty_s = 0;
    double floor_A = 0;  ///< leak or balancer current; 0 when the tail does not show one
    double residual_A = 0;
    bool wholeTail = false;  ///< the tail did not get under half: fitted to its second half
    bool single = true;      ///< one exponential describes it within noise

    /// Current at time t, A.
    double current_A(double t_s) const;
};

/// Fits the part of a constant-voltage step under half of its first current; where the tail did not
/// get that far, its second half. Nothing under eight samples or when the current does not fall.
std::optional<TaperFit> fitTaper(const Recording& recording, const Step& step);

/// The same for a step of the analysed recording, fitted once a call.
const std::optional<TaperFit>& taperOf(const AnalysisInput& in, int step);
const std::optional<TaperFit>& taperOf(AnalysisInput&&, int) = delete;

/// One row of the cut-off table: when the current passed rated/denominator, and the charge put in
/// until then.
struct CutoffRow {
    int denominator = 0;
    double current_A = 0;
    double time_s = kNaN;     ///< recording time
    double charge_Ah = kNaN;  ///< from the start of the charge
    double uncertainty_Ah = kNaN;
    bool extrapolated = false;  ///< by the fit: the log does not reach it
    bool reachable = true;      ///< false: the floor current is higher
};

/// The row for any current; `fit` carries on where the log does not reach it.
CutoffRow cutoffAt(const AnalysisInput& in, int cvStep, const std::optional<TaperFit>& fit,
                   double current_A);

/// C/5, C/10, C/20, C/30 and C/50 for one constant-voltage step. Needs the rated capacity.
std::vector<CutoffRow> cutoffTable(const AnalysisInput& in, int cvStep);

void computeTaperTimeConstant(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
