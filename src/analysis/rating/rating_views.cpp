#include "rating_views.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "quantity/format.h"

namespace nk {

namespace {

/// Highest current whose modelled voltage stays over the floor until `deep` is out.
double sagLimit(const SagModel& model, double floor, double deep, double most) {
    const auto holds = [&](double current) {
        for (int k = 1; k <= 60; ++k) {
            const double v = model.voltage_V(deep * k / 60, current);
            if (std::isfinite(v) && v < floor) return false;
        }
        const double last = model.voltage_V(deep, current);
        return std::isfinite(last);
    };
    if (!holds(1e-3 * most)) return kNaN;
    double low = 1e-3 * most;
    double high = most;
    if (holds(high)) return high;
    for (int k = 0; k < 60; ++k) {
        const double middle = 0.5 * (low + high);
        (holds(middle) ? low : high) = middle;
    }
    return low;
}

/// Beyond the fastest run its curve is carried on to so many times its current, no farther.
constexpr double kFarthest = 1.6;

/// By one rate and a resistance: the model carried to the current at which the floor is met.
RatingView sagFromOneRate(const RatingWork& w, double resistance, const std::string& because) {
    RatingView out;
    out.view = "sag";
    const SagModel model(w.curves, resistance);
    double deepest = 0;
    for (const DischargeCurve& c : w.curves) deepest = std::max(deepest, c.charge_Ah.back());
    const double deep = std::min(w.deep_Ah, 0.999 * deepest);
    const double most = 400 * w.battery.rated_Ah;
    const double limit = sagLimit(model, w.floor_V, deep, most);
    if (std::isnan(limit)) {
        out.caveats.push_back(
            std::isnan(resistance)
                ? phrase("Not measurable: one rate alone and no resistance. Log a second rate, or "
                         "a rest "
                         "before the load.")
                : phrase("Even the smallest current does not hold the floor that long."));
        return out;
    }
    if (limit >= most) {
        out.caveats.push_back(
            phrase("Not measurable: the rates in these logs lie too close together."));
        return out;
    }
    out.current_A = limit;
    out.extrapolated = true;
    const double r = model.resistance_ohm(deep, limit);
    double sigma = 0;
    for (const DischargeCurve& c : w.curves) sigma = std::max(sigma, c.sigma_V);
    const double gain = rectangle(w.accuracy.voltageGain * w.floor_V);
    // A resistance of seconds tells little of the minutes until the charge is out.
    const double beyond = std::max(0.0, limit - model.highestMeasured_A());
    out.uncertainty_A = quadrature(
        {std::hypot(sigma, gain) / r, limit * rectangle(w.accuracy.currentGain), 0.3 * beyond});
    out.caveats.push_back(phrase("From one rate and ") + because + phrase(": extrapolated."));
    return out;
}

/// Highest current that stays at the top temperature or under until the charge at the floor is out.
double heatLimit(const HeatFit& fit, const FloorCharge& charge, const RatingOptions& o,
                 double rated_Ah) {
    const auto hot = [&](double current) {
        const double out_Ah =
            charge.empty() ? rated_Ah : std::max(charge.at(current), 0.02 * rated_Ah);
        return fit.endTemperature_C(current, out_Ah, o.start_C, o.start_C) > o.top_C;
    };
    double low = 0.02 * rated_Ah;
    double high = low;
    while (high < 400 * rated_Ah && !hot(high)) low = high, high *= 1.15;
    if (high >= 400 * rated_Ah) return kNaN;
    for (int k = 0; k < 40; ++k) {
        const double middle = 0.5 * (low + high);
        (hot(middle) ? high : low) = middle;
    }
    return low;
}

}  // namespace

RatingView sagView(const RatingWork& w, double resistance, const std::string& because,
                   const std::vector<FloorPoint>& points) {
    RatingView out;
    out.view = "sag";
    double deepest = 0;
    for (const FloorPoint& p : points) deepest = std::max(deepest, p.delivered_Ah);
    if (deepest < 0.98 * w.deep_Ah) {
        out.caveats.push_back(
            phrase("Not measurable: no discharge took out {:.0f} % of the rating ({:.2f} of "
                   "{:.2f} Ah). Log "
                   "a slow one down to the floor.",
                   100 * w.options.share, deepest, w.deep_Ah));
        return out;
    }
    double held = 0;
    double failed = INFINITY;
    for (const FloorPoint& p : points) {
        if (p.delivered_Ah >= w.deep_Ah) held = std::max(held, p.current_A);
        if (p.charge_Ah < w.deep_Ah) failed = std::min(failed, p.current_A);
    }
    const FloorCharge charge(points);
    const double most = std::min(4 * points.back().current_A, 400 * w.battery.rated_Ah);
    double spread = 0;
    double limit = charge.currentFor(w.deep_Ah, most, spread);
    if (charge.size() < 2) {
        if (points.size() < 2) {
            out = sagFromOneRate(w, resistance, because);
            out.atLeast_A = held > 0 ? held : kNaN;
        } else {
            out.atLeast_A = held > 0 ? held : kNaN;
            out.caveats.push_back(phrase(
                "Not measurable: fewer than two of these discharges went down to the floor. Log "
                "two rates down to it."));
        }
    }
    if (!out.known() && charge.size() >= 2 && out.caveats.empty() &&
        (!std::isfinite(limit) || limit > kFarthest * points.back().current_A)) {
        out.atLeast_A = held > 0 ? held : kNaN;
        out.caveats.push_back(
            held > 0
                ? phrase("The fastest discharge ({}) still holds the floor with much to spare. "
                         "Log a faster one to measure where it does not.",
                         shortValue(points.back().current_A, "A"))
                : phrase("Even the smallest current does not hold the floor that long."));
    } else if (!out.known() && std::isfinite(limit) && out.caveats.empty()) {
        if (held > 0 && std::isfinite(failed) && held < failed)
            limit = std::clamp(limit, held, failed);
        // Slope of the charge over the current turns every doubt of charge into one of current.
        const double h = 0.02 * limit;
        const double slope =
            std::max((charge.at(limit - h) - charge.at(limit + h)) / (2 * h), 1e-9);
        double nearest = 0;
        double distance = INFINITY;
        for (const FloorPoint& p : points)
            if (std::isfinite(p.charge_Ah) && std::abs(p.current_A - limit) < distance)
                nearest = p.uncertainty_Ah, distance = std::abs(p.current_A - limit);
        const double gain = rectangle(w.accuracy.currentGain);
        const double fast = points.back().current_A;
        const double beyond =
            std::max(0.0, limit - fast) + std::max(0.0, points.front().current_A - limit);
        double model = spread / std::sqrt(3.0);
        if (held > 0 && std::isfinite(failed) && held < failed)
            model = std::clamp(model, 0.45 * (failed - held) / std::sqrt(12.0),
                               (failed - held) / std::sqrt(12.0));
        out.current_A = limit;
        out.atLeast_A = held > 0 ? held : kNaN;
        out.extrapolated = beyond > 0.001 * limit;
        out.uncertainty_A = quadrature({nearest / slope, gain * (limit + w.deep_Ah / slope), model,
                                        0.01 * limit, 0.35 * beyond});
        if (out.extrapolated)
            out.caveats.push_back(
                phrase("Beyond the fastest log ({}): extrapolated.", shortValue(fast, "A")));
    }
    if (!out.known()) return out;
    out.caveats.insert(out.caveats.begin(),
                       phrase("Floor {:.2f} V a cell until {:.0f} % of the rating is out.",
                              w.floor_V / w.cells, 100 * w.options.share));
    for (const DischargeCurve& c : w.curves)
        if (!c.startedFull) {
            out.caveats.push_back(phrase(
                "Not every discharge is known to have begun full; charge is counted from the start "
                "of each."));
            break;
        }
    return out;
}

RatingView heatView(const RatingWork& w, std::optional<HeatFit>& fit,
                    const std::vector<FloorPoint>& points) {
    RatingView out;
    out.view = "heat";
    HeatPrior prior;
    prior.activation_J_mol = w.chemistry.activation_J_mol;
    prior.activationUncertainty_J_mol = w.chemistry.activation_J_mol / 3;
    prior.kineticShare = 0.15;
    fit = fitHeat(w.traces, 0.1, prior);
    if (!fit) {
        out.caveats.push_back(
            w.traces.empty()
                ? phrase("Not measurable: no temperature in these logs.")
                : phrase(
                      "Not measurable: it hardly warmed. Log a faster discharge with a temperature "
                      "sensor on the cell."));
        return out;
    }
    const RatingOptions& o = w.options;
    const double q = w.battery.rated_Ah;
    const FloorCharge charge(points);
    const double limit = heatLimit(*fit, charge, o, q);
    if (!std::isfinite(limit)) {
        out.caveats.push_back(
            phrase("Not measurable: no current these logs speak of warms it that far."));
        return out;
    }
    // The four parameters with their covariance, through the model.
    std::array<double, 4> gradient{};
    for (std::size_t p = 0; p < 4; ++p) {
        const double by = std::sqrt(std::max(fit->covariance[p][p], 0.0));
        if (!(by > 0)) continue;
        const double moved = heatLimit(fit->moved(static_cast<int>(p), by), charge, o, q);
        gradient[p] = (std::isfinite(moved) ? moved - limit : limit) / by;
    }
    double variance = 0;
    for (std::size_t a = 0; a < 4; ++a)
        for (std::size_t b = 0; b < 4; ++b)
            variance += gradient[a] * fit->covariance[a][b] * gradient[b];
    const double parameters = std::sqrt(std::max(0.0, variance));
    double fastest = 0;
    for (const DischargeCurve& c : w.curves) fastest = std::max(fastest, c.mean_A);
    const double beyond = std::max(0.0, limit - fastest);
    // What the fit leaves over, as a temperature at the end; and charge not known at that rate.
    const double slope_C =
        (fit->endTemperature_C(1.02 * limit,
                               std::max(charge.empty() ? q : charge.at(limit), 0.02 * q), o.start_C,
                               o.start_C) -
         o.top_C) /
        (0.02 * limit);
    out.current_A = limit;
    out.extrapolated = limit > 1.001 * fastest;
    out.uncertainty_A =
        quadrature({parameters, 1.5 * fit->residual_C / std::max(slope_C, 1e-9),
                    0.5 * rectangle(w.accuracy.temperature_C) / std::max(slope_C, 1e-9),
                    limit * rectangle(w.accuracy.currentGain), 0.02 * limit, 0.2 * beyond,
                    charge.size() < 2 ? 0.03 * limit : 0.0});
    if (2 * out.uncertainty_A > limit) {
        out.current_A = out.uncertainty_A = kNaN;
        out.caveats.push_back(phrase(
            "Not measurable from this log: it warmed too little to say what a much larger current "
            "would do. Log a faster discharge with a temperature sensor on the cell."));
        return out;
    }
    out.caveats.push_back(phrase("Ends at {:.0f} °C, from {:.0f} °C.", o.top_C, o.start_C));
    out.caveats.push_back(
        charge.size() > 0
            ? phrase("A discharge down to the floor; surroundings as warm as the start.")
            : phrase("A whole discharge of the rated charge; surroundings as warm as the start."));
    if (!fit->coolingSeen)
        out.caveats.push_back(phrase("Cooling is not seen in these logs and taken as none."));
    if (out.extrapolated)
        out.caveats.push_back(
            phrase("Beyond the fastest log ({}): extrapolated.", shortValue(fastest, "A")));
    return out;
}

}  // namespace nk
