#include "program.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

namespace {

/// Without a word about hours: what nobody is awake for in one go.
constexpr double kLongestWatch_s = 15 * 3600;

struct Rates {
    double discharge_A = 0, floor_V = 0, capacity_Ah = 0;
    ChargePlan charge;  ///< the usual one
    ChargePlan slow;    ///< a tenth of C
    std::string why;
};

ActWish actOf(const ProgramWish& w, Act kind) {
    ActWish out = w.charge().act(kind);
    out.floor_V = w.floor_V > 0 ? w.floor_V : 0;
    out.lamp_W = w.lamp_W;
    return out;
}

/// Current of a slow discharge on this charger, and why where that is less. Errors: none.
Expected<double> dischargeOn(const ProgramWish& w, const Chemistry& c, double wanted_A, Act act,
                             std::string& why) {
    if (!w.charger) return wanted_A;
    if (auto ok = w.charger->canDo(c, w.battery.series); !ok)
        return refusal(act, "charger", ok.error().what, ok.error().accepted);
    const double flows = w.charger->effectiveDischarge_A(wanted_A, c, w.battery.series);
    if (!(flows > 0))
        return refusal(act, "charger",
                       phrase("{} cannot be set as low as this battery needs.", w.charger->name),
                       phrase("a current of {:.3g} A.", wanted_A));
    if (flows < wanted_A - 1e-9)
        why = phrase("The charger discharges with {:.3g} A at most here (its watts and steps).",
                     flows);
    return flows;
}

/// The currents and the charges of a program, all by the gate. Errors: refusals.
Expected<Rates> ratesOf(const ProgramWish& w, Act act) {
    const auto limits = askGate(w.charge().state(), actOf(w, act));
    if (!limits) return tl::unexpected<Error>(limits.error());
    const Chemistry& c = *w.battery.chemistryData();
    Rates r;
    r.capacity_Ah = w.charge().reference_Ah();
    r.floor_V = limits->floor_V;
    const auto discharge = dischargeOn(w, c, limits->discharge_A, act, r.why);
    if (!discharge) return tl::unexpected<Error>(discharge.error());
    r.discharge_A = *discharge;
    const auto charge = [&](double rate, bool overnight) {
        ChargeWish wish = w.charge();
        wish.fromSoc = 0;
        wish.rate_C = rate;
        wish.overnight = overnight;
        // The cells' volts were asked about already; after the first discharge they are others.
        wish.rested_V = 0;
        wish.cells_V.clear();
        return planCharge(wish);
    };
    for (const auto& [into, rate] :
         {std::pair(&r.charge, 0.0), std::pair(&r.slow, std::min(0.1, c.chargeC))}) {
        auto plan = charge(rate, false);
        if (!plan) {
            Error e = plan.error();
            e.act = nameOf(act);
            return tl::unexpected<Error>(std::move(e));
        }
        *into = std::move(*plan);
    }
    return r;
}

PlannedStep discharge(const Rates& r, const ProgramWish& w, double share, const std::string& why) {
    PlannedStep s;
    s.what = "discharge";
    s.current_A = r.discharge_A;
    s.until = phrase("{:.2f} V a cell, {:.2f} V in all", r.floor_V, r.floor_V * w.battery.series);
    double amps = r.discharge_A;
    if (w.lamp_W > 0) amps += w.lamp_W / (1.2 * w.battery.series);
    const double hours = r.capacity_Ah * share / amps;
    s.time_s = {3600 * hours * (share < 1 ? 0.2 : 0.7), 3600 * hours,
                3600 * r.capacity_Ah / amps * 1.2};
    s.attended = true;
    s.why = why;
    return s;
}

PlannedStep rest(double low_min, double likely_min, double high_min, const std::string& until) {
    PlannedStep s;
    s.what = "rest";
    s.until = until;
    s.time_s = {60 * low_min, 60 * likely_min, 60 * high_min};
    s.attended = false;
    return s;
}

PlannedStep charge(const ChargePlan& plan, const std::string& why = {}) {
    PlannedStep s;
    s.what = "charge";
    s.current_A = plan.effectiveCurrent_A;
    s.until = endsWords(plan);
    s.time_s = plan.time_s;
    s.why = why;
    return s;
}

void common(Program& p, const ProgramWish& w, const Rates& r, const ChargePlan& quoted) {
    if (!r.why.empty()) p.reasons.push_back(r.why);
    if (w.capacity_Ah > 0)
        p.reasons.push_back(
            phrase("C counts of the {:.3g} Ah that it holds today.", w.capacity_Ah));
    p.preflightCurrent_A = quoted.effectiveCurrent_A;
    p.preflight = preflightList(w.battery, quoted.effectiveCurrent_A, r.capacity_Ah);
    p.preflight.push_back(phrase("Every cell was measured first: a reversed cell is not rescued."));
    p.temperatureEnd_C = quoted.temperatureEnd_C;
    p.endsBy = quoted.endsBy;
    p.cautions = chargeCautions(w.battery);
    if (w.lamp_W > 0)
        p.cautions.push_back(phrase(
            "A lamp of {:.3g} W beside the charger: inrush, hot glass, no cut-off of its own. An "
            "alarm and somebody there; the charger's counter does not see its {:.2f} A.",
            w.lamp_W, w.lamp_W / (1.2 * w.battery.series)));
}

/// How it is left after the last reading.
void lastCharge(Program& p, const ProgramWish& w, const Rates& r, double pause) {
    if (w.leaveEmpty) {
        p.left = "empty";
        p.cautions.push_back(
            phrase("It is left empty after the last reading: charge it before it is put away."));
        return;
    }
    p.steps.push_back(rest(pause * 0.8, pause, pause * 2,
                           phrase("{:.0f} min and within 5 K of the room", pause)));
    p.steps.push_back(charge(r.charge, phrase("so that it is not left empty")));
    p.left = "charged";
}

/// Puts the steps into the hours in which somebody is there, each with its latest end inside them.
/// Errors: a step longer than those hours, without the permission.
Expected<void> putIntoHours(Program& p, const ProgramWish& w, Act act) {
    const bool times = std::isfinite(w.start_s);
    const double hours_s = w.present.always() ? kLongestWatch_s : w.present.length_s();
    double t = w.start_s;
    for (PlannedStep& s : p.steps) {
        const double latest = s.time_s[2];
        if (s.what == "rest") {
            if (times)
                s.start_s = t, s.end_s = t + s.time_s[1], s.latest_s = t + latest, t += latest;
            continue;
        }
        const bool tooLong = latest > hours_s + 1;
        if (tooLong) {
            const std::string longer = phrase("{:.1f} h is longer than one watch of {:.1f} h.",
                                              latest / 3600, hours_s / 3600);
            // Where nobody spoke of hours it is asked; a day with its hours is refused.
            if (!w.overnight && times)
                return refusal(
                    act, "overnight", longer,
                    phrase("longer hours, or the explicit permission to run while nobody "
                           "is there (--unattended)."));
            s.attended = w.overnight ? false : s.attended;
            p.overnight = p.overnight || w.overnight;
            p.cautions.insert(
                p.cautions.begin(),
                w.overnight
                    ? longer + " " +
                          phrase("It runs while nobody is there, by your word, with a tenth of C "
                                 "at most: a smoke alarm within earshot, nothing that burns beside "
                                 "it.")
                    : longer + " " +
                          phrase("It needs your explicit permission to run while nobody is there, "
                                 "or somebody who takes over."));
        }
        if (!times) continue;
        auto window = w.present.windowAt(t);
        double begin = std::max(t, window.first);
        for (int k = 0; k < 3 && !tooLong && begin + latest > window.second + 1; ++k) {
            window = w.present.windowAt(window.second + 1);
            begin = std::max(t, window.first);
        }
        s.start_s = begin;
        s.end_s = begin + s.time_s[1];
        s.latest_s = begin + latest;
        t = s.latest_s;
    }
    if (times && w.present.assumed)
        p.reasons.push_back(phrase("Nobody said when somebody is there: 07:00 to 22:00 is taken."));
    return {};
}

}  // namespace

ChargeWish ProgramWish::charge() const {
    ChargeWish out;
    out.battery = battery;
    out.charger = charger;
    out.capacity_Ah = capacity_Ah;
    out.ambient_C = ambient_C;
    out.fromSoc = fromSoc;
    out.rested_V = rested_V;
    out.cells_V = cells_V;
    out.skin = skin;
    out.hazards = hazards;
    out.ratingIsRight = ratingIsRight;
    return out;
}

TimeRange Program::time_s() const {
    TimeRange out{};
    for (const PlannedStep& s : steps)
        for (std::size_t k = 0; k < 3; ++k) out[k] += s.time_s[k];
    return out;
}

Expected<Program> planBreakIn(const ProgramWish& w) {
    const auto r = ratesOf(w, Act::BreakIn);
    if (!r) return tl::unexpected<Error>(r.error());
    Program out;
    out.name = "breakin";
    common(out, w, *r, r->slow);
    out.steps.push_back(discharge(*r, w, 0.5, phrase("so that the charge begins from empty")));
    out.steps.push_back(
        charge(r->slow, phrase("slow and long, so that every cell of the pack comes to full")));
    out.steps.push_back(rest(60, 120, 240, phrase("1 to 4 h")));
    out.steps.push_back(discharge(*r, w, 1, phrase("this discharge is the reading")));
    lastCharge(out, w, *r, 25);
    out.stopRules = {
        phrase("Charge limit as a backstop: {:.0f} mAh.", r->slow.capacityLimit_mAh),
        phrase("Stop at {:.0f} °C, or at 1.65 V a cell while forming.", r->slow.temperatureEnd_C),
        phrase("No peak is waited for: at 0.1C there is none that can be caught.")};
    out.reasons.push_back(
        phrase("Charge, then discharge: the discharge that follows a full charge is "
               "the one that counts."));
    out.reasons.push_back(phrase("Again every 6 to 12 months refreshes it."));
    if (auto ok = putIntoHours(out, w, Act::BreakIn); !ok) return tl::unexpected<Error>(ok.error());
    return out;
}

Expected<Program> planRecondition(const ProgramWish& w) {
    if (w.cycles < 1 || w.cycles > 20)
        return refusal(Act::Recondition, "figures", phrase("{} cycles are not planned.", w.cycles),
                       phrase("1 to 20."));
    const auto r = ratesOf(w, Act::Recondition);
    if (!r) return tl::unexpected<Error>(r.error());
    Program out;
    out.name = "recondition";
    common(out, w, *r, r->charge);
    const bool warm = w.ambient_C > 28;
    const double pause = w.rest_min > 0 ? w.rest_min : warm ? 45 : 25;
    const std::string cool = phrase("{:.0f} min and within 5 K of the room", pause);
    for (int k = 0; k < w.cycles; ++k) {
        out.steps.push_back(discharge(*r, w, k == 0 ? 0.5 : 1,
                                      k == 0 ? phrase("what is left in it") : phrase("a reading")));
        out.steps.push_back(rest(pause * 0.8, pause, pause * 2, cool));
        out.steps.push_back(charge(r->charge));
        out.steps.push_back(rest(pause * 0.8, pause, pause * 2, cool));
    }
    out.steps.push_back(discharge(*r, w, 1, phrase("the last reading")));
    lastCharge(out, w, *r, pause);
    out.stopRules = {phrase("A cycle that gains under 2 % is the last one."),
                     phrase("Stop at {:.0f} °C; no peak by the charge limit: stop, look.",
                            r->charge.temperatureEnd_C),
                     phrase("A cell that reverses or stays far behind: out, not rescued.")};
    out.reasons.push_back(
        phrase("Discharge first: the charge then begins from a known place, and each "
               "cycle's discharge is comparable with the last."));
    if (auto ok = putIntoHours(out, w, Act::Recondition); !ok)
        return tl::unexpected<Error>(ok.error());
    return out;
}

namespace {

/// The charge level, told or by the volts at rest, with how far it may be off. Errors: not known.
Expected<std::array<double, 3>> levelOf(const ProgramWish& w, const Chemistry& c,
                                        const Triage& triage) {
    if (triage.word == Triage::Word::OverFull) return std::array{1.0, 1.0, 1.05};
    if (w.fromSoc >= 0)
        return std::array{std::max(0.0, w.fromSoc - 0.05), w.fromSoc,
                          std::min(1.0, w.fromSoc + 0.05)};
    if (std::isfinite(triage.cell_V) && !c.flat) {
        const double volts =
            w.cells_V.empty() ? triage.cell_V : 0.5 * (triage.cell_V + triage.highest_V);
        const auto range = restedCharge(w.battery, volts, 0);
        const double level = std::clamp(c.ocv.soc(volts) / c.fullSoc, 0.0, 1.0);
        return std::array{range ? std::min(level, range->low / c.fullSoc) : level, level,
                          range ? std::max(level, std::min(1.0, range->high / c.fullSoc)) : level};
    }
    if (c.flat)
        return refusal(
            Act::Store, "level_unknown",
            phrase("Its level is not known, and volts do not tell it on the flat curve of {}.",
                   c.name()),
            phrase("--from-soc where it is known; or charge it full and take {:.3g} Ah out of it, "
                   "counted.",
                   (1 - w.toSoc) * w.charge().reference_Ah()));
    return refusal(Act::Store, "level_unknown",
                   phrase("Its level is not known: it is not taken for full, nor for empty."),
                   phrase("its volts at rest (--rested-v), or --from-soc."));
}

}  // namespace

Expected<Program> planStorage(const ProgramWish& w) {
    const auto limits = askGate(w.charge().state(), actOf(w, Act::Store));
    if (!limits) return tl::unexpected<Error>(limits.error());
    const Chemistry& c = *w.battery.chemistryData();
    if (!(w.toSoc >= 0.2 && w.toSoc <= 0.8))
        return refusal(Act::Store, "level_range",
                       phrase("A storage level of {:.0f} % is not kind to it.", 100 * w.toSoc),
                       phrase("20 to 80 %; half is the usual answer."));
    Program out;
    out.name = "storage";
    out.left = "storage";
    const double capacity = w.charge().reference_Ah();
    const auto lists = [&](double amps) {
        out.preflightCurrent_A = amps > 0 ? amps : std::nan("");
        out.preflight = preflightList(w.battery, amps, capacity);
        out.cautions = limits->cautions;
        for (std::string& words : chargeCautions(w.battery)) out.cautions.push_back(words);
    };
    if (c.nickel()) {
        lists(0);
        out.reasons.push_back(
            phrase("Nickel lies at any level: dry and cool, refreshed every 6 to 12 "
                   "months. Nothing is to be done now."));
        return out;
    }
    const auto level = levelOf(w, c, limits->triage);
    if (!level) return tl::unexpected<Error>(level.error());
    const double from = (*level)[1];
    const double perCell = c.ocv.voltage_V(w.toSoc * c.fullSoc);
    out.reasons.push_back(phrase("{:.0f} % is {:.2f} V a cell rested, {:.2f} V in all.",
                                 100 * w.toSoc, perCell, perCell * w.battery.series));
    if (w.fromSoc < 0)
        out.reasons.push_back(
            phrase("It is about {:.0f} % full ({:.0f} to {:.0f} %), by its volts "
                   "at rest and the usual curve.",
                   100 * from, 100 * (*level)[0], 100 * (*level)[2]));
    out.reasons.push_back(
        phrase("Look again in three months; 5 to 20 °C, not in the refrigerator."));
    constexpr double kThere = 0.05;
    if (std::abs(from - w.toSoc) < kThere) {
        lists(0);
        out.reasons.push_back(phrase("It is there already."));
        return out;
    }
    const bool down = from > w.toSoc;
    const double change = std::abs(from - w.toSoc) * capacity;
    double amps = 0.2 * capacity;
    std::string why;
    if (down) {
        const auto may = askGate(w.charge().state(), actOf(w, Act::Discharge));
        if (!may) return tl::unexpected<Error>(may.error());
        const auto flows = dischargeOn(w, c, amps, Act::Store, why);
        if (!flows) return tl::unexpected<Error>(flows.error());
        amps = *flows;
    } else {
        const auto plan = planCharge(w.charge());
        if (!plan) return tl::unexpected<Error>(plan.error());
        amps = plan->effectiveCurrent_A;
        out.temperatureEnd_C = plan->temperatureEnd_C;
        out.endsBy = {"charge_limit", "timer", "temperature"};
    }
    lists(amps);
    if (!why.empty()) out.reasons.push_back(why);
    PlannedStep s;
    s.what = down ? "discharge" : "charge";
    s.current_A = amps;
    s.until = phrase("{:.2f} V a cell rested, {:.2f} Ah moved", perCell, change);
    const double seconds = 3600 * change / amps;
    const double doubt =
        std::max(0.15 * change, std::max((*level)[2] - from, from - (*level)[0]) * capacity);
    s.time_s = {std::max(0.0, seconds - 3600 * doubt / amps), seconds,
                seconds + 3600 * doubt / amps};
    out.steps.push_back(s);
    if (down)
        out.reasons.push_back(
            phrase("Or use it for {:.2f} Ah: that is the kindest discharge.", change));
    if (auto ok = putIntoHours(out, w, Act::Store); !ok) return tl::unexpected<Error>(ok.error());
    return out;
}

}  // namespace nk
