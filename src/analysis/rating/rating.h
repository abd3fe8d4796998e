// The true C rating (methods.md §7): four views of the same battery from one or several discharges.
// The label is a claim; true C is the smaller of sag and heat, the adiabatic bound stands in for
// heat only where heat cannot be fitted, and time is a choice, never a limit.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "analysis/rating/discharge_curve.h"
#include "analysis/rating/heat_fit.h"

namespace nk {

/// Loaded floor per cell, V: 3.3 lithium polymer, 3.0 other lithium, 2.5 LFP, 1.0 nickel
/// (common practice, no source).
double usualFloor_V(const Chemistry& chemistry);

struct RatingOptions {
    double floor_V = kNaN;         ///< per cell; NaN: the usual one
    double top_C = 60;             ///< highest temperature
    double start_C = 25;           ///< start and surroundings
    double share = 0.8;            ///< of the rated charge that must be out
    double emptyIn_s = 600;        ///< time view: empty in ten minutes
    double resistance_ohm = kNaN;  ///< given by the user; NaN: from the logs
    double cp_J_kgK = 1000;        ///< from memory
};

struct RatingView {
    std::string view;  ///< sag, heat, adiabatic, time
    double current_A = kNaN;
    double c_rate = kNaN;
    double uncertainty_A = kNaN;
    double atLeast_A = kNaN;  ///< where there is no value: what a discharge has shown it to hold
    bool extrapolated = false;
    std::vector<std::string> caveats;

    bool known() const { return std::isfinite(current_A); }
};

struct Rating {
    double rated_Ah = 0;
    std::vector<RatingView> views;  ///< sag, heat, adiabatic, time, always in this order
    /// What trueC is: the value, or only a bound because a view is missing.
    enum class Bound { None, AtLeast, AtMost } bound = Bound::None;
    double trueC = kNaN;
    double trueCUncertainty = kNaN;
    std::string limitedBy;  ///< sag, heat or adiabatic; empty when nothing is known
    double charge_C = kNaN;
    std::string chargeBecause;
    double resistance_ohm = kNaN;  ///< the one used where one number is needed
    double peukert = kNaN;         ///< exponent from two or more rates
    double peukertUncertainty = kNaN;
    std::optional<HeatFit> heat;
    std::vector<DischargeCurve> curves;  ///< what it rests on: the deepest discharge of each rate
    double floor_V_per_cell = kNaN;      ///< loaded voltage at which a discharge ends
    std::string sentence;                ///< label against truth, in one sentence

    const RatingView* view(const std::string& name) const;
};

/// Rates a battery from its discharges. Errors: no rated capacity, no discharge at a steady rate.
Expected<Rating> rateBattery(const std::vector<DischargeCurve>& curves,
                             const std::vector<HeatTrace>& traces, const Battery& battery,
                             const InstrumentAccuracy& accuracy, const RatingOptions& options = {});

/// Loaded voltage over delivered charge and current, for the sag map: interpolated in the current
/// at equal charge between neighbouring rates, carried on by the nearest pair's resistance outside.
/// `measured` tells whether the point lies between measured rates.
class SagModel {
  public:
    /// `resistance_ohm` is used where only one rate reaches a charge; NaN: then nothing is known.
    SagModel(const std::vector<DischargeCurve>& curves, double resistance_ohm);
    double voltage_V(double charge_Ah, double current_A) const;
    bool measured(double charge_Ah, double current_A) const;
    /// Resistance between the two rates next to `current_A` at this charge, Ω; NaN when unknown.
    double resistance_ohm(double charge_Ah, double current_A) const;
    double highestMeasured_A() const { return highest_A_; }
    std::size_t ratesAt(double charge_Ah) const;

  private:
    struct Point {
        double current_A, voltage_V;
    };
    std::vector<Point> pointsAt(double charge_Ah) const;
    const std::vector<DischargeCurve>* curves_;
    double resistance_ohm_;
    double highest_A_ = 0;
};

}  // namespace nk
