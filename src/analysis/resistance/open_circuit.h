// The battery's own open-circuit curve, from its own discharges: two rates carried back to no
// current, or one slow discharge with its resistance added.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "analysis/rating/discharge_curve.h"
#include "chemistry/chemistry.h"

namespace nk {

struct OpenCircuitEstimate {
    std::vector<double> soc;            ///< rising, 0 … 1
    std::vector<double> voltage_V;      ///< per cell
    std::vector<double> uncertainty_V;  ///< standard
    double capacity_Ah = 0;             ///< what counts as 1
    std::string method;                 ///< in words

    OwnCurve curve() const;
};

/// Uses only discharges that began full and reached their floor. Two rates (the faster at least 1.5
/// times the slower): V0 = V1 + I1·(V1 − V2)/(I2 − I1) at equal charge. One rate under C/4: V + I·R
/// with a resistance from a current step. Nothing otherwise.
std::optional<OpenCircuitEstimate> estimateOpenCircuit(const std::vector<DischargeCurve>& curves,
                                                       const Battery& battery);

}  // namespace nk
