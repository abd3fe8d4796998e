#include "rating.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/rating/rating_views.h"
#include "quantity/format.h"
#include "quantity/plausible.h"

namespace nk {

double usualFloor_V(const Chemistry& c) {
    return c.sagFloor_V;
}

const RatingView* Rating::view(const std::string& name) const {
    for (const RatingView& v : views)
        if (v.view == name) return &v;
    return nullptr;
}

namespace {

double medianOf(std::vector<double> x) {
    if (x.empty()) return kNaN;
    std::sort(x.begin(), x.end());
    const std::size_t n = x.size();
    return n % 2 == 1 ? x[n / 2] : 0.5 * (x[n / 2 - 1] + x[n / 2]);
}

/// Many runs at one rate tell no more than the deepest of them: the rates at most a tenth apart are
/// one, and a log of hundreds of cycles stays quick.
std::vector<DischargeCurve> onePerRate(const std::vector<DischargeCurve>& all) {
    std::vector<const DischargeCurve*> kept;
    for (const DischargeCurve& c : all) {
        const auto same = std::find_if(kept.begin(), kept.end(), [&](const DischargeCurve* k) {
            return std::abs(k->mean_A - c.mean_A) < 0.1 * k->mean_A;
        });
        if (same == kept.end())
            kept.push_back(&c);
        else if (c.reachedFloor > (*same)->reachedFloor ||
                 (c.reachedFloor == (*same)->reachedFloor &&
                  c.delivered_Ah > (*same)->delivered_Ah))
            *same = &c;
    }
    std::vector<DischargeCurve> out;
    out.reserve(kept.size());
    for (const DischargeCurve* c : kept) out.push_back(*c);
    return out;
}

/// The resistance where one number is needed: given, from two rates at mid charge, or from a step.
double oneResistance(const RatingWork& w, std::string& because) {
    if (std::isfinite(w.options.resistance_ohm)) {
        because = phrase("the given resistance");
        return w.options.resistance_ohm;
    }
    std::vector<double> between;
    const SagModel model(w.curves, kNaN);
    for (int percent = 20; percent <= 70; percent += 5) {
        const double q = percent / 100.0 * w.battery.rated_Ah;
        if (model.ratesAt(q) < 2) continue;
        const double r = model.resistance_ohm(q, model.highestMeasured_A());
        if (std::isfinite(r) && r > 0) between.push_back(r);
    }
    if (!between.empty()) {
        because = phrase("the difference of two rates at equal charge");
        return medianOf(between);
    }
    double best = kNaN;
    double delay = -1;
    for (const DischargeCurve& c : w.curves)
        if (std::isfinite(c.resistance_ohm) && c.resistanceDelay_s > delay)
            best = c.resistance_ohm, delay = c.resistanceDelay_s;
    if (std::isfinite(best))
        because = delay > 0 ? phrase("a current step after {:.0f} s", delay)
                            : std::string(phrase("the first sample of a current step"));
    return best;
}

RatingView adiabaticView(const RatingWork& w, double resistance, const std::string& because,
                         const std::optional<HeatFit>& fit) {
    RatingView out;
    out.view = "adiabatic";
    const RatingOptions& o = w.options;
    const double q = w.battery.rated_Ah;
    const double rise = o.top_C - o.start_C;
    double mass = w.battery.mass_kg;
    if (mass <= 0 && fit) {
        // R/(m·cp) is in the fit: no mass needed, and never above heat.
        out.current_A = rise / (3600 * fit->heating_K_sA2 * q);
        out.uncertainty_A = out.current_A * fit->heatingUncertainty / fit->heating_K_sA2;
        out.caveats.push_back(phrase("R/(m·cp) from the heat fit; no cooling."));
        return out;
    }
    if (!std::isfinite(resistance)) {
        out.caveats.push_back(
            phrase("Not measurable: no resistance in these logs. Log a rest before the "
                   "load, or a second rate."));
        return out;
    }
    double uncertain = 0.1;  // of resistance and heat capacity together (common practice)
    if (mass <= 0) {
        const double energy = q * w.chemistry.nominal_V * w.cells;
        mass = energy / w.chemistry.specificEnergy_Wh_kg;
        uncertain = 0.3;
        out.caveats.push_back(phrase(
            "The mass is not given: {:.0f} g from a typical {:.0f} Wh/kg. Weigh it for a better "
            "bound.",
            1000 * mass, w.chemistry.specificEnergy_Wh_kg));
    }
    // I = m·cp·ΔT/(3600·R·Q), methods.md §7.
    out.current_A = mass * o.cp_J_kgK * rise / (3600 * resistance * q);
    out.uncertainty_A = uncertain * out.current_A / std::sqrt(3.0);
    out.caveats.push_back(
        phrase("All loss stays in the cell; resistance {} from {}, cp {:.0f} J/(kg·K) from "
               "memory.",
               shortValue(resistance, "ohm"), because, o.cp_J_kgK));
    return out;
}

RatingView timeView(const RatingWork& w, Rating& rating) {
    RatingView out;
    out.view = "time";
    // Peukert: ln t = const − k·ln I, so Q(I) = Q1·I^(1−k), from whole discharges at two rates.
    double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
    double slow = 1e300;
    double fast = 0;
    for (const DischargeCurve& c : w.curves) {
        if (!c.reachedFloor) continue;
        const double x = std::log(c.mean_A);
        const double y = std::log(c.delivered_Ah);
        n += 1, sx += x, sy += y, sxx += x * x, sxy += x * y;
        slow = std::min(slow, c.mean_A), fast = std::max(fast, c.mean_A);
    }
    if (n < 1) {
        out.caveats.push_back(
            phrase("Not measurable: no discharge of these logs reached its floor."));
        return out;
    }
    double slope = 0;
    if (n >= 2 && fast > 1.3 * slow) {
        slope = (n * sxy - sx * sy) / (n * sxx - sx * sx);
        rating.peukert = 1 - slope;
        // Two capacities to half a per cent each, over the span of the rates.
        rating.peukertUncertainty = 0.005 * std::sqrt(2.0) / std::log(fast / slow);
    }
    const double offset = (sy - slope * sx) / n;
    const double hours = w.options.emptyIn_s / 3600;
    // I·t = Q(I) = exp(offset)·I^slope.
    out.current_A = std::pow(std::exp(offset) / hours, 1 / (1 - slope));
    out.extrapolated = out.current_A > 1.001 * fast || out.current_A < 0.999 * slow;
    out.uncertainty_A =
        out.current_A * quadrature({rectangle(w.accuracy.currentGain),
                                    out.extrapolated ? 0.03 : 0.01, n < 2 ? 0.05 : 0.0});
    out.caveats.push_back(
        phrase("Empty in {}, with what it still delivers at that rate. A choice, not a limit.",
               durationText(w.options.emptyIn_s)));
    if (n < 2)
        out.caveats.push_back(phrase("From one rate: the same charge is assumed at every rate."));
    return out;
}

void chargeRate(const RatingWork& w, Rating& out) {
    out.charge_C = w.chemistry.chargeC;
    if (w.battery.limits().chargeC == out.charge_C) {
        out.chargeBecause = phrase("the maker's figure");
        return;
    }
    out.chargeBecause = w.chemistry.nickel()
                            ? phrase("nickel no faster than this: warm is wear (common rule)")
                            : phrase("the usual rate without a maker's figure");
}

std::string sentenceFor(const Battery& battery, const Rating& r) {
    if (!std::isfinite(r.trueC))
        return phrase("The true C rating is not measurable from these logs.");
    const std::string figure = fixed(r.trueC, r.trueC < 10 ? 1 : 0);
    const std::string current = shortValue(r.trueC * r.rated_Ah, "A");
    if (r.bound == Rating::Bound::AtLeast)
        return r.limitedBy == "sag"
                   ? phrase("True C is at least {} ({}): that much was held.", figure, current)
                   : phrase("True C is at least {} ({}), by the adiabatic bound.", figure, current);
    if (r.bound == Rating::Bound::AtMost)
        return phrase(
            "True C is at most {} ({}), by heat; how the voltage sags is not in these logs.",
            figure, current);
    const std::string truth = phrase("True C is {} ({}), limited by {}", figure, current,
                                     r.limitedBy == "sag"    ? phrase("the sagging voltage")
                                     : r.limitedBy == "heat" ? phrase("heat")
                                                             : phrase("the adiabatic bound"));
    if (battery.label_C <= 0) return truth + ".";
    const double share = r.trueC / battery.label_C;
    return phrase("The label says {:.3g}C. {}: {:.0f} % of the label.", battery.label_C, truth,
                  100 * share);
}

/// The smaller of sag and heat; what stands in for either is only a bound.
void decide(Rating& out) {
    const RatingView& sag = out.views[0];
    const RatingView& heat = out.views[1].known() ? out.views[1] : out.views[2];
    const double sagC = sag.known() ? sag.c_rate : sag.atLeast_A / out.rated_Ah;
    const bool heatBinds = heat.known() && !(heat.c_rate >= sagC);
    const RatingView& binds = heatBinds ? heat : sag;
    out.trueC = heatBinds ? heat.c_rate : sagC;
    if (!std::isfinite(out.trueC)) return;
    if (binds.known()) out.trueCUncertainty = binds.uncertainty_A / out.rated_Ah;
    out.limitedBy = binds.view;
    // The adiabatic bound lies under the true limit; so does a current that was held. Where sag is
    // not known at all, heat alone says no more than what it surely is not over.
    if (binds.view == "adiabatic" || !binds.known())
        out.bound = Rating::Bound::AtLeast;
    else if (heatBinds && !sag.known() && !std::isfinite(sag.atLeast_A))
        out.bound = Rating::Bound::AtMost;
}

}  // namespace

Expected<Rating> rateBattery(const std::vector<DischargeCurve>& all,
                             const std::vector<HeatTrace>& traces, const Battery& battery,
                             const InstrumentAccuracy& accuracy, const RatingOptions& options) {
    const std::vector<DischargeCurve> curves = onePerRate(all);
    const Chemistry* chemistry = battery.chemistryData();
    // No current that no cell gives is quoted.
    const auto spanEnd = [](double current_A, double rated_Ah) {
        constexpr double kMost_C = 200;
        return shortValue(std::min(current_A, kMost_C * rated_Ah), "A") +
               (current_A > kMost_C * rated_Ah ? phrase(" and more") : std::string());
    };
    if (battery.rated_Ah <= 0)
        return fail(ErrorKind::InvalidArgument, phrase("A C rating needs the rated capacity."),
                    "battery", phrase("the capacity from the label, in Ah."));
    if (chemistry == nullptr)
        return fail(ErrorKind::InvalidArgument, phrase("A C rating needs the chemistry."),
                    "battery", phrase("one of the known chemistries."));
    if (curves.empty())
        return fail(ErrorKind::InvalidArgument,
                    phrase("There is no discharge at a steady current in these logs."), "rate",
                    phrase("logs of whole discharges, best at two or more rates."));
    RatingWork w{curves,          traces,   battery,
                 *chemistry,      accuracy, options,
                 battery.cells(), 0,        options.share * battery.rated_Ah};
    const double floor =
        std::isfinite(options.floor_V) ? options.floor_V : usualFloor_V(*chemistry);
    w.floor_V = floor * w.cells;
    Rating out;
    out.rated_Ah = battery.rated_Ah;
    std::string because;
    out.resistance_ohm = oneResistance(w, because);
    double sigma_V = 0;
    for (const DischargeCurve& c : curves) sigma_V = std::max(sigma_V, c.sigma_V);
    const double floorUncertainty_V =
        std::hypot(rectangle(accuracy.voltageGain * w.floor_V), sigma_V);
    const auto points = floorPoints(curves, w.floor_V, floorUncertainty_V);
    out.views.push_back(sagView(w, out.resistance_ohm, because, points));
    out.views.push_back(heatView(w, out.heat, points));
    out.views.push_back(adiabaticView(w, out.resistance_ohm, because, out.heat));
    out.views.push_back(timeView(w, out));
    chargeRate(w, out);
    for (RatingView& v : out.views) {
        // Half of the value on either side is no answer.
        const bool warmth = v.view == "heat" || v.view == "adiabatic";
        if (v.known() && 1.96 * v.uncertainty_A > 0.5 * v.current_A) {
            v.caveats = {
                warmth
                    ? phrase("Not measurable from these logs: the warming that was seen allows "
                             "anything from {} to {}. Log a discharge at a higher rate, with a "
                             "temperature sensor on the cell.",
                             shortValue(std::max(0.0, v.current_A - 1.96 * v.uncertainty_A), "A"),
                             spanEnd(v.current_A + 1.96 * v.uncertainty_A, battery.rated_Ah))
                    : phrase("Not measurable from these logs: what they say lies too far "
                             "apart. Log two whole discharges at rates that differ by three "
                             "times or more.")};
            v.current_A = v.uncertainty_A = kNaN;
            v.extrapolated = false;
        }
        if (v.known() && !canBe(v.current_A / battery.rated_Ah, "C-rate")) {
            v.caveats = {cannotBe()};
            v.current_A = v.uncertainty_A = kNaN;
            v.extrapolated = false;
        }
        if (std::isfinite(v.atLeast_A) && !canBe(v.atLeast_A / battery.rated_Ah, "C-rate"))
            v.atLeast_A = kNaN;
        if (v.known()) v.c_rate = v.current_A / battery.rated_Ah, v.atLeast_A = kNaN;
    }
    decide(out);
    out.sentence = sentenceFor(battery, out);
    out.curves = curves;
    out.floor_V_per_cell = floor;
    return out;
}

}  // namespace nk
