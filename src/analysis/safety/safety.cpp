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

namespace {

/// The worst of the pack's mean and of every cell.
struct WorstCell {
    Worst where;
    double perCell_V = 0;
    double doubt_V = 0;  ///< half width: the meter's gain and offset, per cell
    std::string who;     ///< "a cell on average", "in cell 3"; empty: the battery is one cell
    bool any() const { return where.any; }
};

double doubtOf(const AnalysisInput& in, double volts, const ChannelQuality& quality, double cells) {
    return in.accuracy.voltageGain * std::abs(volts) +
           in.accuracy.voltageOffsetSteps * quality.resolution / cells;
}

/// The most extreme voltage of a cell beyond a limit, freed of noise.
WorstCell worstCell(const AnalysisInput& in, double limit_V, bool above) {
    const double interval = in.recording.usualInterval_s();
    const double cells = in.battery.cells();
    WorstCell out;
    out.where =
        worstOf(in, excursions(in.recording.voltage_V(), limit_V * cells, above, interval), above);
    out.perCell_V = out.where.extreme / cells;
    out.who = in.battery.series > 1 ? phrase("a cell on average") : "";
    out.doubt_V = doubtOf(in, out.perCell_V, in.recording.voltageQuality(), cells);
    for (std::size_t n = 0; n < in.recording.cells_V().size(); ++n) {
        const auto& column = in.recording.cells_V()[n];
        const Worst cell = worstOf(in, excursions(column, limit_V, above, interval), above);
        const bool worse = above ? cell.extreme > out.perCell_V : cell.extreme < out.perCell_V;
        if (!cell.any || (out.any() && !worse)) continue;
        out.where = cell;
        out.perCell_V = cell.extreme;
        out.doubt_V = doubtOf(in, cell.extreme, estimateQuality(column, 0), 1);
        out.who = phrase("in cell {}", n + 1);
    }
    return out;
}

/// A hazard of a kind that was only guessed is a question.
Severity hazardOr(const AnalysisInput& in) {
    return in.assumed("chemistry") ? Severity::Verdict : Severity::Hazard;
}

std::string askKind(const Chemistry& c) {
    return phrase("The kind of battery is a guess: is it {}? Say so on its card. ", c.name());
}

}  // namespace

void checkOvervoltage(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr || !std::isfinite(c->fault_V)) return;
    const WorstCell w = worstCell(in, c->fault_V, true);
    if (!w.any() || !c->overFault(w.perCell_V, w.doubt_V)) return;
    const bool charging = in.recording.current_A()[w.where.first] > 0;
    const bool gross = c->grosslyOvercharged(w.perCell_V, w.doubt_V) && !in.assumed("chemistry");
    const std::string advice =
        gross ? phrase(
                    "Do not use this charger again before it was checked. Let the battery rest "
                    "outside, away from things that burn; it is out of use.")
        : charging
            ? phrase(
                  "Do not use this charger with this battery. Let the battery rest outside, away "
                  "from things that burn, and use it only if it is neither warm nor swollen.")
            : phrase("Check the chemistry and series count on the battery card, then the charger.");
    out.push_back(
        {hazardOr(in), "overvoltage",
         phrase("The voltage reached {:.3f} V {}{}over the {:.2f} V fault limit of {}.",
                w.perCell_V, w.who, w.who.empty() ? "" : ", ", c->fault_V, kindText(in, *c)),
         in.assumed("chemistry") ? askKind(*c) : advice,
         evidenceOf(in, w.where.first, w.where.last)});
}

void checkNearFault(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr || !std::isfinite(c->fault_V) || in.assumed("chemistry")) return;
    const WorstCell w = worstCell(in, c->fault_V, true);
    if (!w.any() || c->overFault(w.perCell_V, w.doubt_V)) return;
    out.push_back(
        {Severity::Verdict, "near_fault_voltage",
         phrase(
             "The voltage read {:.3f} V {}{}near the {:.2f} V fault limit of {}: the meter's own "
             "doubt is ± {:.3f} V.",
             w.perCell_V, w.who, w.who.empty() ? "" : ", ", c->fault_V, kindText(in, *c),
             w.doubt_V),
         phrase("Hold a better meter beside it before this charger is used again."),
         evidenceOf(in, w.where.first, w.where.last)});
}

void checkOverdischarge(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr) return;
    const WorstCell w = worstCell(in, c->overdischarge_V, false);
    if (!w.any() || !c->tooDeep(w.perCell_V, w.doubt_V)) return;
    out.push_back(
        {hazardOr(in), "overdischarge",
         phrase("The voltage fell to {:.2f} V{}, under the {:.2f} V that {} bears.", w.perCell_V,
                w.who.empty() ? "" : " " + w.who, c->overdischarge_V, kindText(in, *c)),
         in.assumed("chemistry") ? askKind(*c)
         : c->ruined(w.perCell_V, w.doubt_V)
             ? phrase(
                   "A cell that was driven so far is out of use: do not charge it again; recycle "
                   "it by the local rules.")
         : c->nickel()
             ? phrase("Charge it gently first (0.1C or less, attended) to 1.0 V a cell; a "
                      "pack's mean can hide a reversed cell.")
             : phrase("Recharge soon and gently, attended, and raise the cut-off of the load."),
         evidenceOf(in, w.where.first, w.where.last)});
}

namespace {

/// The lowest rest, of ten minutes and more, that is out of use; of the pack's mean and the cells.
WorstCell lowestRest(const AnalysisInput& in, const Chemistry& c) {
    constexpr double kSettled_s = 600;
    WorstCell out;
    const auto look = [&](std::span<const double> column, double cells, const std::string& who) {
        const bool whole = column.data() == in.recording.voltage_V().data();
        for (const Step& s : in.steps.list) {
            if (s.kind != StepKind::Rest || s.end_s - s.start_s < kSettled_s) continue;
            const double volts = column[s.last] / cells;
            if (!c.outOfUse(volts)) continue;
            const double doubt =
                doubtOf(in, volts,
                        whole ? in.recording.voltageQuality() : estimateQuality(column, 0), cells);
            if (!c.outOfUse(volts, doubt) || (out.any() && volts >= out.perCell_V)) continue;
            out.where.any = true;
            out.where.first = s.first;
            out.where.last = s.last;
            out.perCell_V = volts;
            out.doubt_V = doubt;
            out.who = who;
        }
    };
    look(in.recording.voltage_V(), in.battery.cells(),
         in.battery.series > 1 ? phrase("a cell on average") : "");
    for (std::size_t n = 0; n < in.recording.cells_V().size(); ++n)
        look(in.recording.cells_V()[n], 1, phrase("in cell {}", n + 1));
    return out;
}

}  // namespace

void checkOutOfUse(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr || in.assumed("chemistry")) return;
    const auto tell = [&](const WorstCell& w, const std::string& why) {
        const std::string who = w.who.empty() ? std::string() : " " + w.who;
        out.push_back(
            {Severity::Hazard, "out_of_use", phrase("This battery is out of use: {}{}.", why, who),
             phrase("Neither charge nor test it; tape its terminals and recycle it by the "
                    "local rules, cool or not."),
             evidenceOf(in, w.where.first, w.where.last)});
    };
    if (std::isfinite(c->fault_V)) {
        const WorstCell high = worstCell(in, c->fault_V, true);
        if (high.any() && c->grosslyOvercharged(high.perCell_V, high.doubt_V))
            return tell(high, phrase("it was grossly overcharged, to {:.2f} V", high.perCell_V));
    }
    const WorstCell low = worstCell(in, c->ruined_V, false);
    if (low.any() && c->ruined(low.perCell_V, low.doubt_V))
        return tell(low, low.perCell_V < 0
                             ? phrase("a cell was reversed, to {:.2f} V", low.perCell_V)
                             : phrase("it was driven down to {:.2f} V", low.perCell_V));
    const WorstCell rest = lowestRest(in, *c);
    if (rest.any()) tell(rest, phrase("it rested at {:.2f} V", rest.perCell_V));
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
    const double slowly_C = 1.05 * c.chargeSlowRate_C;  // the set figure, as a meter reads it
    if (in.battery.capacity_Ah() <= 0 || !everBeyond(in, c.chargeSlowBelow_C, false)) return;
    const Worst w = worstOf(in,
                            excursions(chargingTemperature(in), c.chargeSlowBelow_C, false,
                                       in.recording.usualInterval_s()),
                            false);
    if (!longEnough(in, w) || w.last <= w.first) return;
    const Integral sum = integrate(in.recording, w.first, w.last);
    if (!(sum.duration_s > 0)) return;
    const double rate_C = sum.charge_Ah * 3600 / sum.duration_s / in.battery.capacity_Ah();
    if (rate_C <= slowly_C) return;
    out.push_back(
        {Severity::Verdict, "charged_cold",
         phrase("Charged at {:.1f} °C with {:.1f}C. Under {:.0f} °C {} is charged slowly "
                "only, with at most "
                "about {:.1f}C.",
                w.extreme, rate_C, c.chargeSlowBelow_C, kindText(in, c), c.chargeSlowRate_C),
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
    const bool plates = c->plates;
    out.push_back(
        {hazardOr(in), "charged_cold",
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
        {hazardOr(in), "charged_hot",
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
