// Packs with logged cell voltages (methods.md §9): which cell ends the discharge, what the others
// still hold, and which kind of spread it is.
#pragma once

#include <cmath>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

/// One cell of a discharge against the weakest one.
struct PackCell {
    int cell = 0;             ///< column, from 1
    double end_V = kNaN;      ///< at the end of the discharge, loaded
    double rest_V = kNaN;     ///< before the discharge
    double remaining_Ah = 0;  ///< it still held when the first cell reached its floor
    double remainingUncertainty_Ah = kNaN;
    double capacityRatio = 1;  ///< against the weakest cell
    double offset_Ah = 0;      ///< more charge in it at the start than the weakest had (SoC spread)
    double resistance_ohm = kNaN;  ///< first sample of the load
};

struct PackDischarge {
    int step = -1;
    double from_s = 0, to_s = 0;
    bool reachedFloor = false;
    int weakest = 0;  ///< column from 1; 0: none reached its floor
    double weakestAt_s = kNaN;
    double delivered_Ah = 0;
    double lost_Ah = kNaN;  ///< mean of what the other cells still held
    double lostUncertainty_Ah = kNaN;
    double step_A = kNaN;     ///< change of the current from which the resistances were taken
    double balancing_Ah = 0;  ///< part of the loss that balancing would give back
    double spreadRest_V = kNaN, spreadEnd_V = kNaN, spreadLoad_V = kNaN;
    double capacity_Ah = 0;  ///< the rated one, else what was delivered
    std::vector<PackCell> cells;

    /// Whether the loss is known to a twentieth of the capacity or to a half of itself.
    bool told() const {
        return std::isfinite(lost_Ah) &&
               lostUncertainty_Ah <= std::max(0.025 * capacity_Ah, 0.25 * lost_Ah);
    }
};

/// One entry a discharge with two or more cell columns. The other cells' curves are laid over the
/// weakest one's (overlay.h): V_j(Q) = V_w((Q + o)/s) + c with the capacity ratio s, the offset o
/// in charge (expected from the rested voltages before) and the shift c (expected from the
/// resistances at the first sample of the load); what is left of cell j at the end is s·Q_end −
/// Q_end − o.
const std::vector<PackDischarge>& packDischarges(const AnalysisInput& in);
const std::vector<PackDischarge>& packDischarges(AnalysisInput&&) = delete;

/// Resistance of leads and connectors inside the pack: (pack − Σ cells) against the current.
struct LeadDrop {
    double resistance_ohm = 0;
    double uncertainty_ohm = 0;
    double hottest_W = 0;  ///< loss at the largest current
    double atCurrent_A = 0;
};
std::optional<LeadDrop> leadDrop(const AnalysisInput& in);

void computeWeakestCell(const AnalysisInput& in, std::vector<Reading>& out);
void computeImbalanceLoss(const AnalysisInput& in, std::vector<Reading>& out);
void checkWeakCell(const AnalysisInput& in, std::vector<Finding>& out);
void checkResistiveCell(const AnalysisInput& in, std::vector<Finding>& out);
void checkImbalance(const AnalysisInput& in, std::vector<Finding>& out);
void checkWarmConnector(const AnalysisInput& in, std::vector<Finding>& out);

}  // namespace nk
