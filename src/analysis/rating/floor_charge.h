// How much charge a discharge gives before its loaded voltage meets a floor, over the current.
#pragma once

#include <vector>

#include "analysis/rating/discharge_curve.h"

namespace nk {

/// One discharge: its current, and the charge at which its voltage first met the floor.
struct FloorPoint {
    double current_A = 0;
    double charge_Ah = kNaN;    ///< NaN: the log ended above the floor
    double uncertainty_Ah = 0;  ///< standard
    double delivered_Ah = 0;    ///< at least this much, above the floor
};

/// Points of all curves, by current. `voltage_V`: standard uncertainty of the floor's voltage.
std::vector<FloorPoint> floorPoints(const std::vector<DischargeCurve>& curves, double floor_V,
                                    double voltage_V);

/// Charge at the floor for any current: monotone cubics (Fritsch and Carlson, SIAM J. Numer. Anal.
/// 17 (1980) 238–246) over I and over ln I through the points, their mean; carried on along the
/// last pair of points outside. One point alone: the same charge at every current. NaN without
/// points.
class FloorCharge {
  public:
    explicit FloorCharge(const std::vector<FloorPoint>& points);
    double at(double current_A) const;
    bool empty() const { return x_.empty(); }
    std::size_t size() const { return x_.size(); }

    /// Current at which the charge is `charge_Ah`, NaN when there is none up to `most_A`.
    /// `spread_A`: half of what the two cubics and straight lines differ by there.
    double currentFor(double charge_Ah, double most_A, double& spread_A) const;

  private:
    enum class Way { Linear, LinearLog, Cubic, CubicLog };
    double along(Way way, double current_A) const;
    double solve(Way way, double charge_Ah, double most_A) const;
    std::vector<double> x_, q_;
};

}  // namespace nk
