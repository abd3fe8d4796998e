#include "charge_plan.h"

#include <algorithm>
#include <cmath>

#include "charge_run.h"
#include "chemistry/charge_rates.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Resistance of a cell times its capacity, ohm·Ah: usual, and the range of healthy cells (common
/// practice, no source).
constexpr double kUsual_ohmAh = 0.08, kLow_ohmAh = 0.03, kHigh_ohmAh = 0.20;

double defaultRate(const Chemistry& c) {
    return std::min(0.5, c.chargeC);
}

}  // namespace

std::vector<std::string> preflightList(const Battery& battery, double current_A) {
    const Chemistry* c = battery.chemistryData();
    std::vector<std::string> out;
    if (c != nullptr)
        out.push_back(phrase("The charger's program is for {}, nothing else.", c->name()));
    out.push_back(
        battery.series == 1
            ? phrase("One cell: its own voltage fits one cell.")
            : phrase("{} cells in series: the voltage at rest fits that count.", battery.series));
    out.push_back(phrase("Red to plus, black to minus; the charger's end of the leads first."));
    if (battery.series > 1 && c != nullptr && !c->nickel())
        out.push_back(phrase("The balance lead is in, from the right end."));
    if (battery.rated_Ah > 0)
        out.push_back(phrase("The current is in A, not mA: {:.2f} A is {:.2f}C.", current_A,
                             current_A / battery.rated_Ah));
    if (c != nullptr)
        out.push_back(
            phrase("The battery is between {:.0f} and {:.0f} °C.", c->chargeMin_C, c->chargeMax_C));
    out.push_back(phrase("Its skin is whole: no dent, no swelling, no torn wrap."));
    out.push_back(phrase("The charger's counter stands at zero."));
    out.push_back(phrase("It stands on something that does not burn, away from what does."));
    out.push_back(phrase("Somebody is there, awake, with a smoke alarm."));
    return out;
}

std::vector<std::string> chargeCautions(const Battery& battery) {
    std::vector<std::string> out;
    out.push_back(phrase("Never leave charging unattended."));
    out.push_back(phrase("The maker's data sheet comes first."));
    const Chemistry* c = battery.chemistryData();
    const double top = c == nullptr ? 0 : (c->nickel() ? c->nominal_V * 1.25 : c->set_V);
    if (top * battery.series > 60)
        out.push_back(phrase("Over 60 V d.c.: work for trained people, by the local codes."));
    return out;
}

namespace {

/// The current at which a lithium charge ends: C/20, or what the charger has nearest to it, and
/// well under the current that flows, which would end it at once. Errors: a charger whose cut-offs
/// all lie above that.
Expected<void> setCutoff(const ChargeWish& wish, ChargePlan& out) {
    const double rated = wish.battery.rated_Ah;
    const double flows = out.effectiveCurrent_A;
    constexpr double kUsual = 20;
    constexpr double kMostShare = 0.6;
    double divisor = kUsual;
    if (wish.charger && !wish.charger->cutoffs.empty()) {
        const auto fits = [&](double share) {
            double best = 0;
            for (const double d : wish.charger->cutoffs) {
                if (!(rated / d <= share * flows)) continue;
                // The nearest that is offered, the fuller of two.
                const auto far = [](double x) { return std::abs(std::log(x / kUsual)) - 1e-6 * x; };
                if (best == 0 || far(d) < far(best)) best = d;
            }
            return best;
        };
        divisor = fits(kMostShare);
        if (divisor == 0) divisor = fits(0.95);
        if (divisor == 0) {
            const double least = rated / *std::ranges::max_element(wish.charger->cutoffs);
            return fail(ErrorKind::InvalidArgument,
                        phrase("{} ends a charge at {:.3g} A or more: {:.3g} A would be ended at "
                               "once.",
                               wish.charger->name, least, flows),
                        {}, phrase("a current over {:.3g} A.", least / kMostShare));
        }
    } else if (rated / kUsual > kMostShare * flows) {
        out.cutoff_A = 0.5 * flows;
        out.reasons["cutoff_A"] =
            phrase("Half of the charge current: C/20 would end so slow a charge at once.");
        return {};
    }
    out.cutoff_A = rated / divisor;
    out.reasons["cutoff_A"] =
        phrase("C/{:.0f}: nearly full; C/10 ends sooner with about two per cent less.", divisor);
    return {};
}

}  // namespace

Expected<ChargePlan> planCharge(const ChargeWish& wish) {
    const Battery& b = wish.battery;
    const Chemistry* c = b.chemistryData();
    if (c == nullptr)
        return fail(ErrorKind::InvalidArgument, phrase("The chemistry is not known."), {},
                    phrase("--chemistry with one of the known ones."));
    if (b.series < 1 || !(b.rated_Ah > 0) || !std::isfinite(b.rated_Ah))
        return fail(ErrorKind::InvalidArgument,
                    phrase("The series count or the rated capacity is not known."), {},
                    phrase("--series N and --rated-ah X."));
    if (wish.ambient_C < c->chargeMin_C || wish.ambient_C > c->chargeMax_C)
        return fail(ErrorKind::InvalidArgument,
                    phrase("{} is not charged at {:.0f} °C.", c->name(), wish.ambient_C), {},
                    phrase("{:.0f} to {:.0f} °C; bring it to room temperature first, never with a "
                           "flame.",
                           c->chargeMin_C, c->chargeMax_C));
    if (wish.fromSoc > 1)
        return fail(ErrorKind::InvalidArgument, phrase("A charge level over 1 is none."), {},
                    phrase("0 to 1."));
    ChargePlan out;
    out.chemistry = c->id;
    out.cells = b.series;
    auto triage = triageOf(b, wish.rested_V, wish.cells_V);
    if (!triage) return tl::unexpected<Error>(triage.error());
    out.triage = std::move(*triage);
    if (out.triage.word == Triage::Word::OutOfUse || out.triage.word == Triage::Word::MeasureCells)
        return fail(ErrorKind::InvalidArgument,
                    out.triage.words.front() +
                        (out.triage.words.size() > 1 ? " " + out.triage.words[1] : ""),
                    {},
                    out.triage.word == Triage::Word::OutOfUse
                        ? phrase("a battery of at least {:.2f} V a cell at rest.", c->outOfUse_V)
                        : phrase("--cells-v with each cell at rest."));
    const bool gently = out.triage.word == Triage::Word::Gently;

    // The current: what is asked for, in the bounds of chemistry, warmth and charger.
    double rate = wish.rate_C > 0      ? wish.rate_C
                  : wish.current_A > 0 ? wish.current_A / b.rated_Ah
                                       : defaultRate(*c);
    const bool asked = wish.rate_C > 0 || wish.current_A > 0;
    // The maker's own, where there is one that can be.
    const double usual = c->chargeC;
    const bool makers = b.limits().chargeC == usual;
    std::string why =
        asked ? phrase("{:.3g}C, as asked for.", rate)
              : phrase("{:.2g}C, kind to {} (common practice, no source).", rate, c->name());
    const RateIs is = rateIs(rate, usual);
    if (is == RateIs::None)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("{:.3g}C is no charge current that is accepted.", rate), {},
            phrase("at most {:.2g}C, the usual figure; with the explicit step up to {:.0f}C.",
                   usual, kMostRate_C));
    if (makers && is != RateIs::Usual)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("{:.3g}C is beyond the {:.3g}C that the maker of this battery allows.", rate,
                   usual),
            {}, phrase("at most {:.3g}C, or another figure of the data sheet on its card.", usual));
    if (is != RateIs::Usual) {
        // Up to 1C the figure itself is the explicit step; beyond it a word of its own is.
        if (!wish.beyondUsual && is == RateIs::FarBeyond)
            return fail(
                ErrorKind::InvalidArgument,
                phrase("{:.3g}C is beyond the usual {:.2g}C of {}.", rate, usual, c->name()), {},
                phrase("at most {:.2g}C; or the explicit step, where the maker's data sheet "
                       "allows more.",
                       usual));
        out.beyondUsual = true;
        out.cautions.push_back(phrase(
            "Beyond the usual {:.2g}C: only where the maker's data sheet allows it.", usual));
    }
    if (wish.ambient_C < c->chargeSlowBelow_C && rate > 0.2) {
        rate = 0.2;
        out.limitedBy = "cold";
        why = phrase("0.2C at the most under {:.0f} °C.", c->chargeSlowBelow_C);
    }
    if (gently && rate > kGentleC) {
        rate = kGentleC;
        out.limitedBy = "overdrained";
        why = out.triage.words.front();
    }
    double current = rate * b.rated_Ah;
    double step = 0;
    if (wish.charger) {
        const ChargerCard& charger = *wish.charger;
        if (auto ok = charger.canDo(*c, b.series); !ok) return tl::unexpected<Error>(ok.error());
        step = charger.currentStep_A;
        const double before = current;
        current = stepDown(std::min(current, charger.maxCharge_A), step);
        if (charger.maxCharge_A < before) {
            out.limitedBy = "charger_current";
            why += " " + phrase("The charger gives {:.3g} A at most.", charger.maxCharge_A);
        }
        out.effectiveCurrent_A = charger.effectiveCharge_A(current, *c, b.series);
        if (out.effectiveCurrent_A < current - 1e-9) {
            out.limitedBy = "charger_power";
            out.reasons["effective_current_A"] =
                phrase("{:.3g} W at {:.3g} V is {:.3g} A, whatever is set.", charger.maxCharge_W,
                       c->nominal_V * b.series, out.effectiveCurrent_A);
        }
        if (!(current > 0) || !(out.effectiveCurrent_A > 0))
            return fail(
                ErrorKind::InvalidArgument,
                phrase("{} cannot be set as low as {:.3g} A.", charger.name, rate * b.rated_Ah), {},
                phrase("steps of {:.3g} A.", step));
    } else {
        out.effectiveCurrent_A = current;
    }
    out.current_A = current;
    out.reasons["current_A"] = why + " " +
                               phrase("{:.0f} mA; not above {:.2f} A ({:.2g}C).", 1000 * current,
                                      usual * b.rated_Ah, usual);

    const double capacity = b.rated_Ah;
    const double capacityStep =
        wish.charger && wish.charger->capacityStep_mAh > 0 ? wish.charger->capacityStep_mAh : 1;
    // Volts at rest tell the level where the curve is not flat.
    const bool flat = c->nickel() || c->id == "lfp" || c->id == "lto";
    double told = wish.fromSoc;
    if (told < 0 && std::isfinite(out.triage.cell_V) && !flat)
        told = std::clamp(c->ocv.soc(out.triage.cell_V) / c->fullSoc, 0.0, 1.0);
    const double from = told >= 0 ? told : 0;
    if (!c->nickel()) {
        double perCell = c->set_V;
        if (wish.set_V > 0) {
            if (wish.set_V > c->set_V + 1e-9)
                return fail(ErrorKind::InvalidArgument,
                            phrase("{:.3f} V a cell is above the {:.2f} V of {}.", wish.set_V,
                                   c->set_V, c->name()),
                            {}, phrase("at most {:.2f} V a cell.", c->set_V));
            if (wish.set_V < c->nominal_V)
                return fail(ErrorKind::InvalidArgument,
                            phrase("{:.3f} V a cell would hardly charge it.", wish.set_V), {},
                            phrase("{:.2f} to {:.2f} V a cell.", c->nominal_V, c->set_V));
            perCell = wish.set_V;
        }
        const double packStep = wish.charger ? wish.charger->setVoltageStep_V : 0;
        out.set_V = stepDown(std::round(perCell * b.series * 1e9) / 1e9, packStep);
        out.setPerCell_V = out.set_V / b.series;
        out.reasons["set_V"] = phrase(
            "{:.3f} V a cell times {}; never above {:.2f} V a cell: there lies the fault "
            "limit.",
            out.setPerCell_V, b.series, c->fault_V);
        if (auto ok = setCutoff(wish, out); !ok) return tl::unexpected<Error>(ok.error());
        ChargeRunSetting run;
        run.capacity_Ah = capacity;
        run.series = b.series;
        run.current_A = out.effectiveCurrent_A;
        if (wish.charger) run.power_W = wish.charger->maxCharge_W;
        // A charger that is set above its watts gives what they allow.
        if (wish.charger && std::isfinite(wish.charger->maxCharge_W)) run.current_A = out.current_A;
        run.set_V = out.setPerCell_V;
        run.cutoff_A = out.cutoff_A;
        run.fromSoc = from;
        const double measured = wish.resistance_ohm;
        const auto with = [&](double ohmAh, double share, double soc) {
            run.resistance_ohm = measured > 0 ? measured : ohmAh / capacity;
            run.capacity_Ah = capacity * share;
            run.fromSoc = soc;
            return runCharge(*c, run);
        };
        const ChargeRun likely = with(kUsual_ohmAh, 1, from);
        out.knee_s = likely.knee_s;
        const double lowFrom = wish.fromSoc >= 0 ? from
                               : told >= 0       ? std::min(1.0, from + 0.1)
                                                 : std::min(1.0, from + 0.2);
        out.time_s = {with(kLow_ohmAh, 0.85, lowFrom).time_s, likely.time_s,
                      with(kHigh_ohmAh, 1.05, from).time_s};
        if (out.time_s[0] > out.time_s[1]) std::swap(out.time_s[0], out.time_s[1]);
        out.time_s[2] = std::max(out.time_s[2], out.time_s[1]);
        out.capacityLimit_mAh = stepUp(1000 * capacity * 1.1, capacityStep);
        out.reasons["capacity_limit_mAh"] =
            phrase("A backstop: the capacity and a tenth, rounded up.");
    } else {
        out.peakDrop_mV = 1000 * c->peakDrop_V;
        out.reasons["peak_drop_mV_per_cell"] =
            rate < 0.3 ? phrase("Under 0.3C the peak may hide: the timer ends it.")
                       : phrase("−ΔV of {:.0f} mV a cell ends it.", out.peakDrop_mV);
        const double hours = capacity / out.effectiveCurrent_A;
        const double lowFrom = wish.fromSoc >= 0 ? from : 0.2;
        out.time_s = {3600 * hours * std::max(0.0, 0.85 - lowFrom),
                      3600 * hours * (1 - from) * 1.08, 3600 * hours * (1 - from) * 1.3};
        out.capacityLimit_mAh = stepUp(1000 * capacity * 1.2, capacityStep);
        out.reasons["capacity_limit_mAh"] = phrase(
            "A backstop: 120 % of the capacity, rounded up; set below what the charge takes it "
            "would never let the peak come.");
        if (rate < 0.3)
            out.cautions.push_back(
                phrase("So slowly the peak can be too small to be caught: watch the time."));
    }
    if (!flat) {
        // Range against life at a glance.
        std::string words;
        for (const double under : {0.1, 0.2}) {
            const double volts = c->set_V - under;
            words += (words.empty() ? "" : " ") +
                     phrase(
                         "To {:.2f} V a cell: {:.0f} % of the charge, {:.1f} to {:.1f} times "
                         "the cycles.",
                         volts, 100 * c->ocv.soc(volts) / c->fullSoc, std::pow(1.5, under / 0.1),
                         std::pow(2.5, under / 0.1));
        }
        out.reasons["life"] = words + " " + phrase("(Common practice, no source.)");
    }
    // The timer: behind the latest end, in steps of five minutes.
    out.timer_min = std::max(5.0, 5 * std::ceil(out.time_s[2] / 60 * 1.15 / 5));
    out.reasons["timer_min"] =
        phrase("A backstop: a seventh behind the latest end that is expected.");
    if (wish.charger && out.timer_min > wish.charger->maxTimer_min) {
        out.timer_min = wish.charger->maxTimer_min;
        out.reasons["timer_min"] = phrase("The longest that the charger offers.");
        if (out.timer_min * 60 < out.time_s[1])
            out.cautions.push_back(
                phrase("The charger's timer ends it before it is full: it must be begun again."));
    }
    if (gently) {
        out.timer_min = std::min(out.timer_min, kGentleMinutes);
        out.reasons["timer_min"] = phrase(
            "The gentle start: is it above {:.2f} V a cell then, plan anew.", c->overdrained_V);
    }
    for (const std::string& words : out.triage.words) out.cautions.push_back(words);
    out.reasons["time_s"] =
        wish.fromSoc >= 0
            ? phrase(
                  "From {:.0f} % by the chemistry's usual curve and {}; its own model would say "
                  "it closer.",
                  100 * from,
                  wish.resistance_ohm > 0 ? phrase("the measured resistance")
                                          : phrase("a usual resistance"))
        : told >= 0
            ? phrase(
                  "From about {:.0f} %, by {:.2f} V a cell at rest and the chemistry's usual "
                  "curve.",
                  100 * from, out.triage.cell_V)
            : phrase(
                  "From empty, at the least from a fifth: the level before is not known. By the "
                  "chemistry's usual curve.");
    const double volts = c->nickel() ? 1.5 * b.series : out.set_V;
    double watts = out.effectiveCurrent_A * volts;
    if (wish.charger) watts = std::min(watts, wish.charger->maxCharge_W);
    out.supply_W = watts / 0.85;
    out.reasons["supply_W"] = phrase(
        "What the supply must give, at 85 % in the charger (common "
        "practice, no source); at 12 V that is {:.1f} A.",
        out.supply_W / 12);
    if (wish.fieldBattery_Wh > 0) {
        // Used to four fifths; 85 % arrive in the charger, and of a charge 95 % come (lithium) or
        // 75 % (nickel): common practice, no source.
        const double one =
            c->nominal_V * b.series * b.rated_Ah * (1 - from) / (c->nickel() ? 0.75 : 0.95) / 0.85;
        out.fills = one > 0 ? 0.8 * wish.fieldBattery_Wh / one : out.fills;
        out.reasons["fills"] = phrase(
            "A field battery of {:.0f} Wh, used to four fifths, fills {:.1f} of these; one "
            "takes {:.0f} Wh out of it (common practice, no source).",
            wish.fieldBattery_Wh, out.fills, one);
    }
    out.preflight = preflightList(b, out.current_A);
    for (std::string& words : chargeCautions(b)) out.cautions.push_back(std::move(words));
    return out;
}

}  // namespace nk
