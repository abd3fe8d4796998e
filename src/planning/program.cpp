#include "program.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

namespace {

Expected<const Chemistry*> nickelOf(const Battery& b) {
    const Chemistry* c = b.chemistryData();
    if (c == nullptr || b.series < 1 || !(b.rated_Ah > 0))
        return fail(ErrorKind::InvalidArgument,
                    phrase("Chemistry, series count or rated capacity is not known."), {},
                    phrase("--chemistry, --series N and --rated-ah X."));
    if (!c->nickel())
        return fail(
            ErrorKind::InvalidArgument,
            phrase(
                "Nothing of this kind is done to {}: deep discharge and overcharge ruin lithium, "
                "and slow cycles give nothing back.",
                c->name()),
            {}, phrase("nimh or nicd."));
    return c;
}

struct Rates {
    double discharge_A, charge_A, slow_A, floor_V, capacity_Ah;
    std::string why;
};

Expected<Rates> ratesOf(const ProgramWish& w, const Chemistry& c) {
    Rates r{};
    r.capacity_Ah = w.capacity_Ah > 0 ? w.capacity_Ah : w.battery.rated_Ah;
    r.discharge_A = 0.2 * w.battery.rated_Ah;
    // A maker's figure, which the chemistry's carries, is never passed.
    r.charge_A = std::min(0.5, c.chargeC) * w.battery.rated_Ah;
    r.slow_A = std::min(0.1, c.chargeC) * w.battery.rated_Ah;
    r.floor_V = w.floor_V > 0 ? w.floor_V : 1.0;
    const double deepest = w.battery.series == 1 ? 0.9 : 1.0;
    if (r.floor_V < deepest - 1e-9 || r.floor_V > 1.2)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("A floor of {:.2f} V a cell is not accepted here.", r.floor_V), {},
            w.battery.series == 1
                ? phrase("0.90 to 1.20 V; 0.90 only for a single cell.")
                : phrase("1.00 to 1.20 V a cell: in a pack a weak cell reverses under it."));
    if (w.charger) {
        if (auto ok = w.charger->canDo(c, w.battery.series); !ok)
            return tl::unexpected<Error>(ok.error());
        const double d = w.charger->effectiveDischarge_A(r.discharge_A, c, w.battery.series);
        if (d < r.discharge_A - 1e-9)
            r.why = phrase(
                "The charger discharges with {:.3g} A at most here (its watts and steps).", d);
        r.discharge_A = d;
        r.charge_A = w.charger->effectiveCharge_A(r.charge_A, c, w.battery.series);
        r.slow_A = w.charger->effectiveCharge_A(r.slow_A, c, w.battery.series);
        if (!(r.discharge_A > 0) || !(r.charge_A > 0) || !(r.slow_A > 0))
            return fail(ErrorKind::InvalidArgument,
                        phrase("{} cannot be set as low as this battery needs.", w.charger->name),
                        {}, phrase("a current of {:.3g} A.", 0.1 * w.battery.rated_Ah));
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
    s.time_s = {3600 * hours * (share < 1 ? 0.2 : 0.7), 3600 * hours, 3600 * hours * 1.2};
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

void common(Program& p, const ProgramWish& w, const Rates& r) {
    if (!r.why.empty()) p.reasons.push_back(r.why);
    p.preflight = preflightList(w.battery, r.charge_A);
    p.preflight.push_back(phrase("Every cell was measured first: a reversed cell is not rescued."));
    p.cautions = chargeCautions(w.battery);
    if (w.lamp_W > 0)
        p.cautions.push_back(phrase(
            "A lamp of {:.3g} W beside the charger: inrush, hot glass, no cut-off of its own. An "
            "alarm and somebody there; the charger's counter does not see its {:.2f} A.",
            w.lamp_W, w.lamp_W / (1.2 * w.battery.series)));
}

}  // namespace

TimeRange Program::time_s() const {
    TimeRange out{};
    for (const PlannedStep& s : steps)
        for (std::size_t k = 0; k < 3; ++k) out[k] += s.time_s[k];
    return out;
}

Expected<Program> planBreakIn(const ProgramWish& w) {
    const auto c = nickelOf(w.battery);
    if (!c) return tl::unexpected<Error>(c.error());
    const auto r = ratesOf(w, **c);
    if (!r) return tl::unexpected<Error>(r.error());
    Program out;
    out.name = "breakin";
    out.steps.push_back(discharge(*r, w, 0.5, phrase("so that the charge begins from empty")));
    PlannedStep charge;
    charge.what = "charge";
    charge.current_A = r->slow_A;
    const double hours = 16 * 0.1 * w.battery.rated_Ah / r->slow_A;
    charge.until = phrase("{:.1f} h by the timer", hours);
    charge.time_s = {3600 * hours, 3600 * hours, 3600 * hours};
    charge.why = phrase("slow and long, so that every cell of the pack comes to full");
    out.steps.push_back(charge);
    out.steps.push_back(rest(60, 120, 240, phrase("1 to 4 h")));
    out.steps.push_back(discharge(*r, w, 1, phrase("this discharge is the reading")));
    out.stopRules = {
        phrase("Capacity limit 160 % as a backstop: {:.0f} mAh.", 1600 * w.battery.rated_Ah),
        phrase("Stop at 45 °C, or at 1.65 V a cell while forming."),
        phrase("No peak is waited for: at 0.1C there is none that can be caught.")};
    out.reasons.push_back(
        phrase("Charge, then discharge: the discharge that follows a full charge is "
               "the one that counts."));
    out.reasons.push_back(phrase("Again every 6 to 12 months refreshes it."));
    common(out, w, *r);
    out.cautions.push_back(
        phrase("16 h is longer than one watch: plan it over hours in which "
               "somebody is there, or in two halves."));
    return out;
}

Expected<Program> planRecondition(const ProgramWish& w) {
    const auto c = nickelOf(w.battery);
    if (!c) return tl::unexpected<Error>(c.error());
    if (w.cycles < 1 || w.cycles > 20)
        return fail(ErrorKind::InvalidArgument, phrase("{} cycles are not planned.", w.cycles), {},
                    phrase("1 to 20."));
    const auto r = ratesOf(w, **c);
    if (!r) return tl::unexpected<Error>(r.error());
    Program out;
    out.name = "recondition";
    const bool warm = w.ambient_C > 28;
    const double pause = w.rest_min > 0 ? w.rest_min : warm ? 45 : 25;
    const std::string cool = phrase("{:.0f} min and within 5 K of the room", pause);
    for (int k = 0; k < w.cycles; ++k) {
        out.steps.push_back(discharge(*r, w, k == 0 ? 0.5 : 1,
                                      k == 0 ? phrase("what is left in it") : phrase("a reading")));
        out.steps.push_back(rest(pause * 0.8, pause, pause * 2, cool));
        PlannedStep charge;
        charge.what = "charge";
        charge.current_A = r->charge_A;
        charge.until = phrase("−ΔV of {:.0f} mV a cell; {:.0f} mAh or {:.0f} min at the most",
                              1000 * (*c)->peakDrop_V, 1200 * r->capacity_Ah,
                              5 * std::ceil(72 * r->capacity_Ah / r->charge_A / 5 * 1.2));
        const double hours = r->capacity_Ah / r->charge_A;
        charge.time_s = {3600 * hours * 0.9, 3600 * hours * 1.08, 3600 * hours * 1.3};
        out.steps.push_back(charge);
        out.steps.push_back(rest(pause * 0.8, pause, pause * 2, cool));
    }
    out.steps.push_back(discharge(*r, w, 1, phrase("the last reading")));
    out.stopRules = {phrase("A cycle that gains under 2 % is the last one."),
                     phrase("Stop at 50 °C; no peak by 120 % of the capacity: stop, look."),
                     phrase("A cell that reverses or stays far behind: out, not rescued.")};
    out.reasons.push_back(
        phrase("Discharge first: the charge then begins from a known place, and each "
               "cycle's discharge is comparable with the last."));
    common(out, w, *r);
    return out;
}

Expected<Program> planStorage(const ProgramWish& w) {
    const Chemistry* c = w.battery.chemistryData();
    if (c == nullptr || w.battery.series < 1 || !(w.battery.rated_Ah > 0))
        return fail(ErrorKind::InvalidArgument,
                    phrase("Chemistry, series count or rated capacity is not known."), {},
                    phrase("--chemistry, --series N and --rated-ah X."));
    if (w.toSoc < 0.2 || w.toSoc > 0.8)
        return fail(ErrorKind::InvalidArgument,
                    phrase("A storage level of {:.0f} % is not kind to it.", 100 * w.toSoc), {},
                    phrase("20 to 80 %; half is the usual answer."));
    Program out;
    out.name = "storage";
    out.preflight = preflightList(w.battery, 0.2 * w.battery.rated_Ah);
    out.cautions = chargeCautions(w.battery);
    if (c->nickel()) {
        out.reasons.push_back(
            phrase("Nickel lies at any level: dry and cool, refreshed every 6 to 12 "
                   "months. Nothing is to be done now."));
        return out;
    }
    const double perCell = c->ocv.voltage_V(w.toSoc * c->fullSoc);
    out.reasons.push_back(phrase("{:.0f} % is {:.2f} V a cell rested, {:.2f} V in all.",
                                 100 * w.toSoc, perCell, perCell * w.battery.series));
    out.reasons.push_back(
        phrase("Look again in three months; 5 to 20 °C, not in the refrigerator."));
    if (w.ambient_C < 10 || w.fromSoc < 0)
        out.reasons.push_back(
            w.ambient_C < 10 ? phrase("Bring it to room temperature first.")
                             : phrase("The level before is not known: its rested voltage tells "
                                      "it, on a flat curve only roughly."));
    const double from = w.fromSoc >= 0 ? w.fromSoc : 1;
    PlannedStep s;
    const double change = std::abs(from - w.toSoc) * w.battery.rated_Ah;
    if (std::abs(from - w.toSoc) < 0.05 && w.fromSoc >= 0) {
        out.reasons.push_back(phrase("It is there already."));
        return out;
    }
    const bool down = from > w.toSoc;
    double amps = 0.2 * w.battery.rated_Ah;
    if (!down) amps = std::min(0.5, c->chargeC) * w.battery.rated_Ah;
    if (w.charger) {
        if (auto ok = w.charger->canDo(*c, w.battery.series); !ok)
            return tl::unexpected<Error>(ok.error());
        amps = down ? w.charger->effectiveDischarge_A(amps, *c, w.battery.series)
                    : w.charger->effectiveCharge_A(amps, *c, w.battery.series);
        if (!(amps > 0))
            return fail(
                ErrorKind::InvalidArgument, phrase("{} cannot do this step.", w.charger->name), {},
                phrase("one with a smaller current step, or use it for {:.2f} Ah.", change));
    }
    s.what = down ? "discharge" : "charge";
    s.current_A = amps;
    s.until = phrase("{:.2f} V a cell rested, {:.2f} Ah moved", perCell, change);
    const double seconds = 3600 * change / amps;
    s.time_s = {seconds * 0.85, seconds, seconds * 1.2};
    out.steps.push_back(s);
    if (down)
        out.reasons.push_back(
            phrase("Or use it for {:.2f} Ah: that is the kindest discharge.", change));
    return out;
}

std::pair<double, double> Presence::windowAt(double at_s) const {
    if (always()) return {-1e18, 1e18};
    const double day = std::floor(at_s / 86400) * 86400;
    const double length = (to_min > from_min ? to_min - from_min : to_min + 1440 - from_min) * 60.0;
    for (double d = day - 86400;; d += 86400) {
        const double from = d + from_min * 60.0;
        if (from + length > at_s) return {from, from + length};
    }
}

Expected<Program> planReadyBy(const ReadyWish& wish) {
    if (!(wish.ready_s > wish.now_s))
        return fail(ErrorKind::InvalidArgument, phrase("That time has passed."), "--ready",
                    phrase("a moment to come."));
    const auto plan = planCharge(wish.charge);
    if (!plan) return tl::unexpected<Error>(plan.error());
    Program out;
    out.name = "readyby";
    out.preflight = plan->preflight;
    out.cautions = plan->cautions;
    const double needed = plan->time_s[2] * (1 + wish.marginShare);
    // The last attended window that begins before the time of use.
    double end = wish.ready_s;
    auto window = wish.present.windowAt(std::max(wish.now_s, end - 1));
    if (window.first >= end) {
        // Nobody is there just before: the window before it.
        window = wish.present.windowAt(wish.now_s);
        for (auto next = window; next.first < wish.ready_s;
             next = wish.present.windowAt(next.second + 1))
            window = next;
    }
    end = std::min(end, window.second);
    PlannedStep s;
    s.what = "charge";
    s.current_A = plan->effectiveCurrent_A;
    s.until = std::isfinite(plan->setPerCell_V)
                  ? phrase("{:.3f} V a cell, cut-off {:.3g} A", plan->setPerCell_V, plan->cutoff_A)
                  : phrase("its peak");
    s.time_s = plan->time_s;
    s.start_s = end - needed;
    s.end_s = s.start_s + plan->time_s[1];
    const double earliest = std::max(wish.now_s, window.first);
    if (s.start_s >= earliest - 1) {
        out.reasons.push_back(phrase("It ends just before it is used: the least time at full."));
        if (end < wish.ready_s - 60)
            out.reasons.push_back(
                phrase("Nobody is there in the last {:.0f} min before: it is done by "
                       "then.",
                       (wish.ready_s - end) / 60));
        out.steps.push_back(s);
        return out;
    }
    // It does not fit: what does.
    const double room = end - earliest;
    const double share = std::clamp(room / needed, 0.0, 1.0);
    const double from = std::max(0.0, wish.charge.fromSoc);
    const double level = from + share * (1 - from);
    if (room < 600) {
        out.reasons.push_back(
            phrase("There are no hours for it before then in which somebody is "
                   "there. What would do: attended hours before the time of use, or "
                   "a charge the day before down to a kinder level."));
        return out;
    }
    s.start_s = earliest;
    s.end_s = end;
    s.time_s = {room, room, room};
    s.until = phrase("about {:.0f} % by the clock", 100 * level);
    out.steps.push_back(s);
    out.reasons.push_back(
        phrase("The {:.0f} min until then do not hold the whole charge of up to {:.0f} "
               "min: it comes to about {:.0f} %.",
               room / 60, needed / 60, 100 * level));
    out.reasons.push_back(
        phrase("What would do: begin {:.0f} min earlier, or charge the day before to a "
               "lower level and top up.",
               (needed - room) / 60));
    return out;
}

}  // namespace nk
