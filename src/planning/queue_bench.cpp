#include "queue_bench.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

namespace {

/// A step of three months is none; ampere-hours and amperes beyond this are a slip of the pen.
constexpr double kLongestStep_s = 90 * 86400.0, kMostFigure = 1e6;
constexpr double kLastMoment_s = 253'402'300'800;  // the year 10000

/// What has been done, put somewhere or retired. Errors: none of these modules, chains or channels.
Expected<void> takeState(QueueBench& b) {
    const QueueWish& w = b.wish;
    const std::size_t links = b.isCharge.size();
    b.now_s = std::max(w.start_s, w.now_s);
    b.pins.assign(w.modules.size(), std::vector<const QueuePin*>(links, nullptr));
    b.begun.assign(w.modules.size(), 0);
    b.retired.assign(w.modules.size(), false);
    const auto there = [&](std::size_t module, int charger, int channel) {
        return module < w.modules.size() &&
               std::ranges::any_of(b.channels, [&](const QueueChannel& c) {
                   return static_cast<int>(c.charger) == charger && c.number == channel;
               });
    };
    const auto moment = [](double at_s) { return std::abs(at_s) <= kLastMoment_s; };
    if (!moment(b.now_s))
        return fail(ErrorKind::InvalidArgument, phrase("The queue begins at no moment."), {},
                    phrase("a day of the calendar."));
    for (const QueueDone& d : w.done)
        if (!there(d.module, d.charger, d.channel) || !moment(d.start_s) || !moment(d.end_s) ||
            !(d.end_s >= d.start_s) || ++b.begun[d.module] > links)
            return fail(ErrorKind::InvalidArgument,
                        phrase("A step that was done does not fit this bench."), {},
                        phrase("the modules, chargers and cycles of the queue."));
    for (const QueuePin& p : w.pins) {
        if (!there(p.module, p.charger, p.channel) || p.link >= links || !moment(p.start_s))
            return fail(ErrorKind::InvalidArgument,
                        phrase("A step that was moved does not fit this bench."), {},
                        phrase("the modules, chargers and cycles of the queue."));
        if (p.link >= b.begun[p.module]) b.pins[p.module][p.link] = &p;
    }
    for (const std::size_t m : w.retired)
        if (m < w.modules.size()) b.retired[m] = true;
    return {};
}

/// Times and currents of one module on every charger. Errors: what the gate refuses, a module that
/// no charger can take, a charge that is longer than the attended hours.
Expected<void> takeModule(QueueBench& b, const QueueModule& m) {
    const QueueWish& w = b.wish;
    const auto named = [&](Error e) {
        e.what = m.name + ": " + e.what;
        return tl::unexpected<Error>(std::move(e));
    };
    const auto may = [](double figure) { return figure >= 0 && figure <= kMostFigure; };
    if (!(m.rated_Ah > 0) || m.series < 1 || !may(m.rated_Ah) || !may(m.capacity_Ah) ||
        !may(m.charge_A) || !may(m.discharge_A))
        return fail(ErrorKind::InvalidArgument, phrase("The figures of {} cannot be.", m.name), {},
                    phrase("series from 1, capacities and currents above 0."));
    // What is wrong with the module itself, whatever the charger.
    const ChargeWish own = m.charge();
    const auto limits = askGate(own.state(), [&] {
        ActWish act = own.act(Act::Cycle);
        act.discharge_A = m.discharge_A;
        act.floor_V = m.floor_V < 0 || std::isnan(m.floor_V) ? 1e-3 : m.floor_V;
        return act;
    }());
    if (!limits) return named(limits.error());
    for (const std::string& words : limits->cautions) b.cautions.push_back(m.name + ": " + words);
    std::vector<double> cs, ds, ca, da, gs, ga;
    Error why;
    bool any = false;
    for (const ChargerCard& charger : w.chargers) {
        double amps = 0;
        const auto step = [&](bool charge, bool gentle, std::vector<double>& times,
                              std::vector<double>& currents) {
            const auto s = queueStep_s(m, charger, charge, gentle, amps);
            if (!s && !gentle) why = s.error();
            times.push_back(s && *s <= kLongestStep_s ? *s : kQueueNever);
            currents.push_back(amps);
        };
        step(true, false, cs, ca);
        step(false, false, ds, da);
        if (w.unattendedCharging)
            step(true, true, gs, ga);
        else
            gs.push_back(kQueueNever), ga.push_back(0);
        any = any || (cs.back() < kQueueNever && ds.back() < kQueueNever);
    }
    const double charge_s = *std::ranges::min_element(cs);
    if (!any && !(charge_s < kQueueNever && *std::ranges::min_element(ds) < kQueueNever)) {
        why.what = phrase(
            "No charger can take {}. {}", m.name,
            why.what.empty() ? phrase("The current that it would get is too small.") : why.what);
        if (why.accepted.empty())
            why.accepted =
                phrase("currents with which a step takes {:.0f} h at most.", kLongestStep_s / 3600);
        return tl::unexpected<Error>(std::move(why));
    }
    const double length = w.present.length_s();
    if (!w.present.always() && !w.unattendedCharging && charge_s > length + 1e-6)
        return refusal(
            Act::Cycle, "attended",
            phrase("The charge of {} takes up to {:.1f} h; somebody is there {:.1f} h in a row.",
                   m.name, charge_s / 3600, length / 3600),
            phrase("longer hours, a larger current, {:.1f} of the charge by a timer, or "
                   "--unattended in so many words.",
                   std::floor(10 * length / charge_s) / 10));
    b.charge_s.push_back(cs);
    b.discharge_s.push_back(ds);
    b.charge_A.push_back(ca);
    b.discharge_A.push_back(da);
    b.gentle_s.push_back(gs);
    b.gentle_A.push_back(ga);
    return {};
}

}  // namespace

Expected<QueueBench> makeQueueBench(const QueueWish& w) {
    if (w.modules.empty())
        return fail(ErrorKind::InvalidArgument, phrase("There is no module to plan."));
    if (w.chargers.empty()) return fail(ErrorKind::InvalidArgument, phrase("There is no charger."));
    if (w.cycles < 1 || w.cycles > 50)
        return fail(ErrorKind::InvalidArgument, phrase("{} cycles are not planned.", w.cycles), {},
                    phrase("1 to 50."));
    if (!(w.rest_min >= 0) || w.rest_min > 1440)
        return fail(ErrorKind::InvalidArgument,
                    phrase("A rest of {:.0f} min is not planned.", w.rest_min), {},
                    phrase("0 to 1440 min."));
    QueueBench b{w, {}, {}, {}, {}, {}, {}, {}, {}, 60 * w.rest_min, {}, {}, {}, 0, {}};
    for (std::size_t c = 0; c < w.chargers.size(); ++c)
        for (int k = 1; k <= std::min(64, w.chargers[c].channels); ++k)
            b.channels.push_back({c, k});
    for (int k = 0; k < w.cycles; ++k)
        for (const bool charge : {!w.dischargeFirst, w.dischargeFirst})
            b.isCharge.push_back(charge);
    if (const auto ok = takeState(b); !ok) return tl::unexpected<Error>(ok.error());
    for (const QueueModule& m : w.modules)
        if (auto ok = takeModule(b, m); !ok) return tl::unexpected<Error>(ok.error());
    return b;
}

ChargeWish QueueModule::charge() const {
    ChargeWish w;
    w.battery.name = name;
    w.battery.chemistry = chemistry;
    w.battery.series = series;
    w.battery.rated_Ah = rated_Ah;
    w.capacity_Ah = capacity_Ah;
    w.current_A = charge_A;
    w.rested_V = rested_V;
    w.ambient_C = ambient_C;
    w.skin = skin;
    w.hazards = hazards;
    return w;
}

Expected<double> queueStep_s(const QueueModule& m, const ChargerCard& charger, bool charge,
                             bool overnight, double& current_A) {
    current_A = 0;
    ChargeWish w = m.charge();
    w.charger = charger;
    w.overnight = overnight;
    if (charge) {
        // Planned at full length, whatever its volts say of the level.
        w.fromSoc = 0;
        const auto plan = planCharge(w);
        if (!plan) return tl::unexpected<Error>(plan.error());
        if (plan->triage.word == Triage::Word::Gently)
            return refusal(Act::Cycle, "over_drained", plan->triage.words.front(),
                           phrase("its gentle start alone first, then the queue."));
        current_A = plan->effectiveCurrent_A;
        return plan->time_s[2];
    }
    ActWish act = w.act(Act::Discharge);
    act.charge_A = 0;
    act.discharge_A = m.discharge_A;
    act.floor_V = m.floor_V;
    const auto limits = askGate(w.state(), act);
    if (!limits) return tl::unexpected<Error>(limits.error());
    const Chemistry& c = *w.battery.chemistryData();
    if (auto ok = charger.canDo(c, m.series); !ok)
        return refusal(Act::Cycle, "charger", ok.error().what, ok.error().accepted);
    current_A = charger.effectiveDischarge_A(limits->discharge_A, c, m.series);
    if (!(current_A > 0))
        return refusal(Act::Cycle, "charger", phrase("{} cannot discharge it.", charger.name),
                       phrase("a charger that discharges."));
    return w.reference_Ah() / current_A * 3600;
}

}  // namespace nk
