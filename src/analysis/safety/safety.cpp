#include "safety.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "quantity/format.h"

namespace nk {

std::vector<Excursion> excursions(std::span<const double> column, double limit, bool above,
                                  double interval_s) {
    std::vector<Excursion> out;
    const std::size_t half = interval_s > 5 ? 1 : 2;
    const auto beyond = [&](double x) { return above ? x > limit : x < limit; };
    std::array<double, 5> window{};
    bool inside = false;
    for (std::size_t k = 0; k < column.size(); ++k) {
        // Cheap test first: the median can only be beyond when the sample or a neighbour is.
        if (!beyond(column[k])) {
            inside = false;
            continue;
        }
        std::size_t n = 0;
        const std::size_t from = k >= half ? k - half : 0;
        const std::size_t to = std::min(column.size() - 1, k + half);
        for (std::size_t m = from; m <= to; ++m)
            if (std::isfinite(column[m])) window[n++] = column[m];
        if (n == 0) continue;
        for (std::size_t a = 1; a < n; ++a)
            for (std::size_t b = a; b > 0 && window[b] < window[b - 1]; --b)
                std::swap(window[b], window[b - 1]);
        const double median = window[above ? (n - 1) / 2 : n / 2];
        if (!beyond(median)) {
            inside = false;
            continue;
        }
        if (!inside) out.push_back({k, k, median});
        inside = true;
        out.back().last = k;
        out.back().extreme =
            above ? std::max(out.back().extreme, median) : std::min(out.back().extreme, median);
    }
    return out;
}

namespace {

Evidence evidenceOf(const AnalysisInput& in, std::size_t first, std::size_t last) {
    const auto t = in.recording.time_s();
    return {t[first], t[last], in.steps.at(t[first])};
}

/// Only the excursions of one kind, put together: where it was worst, from first to last.
struct Worst {
    bool any = false;
    double extreme = 0;
    std::size_t first = 0, last = 0;
    double total_s = 0;
};

Worst worstOf(const AnalysisInput& in, const std::vector<Excursion>& list, bool above) {
    Worst w;
    const auto t = in.recording.time_s();
    for (const Excursion& e : list) {
        if (!w.any) w.first = e.first, w.extreme = e.extreme;
        w.any = true;
        w.last = e.last;
        w.extreme = above ? std::max(w.extreme, e.extreme) : std::min(w.extreme, e.extreme);
        w.total_s += t[e.last] - t[e.first] + in.recording.usualInterval_s();
    }
    return w;
}

std::string kindText(const AnalysisInput& in, const Chemistry& c) {
    return in.assumed("chemistry") ? c.name() + phrase(" (assumed)") : c.name();
}

}  // namespace

void checkOvervoltage(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr || !std::isfinite(c->fault_V)) return;
    const double interval = in.recording.usualInterval_s();
    Worst w = worstOf(
        in, excursions(in.recording.voltage_V(), c->fault_V * in.battery.cells(), true, interval),
        true);
    double perCell = w.extreme / in.battery.cells();
    std::string who = in.battery.series > 1 ? phrase("a cell on average") : "";
    for (std::size_t n = 0; n < in.recording.cells_V().size(); ++n) {
        const Worst cell =
            worstOf(in, excursions(in.recording.cells_V()[n], c->fault_V, true, interval), true);
        if (cell.any && (!w.any || cell.extreme > perCell)) {
            w = cell;
            perCell = cell.extreme;
            who = phrase("in cell {}", n + 1);
        }
    }
    if (!w.any) return;
    const bool charging = in.recording.current_A()[w.first] > 0;
    out.push_back(
        {Severity::Hazard, "overvoltage",
         phrase("The voltage reached {:.3f} V {}{}over the {:.2f} V fault limit of {}.", perCell,
                who, who.empty() ? "" : ", ", c->fault_V, kindText(in, *c)),
         charging
             ? phrase(
                   "Do not use this charger with this battery. Let the battery rest outside, away "
                   "from things that burn, and use it only if it is neither warm nor swollen.")
             : phrase(
                   "Check the chemistry and series count on the battery card, then the charger."),
         evidenceOf(in, w.first, w.last)});
}

void checkOverdischarge(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr) return;
    const double interval = in.recording.usualInterval_s();
    const double limit = c->overdrained_V - 0.02;
    Worst w = worstOf(
        in, excursions(in.recording.voltage_V(), limit * in.battery.cells(), false, interval),
        false);
    double perCell = w.extreme / in.battery.cells();
    std::string who = in.battery.series > 1 ? phrase(" a cell on average") : "";
    for (std::size_t n = 0; n < in.recording.cells_V().size(); ++n) {
        const Worst cell =
            worstOf(in, excursions(in.recording.cells_V()[n], limit, false, interval), false);
        if (cell.any && (!w.any || cell.extreme < perCell)) {
            w = cell;
            perCell = cell.extreme;
            who = phrase(" in cell {}", n + 1);
        }
    }
    if (!w.any) return;
    const bool dead = !c->nickel() && perCell < c->outOfUse_V;
    out.push_back(
        {Severity::Hazard, "overdischarge",
         phrase("The voltage fell to {:.2f} V{}, under the {:.2f} V that {} bears.", perCell, who,
                c->overdrained_V, kindText(in, *c)),
         dead ? phrase("A lithium cell that was under its lowest limit is out of use: do not "
                       "charge it again; recycle it by the local rules.")
         : c->nickel()
             ? phrase("Charge it gently first (0.1C or less, attended) to 1.0 V a cell; a "
                      "pack's mean can hide a reversed cell.")
             : phrase("Recharge soon and gently, attended, and raise the cut-off of the load."),
         evidenceOf(in, w.first, w.last)});
}

namespace {

/// Whether any temperature of the log is beyond a limit at all: most logs end here.
bool everBeyond(const AnalysisInput& in, double limit, bool above) {
    for (const double x : in.recording.temperature_C())
        if (above ? x > limit : x < limit) return true;
    return false;
}

/// Samples of temperature while the current charges (NaN elsewhere).
std::vector<double> chargingTemperature(const AnalysisInput& in) {
    const auto temp = in.recording.temperature_C();
    const auto current = in.recording.current_A();
    std::vector<double> out(temp.size());
    for (std::size_t k = 0; k < temp.size(); ++k)
        out[k] = current[k] > in.steps.restThreshold_A ? temp[k] : kNaN;
    return out;
}

bool longEnough(const AnalysisInput& in, const Worst& w) {
    return w.any && w.total_s >= std::max(5.0, 2.5 * in.recording.usualInterval_s());
}

}  // namespace

namespace {

/// Between the limit and "slowly only": charged as quickly as in the warm.
void checkChargedQuicklyInTheCold(const AnalysisInput& in, const Chemistry& c,
                                  std::vector<Finding>& out) {
    constexpr double kSlowly_C = 0.3;  // common practice, no source
    if (in.battery.rated_Ah <= 0 || !everBeyond(in, c.chargeSlowBelow_C, false)) return;
    const Worst w = worstOf(in,
                            excursions(chargingTemperature(in), c.chargeSlowBelow_C, false,
                                       in.recording.usualInterval_s()),
                            false);
    if (!longEnough(in, w) || w.last <= w.first) return;
    const Integral sum = integrate(in.recording, w.first, w.last);
    if (!(sum.duration_s > 0)) return;
    const double rate_C = sum.charge_Ah * 3600 / sum.duration_s / in.battery.rated_Ah;
    if (rate_C <= kSlowly_C) return;
    out.push_back({Severity::Verdict, "charged_cold",
                   phrase("Charged at {:.1f} °C with {:.1f}C. Under {:.0f} °C {} is charged slowly "
                          "only, with at most "
                          "about {:.1f}C.",
                          w.extreme, rate_C, c.chargeSlowBelow_C, kindText(in, c), kSlowly_C),
                   phrase("Warm the battery before charging, or set a smaller current."),
                   evidenceOf(in, w.first, w.last)});
}

}  // namespace

void checkChargedCold(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr || !in.recording.hasTemperature()) return;
    const Worst w = everBeyond(in, c->chargeMin_C, false)
                        ? worstOf(in,
                                  excursions(chargingTemperature(in), c->chargeMin_C, false,
                                             in.recording.usualInterval_s()),
                                  false)
                        : Worst{};
    if (!longEnough(in, w)) {
        checkChargedQuicklyInTheCold(in, *c, out);
        return;
    }
    // Titanate works at about 1.55 V against lithium: nothing plates there.
    const bool plates = !c->nickel() && c->id != "lto";
    out.push_back(
        {Severity::Hazard, "charged_cold",
         phrase("Charged at {:.1f} °C, under the {:.0f} °C limit of {}, for {}.", w.extreme,
                c->chargeMin_C, kindText(in, *c), durationText(w.total_s)),
         plates
             ? phrase("Lithium can plate out in the cold, which is permanent and dangerous. Warm "
                      "the battery before charging; treat this one with care.")
             : phrase("Warm the battery before charging."),
         evidenceOf(in, w.first, w.last)});
}

void checkChargedHot(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr || !in.recording.hasTemperature()) return;
    if (!everBeyond(in, c->chargeMax_C, true)) return;
    const Worst w = worstOf(
        in,
        excursions(chargingTemperature(in), c->chargeMax_C, true, in.recording.usualInterval_s()),
        true);
    if (!longEnough(in, w)) return;
    out.push_back(
        {Severity::Hazard, "charged_hot",
         phrase("Charged at up to {:.1f} °C, over the {:.0f} °C limit of {}, for {}.", w.extreme,
                c->chargeMax_C, kindText(in, *c), durationText(w.total_s)),
         phrase("Charge with less current or let it cool first; heat while charging is wear, and a "
                "warning."),
         evidenceOf(in, w.first, w.last)});
}

void checkTooHot(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (!in.recording.hasTemperature()) return;
    const double limit = c != nullptr ? c->dischargeMax_C : 60;
    const Worst w = worstOf(
        in, excursions(in.recording.temperature_C(), limit, true, in.recording.usualInterval_s()),
        true);
    if (!w.any) return;
    out.push_back(
        {Severity::Hazard, "too_hot",
         phrase("The battery reached {:.1f} °C; {:.0f} °C is the hard limit.", w.extreme, limit),
         phrase("Draw less current. A cell that got this hot, or is swollen, is checked by eye "
                "before any further use."),
         evidenceOf(in, w.first, w.last)});
}

}  // namespace nk
