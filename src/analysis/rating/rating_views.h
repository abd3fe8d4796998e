// The two views of the true C rating that are measured: sag and heat. Internal to analysis/rating.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "analysis/rating/floor_charge.h"
#include "analysis/rating/rating.h"

namespace nk {

/// What the views look at.
struct RatingWork {
    const std::vector<DischargeCurve>& curves;
    const std::vector<HeatTrace>& traces;
    const Battery& battery;
    const Chemistry& chemistry;
    const InstrumentAccuracy& accuracy;
    const RatingOptions& options;
    double cells;
    double floor_V;  ///< whole battery
    double deep_Ah;  ///< the charge that must be out
};

/// The highest current that keeps the floor until the charge is out. `resistance_ohm` and where it
/// is from serve where one rate alone is there, or far beyond the fastest.
RatingView sagView(const RatingWork& w, double resistance_ohm, const std::string& because,
                   const std::vector<FloorPoint>& points);

/// The highest current that stays at the top temperature or under until the charge at the floor is
/// out; `fit` receives the heat model, nothing where it hardly warmed.
RatingView heatView(const RatingWork& w, std::optional<HeatFit>& fit,
                    const std::vector<FloorPoint>& points);

}  // namespace nk
