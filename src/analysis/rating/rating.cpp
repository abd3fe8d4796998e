#include "rating.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "quantity/format.h"

namespace nk {

double usualFloor_V(const Chemistry& c) {
    if (c.id == "lipo" || c.id == "lihv") return 3.3;
    if (c.id == "lfp") return 2.5;
    if (c.nickel()) return 1.0;
    return c.id == "lto" ? c.dischargeFloor_V : 3.0;
}

const RatingView* Rating::view(const std::string& name) const {
    for (const RatingView& v : views)
        if (v.view == name) return &v;
    return nullptr;
}

namespace {

struct Work {
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
double oneResistance(const Work& w, std::string& because) {
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

RatingView sagView(const Work& w, double resistance, const std::string& because) {
    RatingView out;
    out.view = "sag";
    const SagModel model(w.curves, resistance);
    double deepest = 0;
    for (const DischargeCurve& c : w.curves) deepest = std::max(deepest, c.charge_Ah.back());
    if (deepest < 0.98 * w.deep_Ah) {
        out.caveats.push_back(
            phrase("Not measurable: no discharge took out {:.0f} % of the rating ({:.2f} of "
                   "{:.2f} Ah). Log "
                   "a slow one down to the floor.",
                   100 * w.options.share, deepest, w.deep_Ah));
        return out;
    }
    const double deep = std::min(w.deep_Ah, 0.999 * deepest);
    const double most = 400 * w.battery.rated_Ah;
    double limit = sagLimit(model, w.floor_V, deep, most);
    if (std::isnan(limit)) {
        out.caveats.push_back(
            w.curves.size() < 2 && std::isnan(resistance)
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
    // What was seen brackets what is modelled: a run that fell to the floor early was too fast, one
    // that got there held.
    double held = 0;
    double failed = 1e300;
    for (const DischargeCurve& c : w.curves) {
        double low = 1e300;
        for (std::size_t k = 0; k < c.charge_Ah.size() && c.charge_Ah[k] <= deep; ++k)
            low = std::min(low, c.voltage_V[k]);
        const bool deepEnough = c.charge_Ah.back() >= 0.995 * deep;
        if (deepEnough && low >= w.floor_V) held = std::max(held, c.mean_A);
        if (low < w.floor_V || (!deepEnough && c.reachedFloor)) failed = std::min(failed, c.mean_A);
    }
    limit = std::clamp(limit, held, std::max(held, failed));
    out.current_A = limit;
    out.extrapolated = limit > 1.001 * model.highestMeasured_A() || model.ratesAt(deep) < 2;
    // dI = dV/R at the place that binds, plus a tenth for what lies beyond the measured rates.
    const double r = model.resistance_ohm(deep, limit);
    double sigma = 0;
    for (const DischargeCurve& c : w.curves) sigma = std::max(sigma, c.sigma_V);
    const double gain = rectangle(w.accuracy.voltageGain * w.floor_V);
    const double beyond = std::max(0.0, limit - model.highestMeasured_A());
    out.uncertainty_A =
        quadrature({std::hypot(sigma, gain) / r, limit * rectangle(w.accuracy.currentGain),
                    0.15 * beyond, model.ratesAt(deep) < 2 ? 0.1 * limit : 0.0});
    out.caveats.push_back(phrase("Floor {:.2f} V a cell until {:.0f} % of the rating is out.",
                                 w.floor_V / w.cells, 100 * w.options.share));
    if (w.curves.size() < 2)
        out.caveats.push_back(phrase("From one rate and ") + because + phrase(": extrapolated."));
    else if (out.extrapolated)
        out.caveats.push_back(phrase("Beyond the fastest log ({}): extrapolated.",
                                     shortValue(model.highestMeasured_A(), "A")));
    for (const DischargeCurve& c : w.curves)
        if (!c.startedFull) {
            out.caveats.push_back(phrase(
                "Not every discharge is known to have begun full; charge is counted from the start "
                "of each."));
            break;
        }
    return out;
}

RatingView heatView(const Work& w, std::optional<HeatFit>& fit) {
    RatingView out;
    out.view = "heat";
    fit = fitHeat(w.traces);
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
    const auto solve = [&](const HeatFit& f) {
        double low = 1e-3 * q;
        double high = 1000 * q;
        if (f.endTemperature_C(high, q, o.start_C, o.start_C) < o.top_C) return high;
        for (int k = 0; k < 80; ++k) {
            const double middle = 0.5 * (low + high);
            (f.endTemperature_C(middle, q, o.start_C, o.start_C) <= o.top_C ? low : high) = middle;
        }
        return low;
    };
    out.current_A = solve(*fit);
    // One standard uncertainty of each parameter, through the model.
    HeatFit hotter = *fit;
    hotter.heating_K_sA2 += fit->heatingUncertainty;
    HeatFit cooler = *fit;
    cooler.cooling_1_s = std::max(0.0, fit->cooling_1_s - fit->coolingUncertainty);
    double fastest = 0;
    for (const DischargeCurve& c : w.curves) fastest = std::max(fastest, c.mean_A);
    out.extrapolated = out.current_A > 1.001 * fastest;
    out.uncertainty_A = quadrature(
        {solve(hotter) - out.current_A, solve(cooler) - out.current_A,
         out.current_A * rectangle(w.accuracy.temperature_C) / std::max(o.top_C - o.start_C, 1.0),
         0.05 * std::max(0.0, out.current_A - fastest)});
    out.caveats.push_back(phrase("Ends at {:.0f} °C, from {:.0f} °C.", o.top_C, o.start_C));
    out.caveats.push_back(
        phrase("A whole discharge of the rated charge; surroundings as warm as the start."));
    if (!fit->coolingSeen)
        out.caveats.push_back(phrase("Cooling is not seen in these logs and taken as none."));
    if (out.extrapolated)
        out.caveats.push_back(
            phrase("Beyond the fastest log ({}): extrapolated.", shortValue(fastest, "A")));
    return out;
}

RatingView adiabaticView(const Work& w, double resistance, const std::string& because,
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

RatingView timeView(const Work& w, Rating& rating) {
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

void chargeRate(const Work& w, Rating& out) {
    if (std::isfinite(w.battery.limits().chargeC)) {
        out.charge_C = w.battery.limits().chargeC;
        out.chargeBecause = phrase("the maker's figure");
        return;
    }
    out.charge_C = w.chemistry.chargeC;
    out.chargeBecause = w.chemistry.nickel()
                            ? phrase("nickel no faster than this: warm is wear (common rule)")
                            : phrase("the usual rate without a maker's figure");
}

std::string sentenceFor(const Battery& battery, const Rating& r) {
    if (!std::isfinite(r.trueC))
        return phrase("The true C rating is not measurable from these logs.");
    const std::string truth =
        phrase("True C is {} ({}), limited by {}", fixed(r.trueC, r.trueC < 10 ? 1 : 0),
               shortValue(r.trueC * r.rated_Ah, "A"),
               r.limitedBy == "sag"    ? phrase("the sagging voltage")
               : r.limitedBy == "heat" ? phrase("heat")
                                       : phrase("the adiabatic bound"));
    if (battery.label_C <= 0) return truth + ".";
    const double share = r.trueC / battery.label_C;
    return phrase("The label says {:.3g}C. {}: {:.0f} % of the label.", battery.label_C, truth,
                  100 * share);
}

}  // namespace

Expected<Rating> rateBattery(const std::vector<DischargeCurve>& all,
                             const std::vector<HeatTrace>& traces, const Battery& battery,
                             const InstrumentAccuracy& accuracy, const RatingOptions& options) {
    const std::vector<DischargeCurve> curves = onePerRate(all);
    const Chemistry* chemistry = battery.chemistryData();
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
    Work w{curves,          traces,   battery,
           *chemistry,      accuracy, options,
           battery.cells(), 0,        options.share * battery.rated_Ah};
    const double floor =
        std::isfinite(options.floor_V) ? options.floor_V : usualFloor_V(*chemistry);
    w.floor_V = floor * w.cells;
    Rating out;
    out.rated_Ah = battery.rated_Ah;
    std::string because;
    out.resistance_ohm = oneResistance(w, because);
    out.views.push_back(sagView(w, out.resistance_ohm, because));
    out.views.push_back(heatView(w, out.heat));
    out.views.push_back(adiabaticView(w, out.resistance_ohm, because, out.heat));
    out.views.push_back(timeView(w, out));
    chargeRate(w, out);
    for (RatingView& v : out.views)
        if (v.known()) v.c_rate = v.current_A / battery.rated_Ah;
    const RatingView& heat = out.views[1].known() ? out.views[1] : out.views[2];
    for (const RatingView* v : {&static_cast<const RatingView&>(out.views[0]), &heat})
        if (v->known() && !(v->c_rate >= out.trueC)) {
            out.trueC = v->c_rate;
            out.trueCUncertainty = v->uncertainty_A / battery.rated_Ah;
            out.limitedBy = v->view;
        }
    out.sentence = sentenceFor(battery, out);
    return out;
}

}  // namespace nk
