#include "join.h"

#include <algorithm>
#include <cmath>

#include "chemistry/charge_rates.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

struct State {
    double volts = 0, ohms = 0, capacity = 0, soc = 0;
    const Chemistry* chemistry = nullptr;
    int series = 1;
    double offset = 0;  ///< of its voltage from the curve, so that it begins as measured
    double ocv() const { return series * chemistry->ocv.voltage_V(soc) + offset; }
};

double commonOf(const std::vector<State>& states, double lead) {
    double sum = 0;
    double weight = 0;
    for (const State& s : states) {
        sum += s.ocv() / (s.ohms + lead);
        weight += 1 / (s.ohms + lead);
    }
    return sum / weight;
}

constexpr double kMostFigure = 1e6;

}  // namespace

Expected<JoinAnswer> planJoin(const std::vector<JoinPack>& packs, const JoinSetting& setting) {
    if (packs.size() < 2 || packs.size() > 8)
        return fail(ErrorKind::InvalidArgument,
                    phrase("{} packs are not joined here.", packs.size()), {},
                    phrase("two to eight packs."));
    JoinAnswer out;
    std::vector<State> states;
    for (const JoinPack& p : packs) {
        const auto c = findChemistry(p.chemistry);
        if (!c) return tl::unexpected<Error>(c.error());
        if (p.series < 1 || p.series > 400 || !(p.rated_Ah > 0) || !(p.rated_Ah <= kMostFigure) ||
            !(std::abs(p.voltage_V) <= kMostFigure) ||
            !(p.resistance_ohm >= 0 && p.resistance_ohm <= kMostFigure) ||
            !(p.chargeLimit_C > 0 && p.chargeLimit_C <= kMostRate_C) || p.soc < 0 || p.soc > 1)
            return fail(ErrorKind::InvalidArgument, phrase("The figures of {} cannot be.", p.name),
                        {},
                        phrase("series from 1, capacity above 0, resistance from 0, a charge limit "
                               "above 0 and up to {:.0f}C, a level of 0 to 1 (or 2 to 100 %).",
                               kMostRate_C));
        if (rateIs(p.chargeLimit_C, kTypedRate_C) != RateIs::Usual)
            out.cautions.push_back(phrase(
                "The charge limit of {} is {:.3g}C as typed, beyond the usual 1C: only where "
                "the maker's data sheet allows it.",
                p.name, p.chargeLimit_C));
        State s;
        s.chemistry = *c;
        s.series = p.series;
        s.capacity = p.rated_Ah;
        s.ohms = p.resistance_ohm > 0 ? p.resistance_ohm : 0.02 / p.rated_Ah * p.series;
        s.soc = s.chemistry->ocv.empty() ? 0.5 : s.chemistry->ocv.soc(p.voltage_V / p.series);
        if (s.chemistry->ocv.empty())
            return fail(ErrorKind::InvalidArgument,
                        phrase("Nothing is known of the curve of {}.", p.chemistry));
        s.offset = p.voltage_V - p.series * s.chemistry->ocv.voltage_V(s.soc);
        states.push_back(s);
    }
    bool allowed = true;
    const auto refuse = [&](std::string why) {
        allowed = false;
        out.reasons.push_back(std::move(why));
    };
    const JoinPack& first = packs.front();
    bool sameKind = true;
    for (std::size_t k = 0; k < packs.size(); ++k) {
        const JoinPack& p = packs[k];
        if (p.chemistry != first.chemistry) {
            refuse(phrase("{} is {}, {} is {}: different chemistries are never joined.", p.name,
                          p.chemistry, first.name, first.chemistry));
            sameKind = false;
        }
        if (p.series != first.series) {
            refuse(phrase("{} has {} cells in series, {} has {}: only equal counts are joined.",
                          p.name, p.series, first.name, first.series));
            sameKind = false;
        }
        if (p.voltage_V < 0) {
            refuse(phrase("{} is negative: its polarity is reversed.", p.name));
            sameKind = false;
        }
        const Chemistry& c = *states[k].chemistry;
        const double perCell = p.voltage_V / p.series;
        if (p.voltage_V >= 0 && perCell < c.outOfUse_V)
            refuse(phrase("{} is at {:.2f} V a cell: out of use.", p.name, perCell));
        else if (p.voltage_V >= 0 && perCell < c.overdrained_V)
            refuse(phrase("{} is over-drained ({:.2f} V a cell): not joined, looked at first.",
                          p.name, perCell));
        if (std::isfinite(c.fault_V) && perCell > c.fault_V)
            refuse(phrase("{} is at {:.2f} V a cell, above the fault limit: not joined.", p.name,
                          perCell));
    }
    const auto [least, most] = std::ranges::minmax(packs, {}, &JoinPack::rated_Ah);
    if (most.rated_Ah >= setting.ratioLimit * least.rated_Ah)
        refuse(phrase("{} holds {:.0f} times as much as {}: from ten on it is refused.", most.name,
                      most.rated_Ah / least.rated_Ah, least.name));
    const auto [lowest, highest] = std::ranges::minmax(packs, {}, &JoinPack::voltage_V);
    const double apart = (highest.voltage_V - lowest.voltage_V) / first.series;
    if (sameKind && apart > setting.usual_V + 1e-9)
        refuse(phrase("They are {:.3f} V a cell apart; {:.2f} V is the most, {:.2f} V careful.",
                      apart, setting.usual_V, setting.careful_V));
    if (sameKind && states.front().chemistry->id == "lfp") {
        bool known = true;
        double least_soc = 2;
        double most_soc = -1;
        for (const JoinPack& p : packs) {
            known = known && std::isfinite(p.soc);
            least_soc = std::min(least_soc, p.soc);
            most_soc = std::max(most_soc, p.soc);
        }
        if (!known)
            refuse(
                phrase("An equal voltage proves nothing on this flat curve: their levels must be "
                       "known otherwise, all charged full for example."));
        else if (most_soc - least_soc > 0.1 + 1e-9)
            refuse(phrase("Their levels are {:.0f} % apart; 10 % is the most.",
                          100 * (most_soc - least_soc)));
    }

    // Currents are told in any case where the circuit can be thought of.
    out.common_V = commonOf(states, 0);
    double whole = 0;
    for (const State& s : states) whole += s.capacity;
    for (std::size_t k = 0; k < packs.size(); ++k) {
        JoinCurrent i;
        i.pack = packs[k].name;
        i.first_A = (out.common_V - states[k].ocv()) / states[k].ohms;
        const double tight = commonOf(states, setting.leadLow_ohm);
        const double loose = commonOf(states, setting.leadHigh_ohm);
        i.firstHigh_A = (tight - states[k].ocv()) / (states[k].ohms + setting.leadLow_ohm);
        i.firstLow_A = (loose - states[k].ocv()) / (states[k].ohms + setting.leadHigh_ohm);
        if (std::abs(i.firstLow_A) > std::abs(i.firstHigh_A))
            std::swap(i.firstLow_A, i.firstHigh_A);
        i.c_rate = std::abs(i.first_A) / packs[k].rated_Ah;
        i.share = states[k].capacity / whole;
        out.currents.push_back(i);
    }
    if (sameKind)
        for (std::size_t k = 0; k < packs.size(); ++k) {
            const JoinCurrent& i = out.currents[k];
            const double rate = i.first_A / packs[k].rated_Ah;
            if (rate > packs[k].chargeLimit_C + 1e-9)
                refuse(phrase("At first {:.1f} A flow into {}: {:.1f}C, its limit is {:.1f}C.",
                              i.first_A, packs[k].name, rate, packs[k].chargeLimit_C));
            if (-rate > 2 * packs[k].chargeLimit_C && -rate > 2)
                out.reasons.push_back(
                    phrase("{} gives {:.1f} A at first.", packs[k].name, -i.first_A));
        }
    // The decay, with the leads' low resistance, until the currents are small.
    if (sameKind) {
        std::vector<State> now = states;
        double largest = 0;
        for (const JoinCurrent& i : out.currents) largest = std::max(largest, std::abs(i.first_A));
        double t = 0;
        double moved = 0;
        double step = 0.1;
        bool noted = false;
        while (t < 48 * 3600.0) {
            const double common = commonOf(now, 0);
            double most_A = 0;
            for (std::size_t k = 0; k < now.size(); ++k) {
                const double amps = (common - now[k].ocv()) / now[k].ohms;
                most_A = std::max(most_A, std::abs(amps));
                if (!noted && t >= 60) out.currents[k].after60_A = amps;
            }
            if (t >= 60) noted = true;
            if (out.settle_s == 0 && most_A < 0.1 * largest) out.settle_s = t;
            if (noted && (most_A < 0.01 * largest || most_A < 1e-4)) break;
            for (std::size_t k = 0; k < now.size(); ++k) {
                const double amps = (common - now[k].ocv()) / now[k].ohms;
                const double charge = amps * step / 3600;
                if (charge > 0) moved += charge;
                now[k].soc = std::clamp(now[k].soc + charge / now[k].capacity, -0.05, 1.05);
            }
            t += step;
            // Small while the currents are large, longer as they settle; a minute is met exactly.
            if (t >= 60) step = std::min(5.0, step * 1.02);
        }
        out.chargeMoved_Ah = moved;
        if (out.settle_s == 0) out.settle_s = t;
    }
    out.allowed = allowed;
    std::vector<std::size_t> byVolts(packs.size());
    for (std::size_t k = 0; k < byVolts.size(); ++k) byVolts[k] = k;
    std::ranges::sort(byVolts, {}, [&](std::size_t k) { return packs[k].voltage_V; });
    for (const std::size_t k : byVolts) out.order.push_back(packs[k].name);
    if (allowed) {
        out.reasons.push_back(phrase(
            "Same chemistry, same series count, {:.3f} V a cell apart, at most {:.1f} A at first.",
            apart, std::abs(std::ranges::max_element(out.currents, {}, [](const JoinCurrent& i) {
                                return std::abs(i.first_A);
                            })->first_A)));
        if (apart > setting.careful_V)
            out.reasons.push_back(
                phrase("A careful school says {:.2f} V a cell.", setting.careful_V));
        if (packs.size() > 2)
            out.reasons.push_back(
                phrase("More than two: one after the other in the order of their "
                       "voltage, the nearest first."));
        out.reasons.push_back(phrase("Leave them joined {:.0f} min before charging.",
                                     std::max(1.0, std::ceil(out.settle_s / 60))));
    } else if (sameKind && apart > setting.usual_V) {
        out.reasons.push_back(
            phrase("Charge {} first, alone, until it is within {:.2f} V a cell of {}.", lowest.name,
                   setting.careful_V, highest.name));
    }
    out.cautions.insert(
        out.cautions.end(),
        {phrase("Check the polarity of every pack with a meter first: a reversed pack is a "
                "short circuit."),
         phrase("A fuse in every lead, insulated tools, somebody there.")});
    if (states.front().chemistry->nickel())
        out.cautions.push_back(
            phrase("Nickel is not charged while joined: the one that peaks first is "
                   "overcharged."));
    const double top = states.front().chemistry->nickel() ? 1.5 : states.front().chemistry->set_V;
    if (top * first.series > 60)
        out.cautions.push_back(phrase("Over 60 V d.c.: work for trained people."));
    return out;
}

}  // namespace nk
