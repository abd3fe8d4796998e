#include "join.h"

#include <algorithm>
#include <cmath>

#include "chemistry/charge_rates.h"
#include "quantity/phrase.h"
#include "safety/rules.h"

namespace nk {

namespace {

struct Pack {
    const JoinPack* asked = nullptr;
    const Chemistry* chemistry = nullptr;
    double ohms = 0, capacity = 0, soc = 0;
    double offset = 0;  ///< of its voltage from the curve, so that it begins as measured
    double ocv() const { return asked->series * chemistry->ocv.voltage_V(soc) + offset; }
    double limit_A() const { return asked->chargeLimit_C * capacity; }
};

double commonOf(const std::vector<Pack>& packs, double lead) {
    double sum = 0;
    double weight = 0;
    for (const Pack& s : packs) {
        sum += s.ocv() / (s.ohms + lead);
        weight += 1 / (s.ohms + lead);
    }
    return sum / weight;
}

constexpr double kMostFigure = 1e6;

class Joiner {
  public:
    Joiner(const std::vector<JoinPack>& packs, const JoinSetting& setting)
        : asked_(packs), setting_(setting) {}

    Expected<JoinAnswer> answer() {
        if (auto ok = read(); !ok) return tl::unexpected<Error>(ok.error());
        const bool meet = kinds();
        const bool fit = meet && states();
        if (meet) {
            ratio();
            // What is out of use, drained or over-full meets nobody.
            if (fit) {
                circuit();
                levels();
                gaps();
                decay();
            }
        }
        words(meet);
        return std::move(out_);
    }

  private:
    Expected<void> read() {
        if (asked_.size() < 2 || asked_.size() > 8)
            return fail(ErrorKind::InvalidArgument,
                        phrase("{} packs are not joined here.", asked_.size()), {},
                        phrase("two to eight packs."));
        for (const JoinPack& p : asked_) {
            const auto c = findChemistry(p.chemistry);
            if (!c) return tl::unexpected<Error>(c.error());
            const auto cannot = [&](bool good) { return !good; };
            if (p.series < 1 || p.series > 400 ||
                cannot(p.rated_Ah > 0 && p.rated_Ah <= kMostFigure) ||
                cannot(p.capacity_Ah >= 0 && p.capacity_Ah <= kMostFigure) ||
                cannot(std::abs(p.voltage_V) <= kMostFigure) ||
                cannot(p.resistance_ohm >= 0 && p.resistance_ohm <= kMostFigure) ||
                cannot(p.chargeLimit_C > 0 && p.chargeLimit_C <= kMostRate_C) ||
                cannot(p.ambient_C >= -90 && p.ambient_C <= 200) || p.soc < 0 || p.soc > 1)
                return fail(
                    ErrorKind::InvalidArgument, phrase("The figures of {} cannot be.", p.name), {},
                    phrase("series from 1, capacity above 0, resistance from 0, a charge limit "
                           "above 0 and up to {:.0f}C, a level of 0 to 1 (or 2 to 100 %).",
                           kMostRate_C));
            if (rateIs(p.chargeLimit_C, kTypedRate_C) != RateIs::Usual)
                out_.cautions.push_back(
                    phrase("The charge limit of {} is {:.3g}C as typed, beyond the usual 1C: only "
                           "where the maker's data sheet allows it.",
                           p.name, p.chargeLimit_C));
            if ((*c)->ocv.empty())
                return fail(ErrorKind::InvalidArgument,
                            phrase("Nothing is known of the curve of {}.", p.chemistry));
            Pack s;
            s.asked = &p;
            s.chemistry = *c;
            s.capacity = p.held_Ah();
            s.ohms = p.resistance_ohm > 0 ? p.resistance_ohm : 0.02 / p.rated_Ah * p.series;
            s.soc = std::isfinite(p.soc) && s.chemistry->flat
                        ? p.soc * s.chemistry->fullSoc
                        : s.chemistry->ocv.soc(p.voltage_V / p.series);
            s.offset = p.voltage_V - p.series * s.chemistry->ocv.voltage_V(s.soc);
            packs_.push_back(s);
        }
        return {};
    }

    void refuse(std::string_view rule, std::string why, const std::string& instead = {}) {
        if (out_.rule.empty()) out_.rule = rule;
        out_.reasons.push_back(std::move(why));
        if (!instead.empty()) out_.instead += (out_.instead.empty() ? "" : " ") + instead;
    }

    /// Whether they could meet at all: same kind, count and polarity.
    bool kinds() {
        const JoinPack& first = asked_.front();
        bool meet = true;
        for (const JoinPack& p : asked_) {
            if (p.chemistry != first.chemistry) {
                refuse("join_kind",
                       phrase("{} is {}, {} is {}: different chemistries are never joined.", p.name,
                              p.chemistry, first.name, first.chemistry));
                meet = false;
            }
            if (p.series != first.series) {
                refuse("join_kind",
                       phrase("{} has {} cells in series, {} has {}: only equal counts are joined.",
                              p.name, p.series, first.name, first.series));
                meet = false;
            }
            if (p.voltage_V < 0) {
                refuse("join_kind", phrase("{} is negative: its polarity is reversed.", p.name),
                       phrase("measure {} again, red to plus.", p.name));
                meet = false;
            }
        }
        if (!meet && out_.instead.empty())
            out_.instead = phrase(
                "use them one after the other; only packs of one kind and count "
                "are joined.");
        return meet;
    }

    /// Each pack by the gate.
    bool states() {
        bool fit = true;
        for (const JoinPack& p : asked_) {
            BatteryState s;
            s.battery.chemistry = p.chemistry;
            s.battery.series = p.series;
            s.battery.rated_Ah = p.rated_Ah;
            s.rested_V = p.voltage_V;
            s.ambient_C = p.ambient_C;
            s.capacity_Ah = p.capacity_Ah;
            s.skin = p.skin;
            s.hazards = p.hazards;
            s.ratingIsRight = true;
            ActWish w;
            w.act = Act::Join;
            const auto gate = askGate(s, w);
            if (gate) continue;
            fit = false;
            refuse(gate.error().rule, p.name + ": " + gate.error().what,
                   p.name + ": " + gate.error().accepted);
        }
        return fit;
    }

    void ratio() {
        const auto [least, most] = std::ranges::minmax(asked_, {}, &JoinPack::held_Ah);
        if (most.held_Ah() >= setting_.ratioLimit * least.held_Ah())
            refuse("join_ratio",
                   phrase("{} holds {:.0f} times as much as {}: from ten on it is refused.",
                          most.name, most.held_Ah() / least.held_Ah(), least.name),
                   phrase("join packs of about the same capacity."));
    }

    /// Flat kinds by levels, nickel only full.
    void levels() {
        const Chemistry& c = *packs_.front().chemistry;
        if (!c.flat && !c.nickel()) return;
        bool known = true;
        double least = 2;
        double most = -1;
        for (const JoinPack& p : asked_) {
            known = known && std::isfinite(p.soc);
            least = std::min(least, p.soc);
            most = std::max(most, p.soc);
        }
        constexpr double kFull = 0.98, kApart = 0.1, kContradicts_V = 0.05;
        if (c.nickel()) {
            if (!known || least < kFull)
                refuse("join_nickel",
                       phrase("Equal volts prove nothing with nickel (hysteresis, warmth)."),
                       phrase("charge each full, alone, to its own end; then join them (soc 1 in "
                              "the table)."));
            return;
        }
        const auto [low, high] = std::ranges::minmax(asked_, {}, &JoinPack::voltage_V);
        const double apart = (high.voltage_V - low.voltage_V) / asked_.front().series;
        if (!known)
            refuse(
                "join_levels",
                phrase("An equal voltage proves nothing on this flat curve: their levels must be "
                       "known otherwise, all charged full for example."),
                phrase("charge each full, alone, or count what was taken out since."));
        else if (most - least > kApart + 1e-9)
            refuse(
                "join_levels",
                phrase("Their levels are {:.0f} % apart; 10 % is the most.", 100 * (most - least)),
                phrase("charge the emptier ones alone first."));
        else if (apart > kContradicts_V)
            refuse("join_levels",
                   phrase("Their volts ({:.3f} V a cell apart) contradict levels that are {:.0f} % "
                          "apart: a charge lies on the surface.",
                          apart, 100 * (most - least)),
                   phrase("wait some hours, measure again, then join."));
    }

    /// First currents, all at once.
    void circuit() {
        out_.common_V = commonOf(packs_, 0);
        double whole = 0;
        double together = 1e300;
        for (const Pack& s : packs_) whole += s.capacity;
        const double loose = commonOf(packs_, setting_.leadHigh_ohm);
        for (const Pack& s : packs_) {
            JoinCurrent i;
            i.pack = s.asked->name;
            i.first_A = (out_.common_V - s.ocv()) / s.ohms;
            const double least = (loose - s.ocv()) / (s.ohms + setting_.leadHigh_ohm);
            i.firstLow_A = least;
            i.firstHigh_A = i.first_A;
            if (std::abs(i.firstLow_A) > std::abs(i.firstHigh_A))
                std::swap(i.firstLow_A, i.firstHigh_A);
            i.c_rate = std::abs(i.first_A) / s.capacity;
            i.share = s.capacity / whole;
            together = std::min(together, s.limit_A() / i.share);
            out_.currents.push_back(i);
        }
        if (!packs_.front().chemistry->nickel()) out_.together_A = together;
    }

    /// One pack, or several that are joined already.
    struct Group {
        double volts = 0, ohms = 0;
        double limit_V = 0;  ///< across it, at which the first of its packs is at its own limit
        std::string names;
        double limit_A() const { return limit_V / ohms; }
    };
    static Group groupOf(const Pack& p) {
        return {p.ocv(), p.ohms, p.limit_A() * p.ohms, p.asked->name};
    }
    static Group joined(const Group& a, const Group& b) {
        const double ohms = 1 / (1 / a.ohms + 1 / b.ohms);
        return {ohms * (a.volts / a.ohms + b.volts / b.ohms), ohms, std::min(a.limit_V, b.limit_V),
                a.names + ", " + b.names};
    }
    double gapOf(const Group& a, const Group& b) const {
        return joinGap_V(asked_.front().series, std::min(a.limit_A(), b.limit_A()),
                         a.ohms + b.ohms);
    }

    /// The nearest are joined first; what may not come to the group is named with its way there.
    void gaps() {
        std::vector<Pack> byVolts = packs_;
        std::ranges::stable_sort(byVolts, {}, [](const Pack& p) { return p.ocv(); });
        std::vector<Group> left;
        for (const Pack& p : byVolts) left.push_back(groupOf(p));
        constexpr double kRounding = 1e-9;
        while (left.size() > 1) {
            // Neighbours by their gap as a share of what is allowed.
            std::size_t best = 0;
            double bestShare = 1e300;
            for (std::size_t k = 0; k + 1 < left.size(); ++k) {
                const double share = (left[k + 1].volts - left[k].volts) /
                                     std::max(1e-12, gapOf(left[k], left[k + 1]));
                if (share < bestShare) bestShare = share, best = k;
            }
            const Group& low = left[best];
            const Group& high = left[best + 1];
            if (bestShare > 1 + kRounding) break;
            out_.greatestGap_V = gapOf(low, high);
            left[best] = joined(low, high);
            left.erase(left.begin() + static_cast<std::ptrdiff_t>(best) + 1);
        }
        for (std::size_t k = 0; k + 1 < left.size(); ++k) tooFar(left[k], left[k + 1], k == 0);
    }

    void tooFar(const Group& low, const Group& high, bool first) {
        const double gap = gapOf(low, high);
        if (first) out_.greatestGap_V = gap;
        const int series = asked_.front().series;
        const double apart = high.volts - low.volts;
        const double amps = apart / (low.ohms + high.ohms);
        const double target = high.volts - gap;
        const double alone = 0.5 * std::min(low.limit_A(), high.limit_A());
        const Chemistry& c = *packs_.front().chemistry;
        const std::string why = phrase(
            "{} is {:.3f} V ({:.3f} V a cell) under {}: {:.1f} A would flow at first; at "
            "most {:.3f} V apart.",
            low.names, apart, apart / series, high.names, amps, gap);
        refuse("join_gap", why,
               c.nickel() || c.flat ? phrase("charge {} alone first.", low.names)
               : target - low.volts < 0.01 * series
                   ? phrase("wait, or charge {} alone to {:.2f} V at rest first; or a resistor "
                            "between them until they agree.",
                            low.names, target)
                   : phrase("charge {} first, alone, with {:.2g} A at most, to {:.2f} V at rest; "
                            "then join.",
                            low.names, alone, target));
    }

    /// The decay, with the packs' resistances alone, until the currents are small.
    void decay() {
        std::vector<Pack> now = packs_;
        const bool known =
            now.front().chemistry->flat &&
            std::ranges::all_of(asked_, [](const JoinPack& p) { return std::isfinite(p.soc); });
        // What a level does not explain of the volts lies on the surface and goes in a while
        // (common practice).
        constexpr double kSurface_s = 1200;
        double largest = 0;
        for (const JoinCurrent& i : out_.currents) largest = std::max(largest, std::abs(i.first_A));
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
                if (!noted && t >= 60) out_.currents[k].after60_A = amps;
            }
            if (t >= 60) noted = true;
            if (out_.settle_s == 0 && most_A < 0.1 * largest) out_.settle_s = t;
            if (noted && (most_A < 0.01 * largest || most_A < 1e-4)) break;
            for (Pack& p : now) {
                const double amps = (common - p.ocv()) / p.ohms;
                const double charge = amps * step / 3600;
                if (charge > 0) moved += charge;
                p.soc = std::clamp(p.soc + charge / p.capacity, -0.05, 1.05);
                if (known) p.offset *= std::exp(-step / kSurface_s);
            }
            t += step;
            // Small while the currents are large, longer as they settle; a minute is met exactly.
            if (t >= 60) step = std::min(5.0, step * 1.02);
        }
        out_.chargeMoved_Ah = known ? movedByLevels() : moved;
        if (out_.settle_s == 0) out_.settle_s = t;
    }

    double movedByLevels() const {
        double charge = 0;
        double whole = 0;
        for (const JoinPack& p : asked_) charge += p.soc * p.held_Ah(), whole += p.held_Ah();
        double moved = 0;
        for (const JoinPack& p : asked_)
            moved += std::max(0.0, charge / whole - p.soc) * p.held_Ah();
        return moved;
    }

    void words(bool meet) {
        out_.allowed = out_.rule.empty();
        std::vector<const JoinPack*> byVolts;
        for (const JoinPack& p : asked_) byVolts.push_back(&p);
        std::ranges::stable_sort(byVolts, {}, &JoinPack::voltage_V);
        for (const JoinPack* p : byVolts) out_.order.push_back(p->name);
        if (out_.allowed) {
            const double apart =
                (byVolts.back()->voltage_V - byVolts.front()->voltage_V) / asked_.front().series;
            double most = 0;
            for (const JoinCurrent& i : out_.currents) most = std::max(most, std::abs(i.first_A));
            out_.reasons.push_back(
                phrase("Same chemistry, same series count, {:.3f} V a cell apart, at most {:.1f} A "
                       "at first; up to {:.3f} V apart they may be joined.",
                       apart, most, out_.greatestGap_V));
            if (asked_.size() > 2)
                out_.reasons.push_back(
                    phrase("More than two: one after the other in the order of their "
                           "voltage, the nearest first."));
            out_.reasons.push_back(phrase("Leave them joined {:.0f} min before charging.",
                                          std::max(1.0, std::ceil(out_.settle_s / 60))));
            if (std::isfinite(out_.together_A))
                out_.reasons.push_back(
                    phrase("Charged together: up to {:.3g} A, shared as their "
                           "capacities.",
                           out_.together_A));
        }
        out_.cautions.insert(
            out_.cautions.end(),
            {phrase("Check the polarity of every pack with a meter first: a reversed pack is a "
                    "short circuit."),
             phrase("A fuse in every lead, insulated tools, somebody there.")});
        const Chemistry& c = *packs_.front().chemistry;
        if (c.nickel())
            out_.cautions.push_back(
                phrase("Nickel is not charged while joined: the one that peaks first is "
                       "overcharged."));
        const double top = c.nickel() ? 1.5 : c.set_V;
        if (meet && top * asked_.front().series > 60)
            out_.cautions.push_back(phrase("Over 60 V d.c.: work for trained people."));
    }

    const std::vector<JoinPack>& asked_;
    const JoinSetting setting_;
    std::vector<Pack> packs_;
    JoinAnswer out_;
};

}  // namespace

Expected<JoinAnswer> planJoin(const std::vector<JoinPack>& packs, const JoinSetting& setting) {
    return Joiner(packs, setting).answer();
}

}  // namespace nk
