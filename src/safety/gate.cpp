#include "gate.h"

#include <algorithm>
#include <cmath>

#include "chemistry/charge_rates.h"
#include "quantity/phrase.h"
#include "rules.h"

namespace nk {

namespace {

/// A lumped cell: heat capacity in J/(kg·K) and the time in which it cools (common practice for
/// cells in still air; a large pack cools more slowly).
constexpr double kHeat_J_kgK = 1000, kCooling_s = 1500;
/// Nickel: the rise over the room at which ΔT rules end a charge, at 1C (common practice).
constexpr double kNickelRise_K = 15;
/// Ampere-hours that are a slip of the pen, and how far today's capacity may lie over the label.
constexpr double kMostFigure = 1e6, kOverLabel = 1.6;

bool given(double x) {
    return std::isfinite(x) && x > 0;
}

}  // namespace

std::string_view nameOf(Act act) {
    switch (act) {
        case Act::Charge:
            return "charge";
        case Act::Discharge:
            return "discharge";
        case Act::Cycle:
            return "cycle";
        case Act::BreakIn:
            return "breakin";
        case Act::Recondition:
            return "recondition";
        case Act::Store:
            return "store";
        case Act::Join:
            return "join";
        case Act::Hold:
            return "hold";
    }
    return {};
}

bool charges(Act act) {
    return act != Act::Discharge && act != Act::Store;
}

bool discharges(Act act) {
    return act == Act::Discharge || act == Act::Cycle || act == Act::BreakIn ||
           act == Act::Recondition;
}

tl::unexpected<Error> refusal(Act act, std::string_view rule, std::string because,
                              std::string instead) {
    Error e{ErrorKind::InvalidArgument, std::move(because), {}, std::move(instead)};
    e.act = nameOf(act);
    e.rule = rule;
    e.source = gateRule(rule).source;
    return tl::unexpected<Error>(std::move(e));
}

bool endsUse(const HazardOnFile& h) {
    return h.code == "out_of_use";
}

double ownWarmth_K(const Chemistry& c, double current_A, double capacity_Ah,
                   double resistance_ohm) {
    if (!(current_A > 0) || !(capacity_Ah > 0)) return 0;
    const double rate = current_A / capacity_Ah;
    if (c.nickel()) return kNickelRise_K * rate;
    // Of one Ah of the cell: its share of the current is `rate` amperes.
    const double ohmAh = resistance_ohm > 0 ? resistance_ohm * capacity_Ah : c.resistance_ohmAh;
    const double heat_J_K = c.nominal_V / c.specificEnergy_Wh_kg * kHeat_J_kgK;
    const double watts = rate * rate * ohmAh;
    const double lasts_s = 3600 / rate;
    return watts * kCooling_s / heat_J_K * -std::expm1(-lasts_s / kCooling_s);
}

double usualCharge_A(const BatteryState& s) {
    const Chemistry* c = s.battery.chemistryData();
    return c == nullptr ? 0 : std::min(0.5, c->chargeC) * s.reference_Ah();
}

double holdMost_A(const BatteryState& s) {
    const Chemistry* c = s.battery.chemistryData();
    return c != nullptr && c->nickel() ? 0.05 * s.reference_Ah() : 0;
}

PeakIs peakAt(double rate_C) {
    constexpr double kSure_C = 0.3, kMay_C = 0.15, kRounding = 1e-6;
    if (rate_C >= kSure_C - kRounding) return PeakIs::Sure;
    return rate_C >= kMay_C - kRounding ? PeakIs::MayBeMissed : PeakIs::None;
}

double backstopShare(const Chemistry& c, double rate_C) {
    constexpr double kRounding = 1e-6;
    if (!c.nickel()) return 1.1;
    return rate_C <= 0.1 + kRounding ? 1.6 : 1.2;
}

double joinGap_V(int series, double smallestLimit_A, double between_ohm) {
    constexpr double kPractice_V = 0.1;
    return std::min(kPractice_V * series, smallestLimit_A * between_ohm);
}

namespace {

/// The questions of the gate in their order; each refuses or sets limits.
class Gate {
  public:
    Gate(const BatteryState& state, const ActWish& wish) : s_(state), w_(wish) {}

    Expected<GateLimits> ask() {
        using Question = Expected<void> (Gate::*)();
        for (const Question q : {&Gate::figures, &Gate::body, &Gate::volts, &Gate::cells,
                                 &Gate::warmth, &Gate::kindOfAct, &Gate::chargeCurrent,
                                 &Gate::setVoltage, &Gate::floor, &Gate::dischargeCurrent})
            if (auto ok = (this->*q)(); !ok) return tl::unexpected<Error>(ok.error());
        return std::move(out_);
    }

  private:
    Expected<void> no(std::string_view rule, std::string because, std::string instead) {
        return refusal(w_.act, rule, std::move(because), std::move(instead));
    }
    void by(std::string_view rule) { out_.rules.emplace_back(rule); }

    Expected<void> figures() {
        const Battery& b = s_.battery;
        c_ = b.chemistryData();
        if (c_ == nullptr)
            return no("unknown_kind", phrase("The chemistry is not known."),
                      phrase("--chemistry with one of the known ones."));
        const bool rated = b.rated_Ah > 0 && b.rated_Ah <= kMostFigure;
        const bool today = s_.capacity_Ah >= 0 && s_.capacity_Ah <= kMostFigure;
        if (b.series < 1 || b.series > 1000 || !rated || !today)
            return no("figures", phrase("The series count or the rated capacity is not known."),
                      phrase("--series N and --rated-ah X."));
        const auto odd = [](double x) { return !(x >= 0 && x <= kMostFigure); };
        if (odd(w_.charge_A) || odd(w_.discharge_A) || odd(w_.lamp_W) || odd(w_.set_V) ||
            odd(w_.floor_V) || odd(w_.resistance_ohm) || !std::isfinite(s_.rested_V))
            return no("figures", phrase("A figure that was asked for cannot be."),
                      phrase("numbers from 0 on."));
        if (!(s_.ambient_C >= -90 && s_.ambient_C <= 200))
            return no("figures", phrase("{:.0f} °C is no warmth of a battery.", s_.ambient_C),
                      phrase("its own temperature in °C."));
        if (std::isnan(s_.soc) || s_.soc > 1)
            return no("figures", phrase("A charge level over 1 is none."), phrase("0 to 1."));
        const double cell_Ah = b.rated_Ah / std::max(1, b.parallel);
        if (cell_Ah > c_->mostCell_Ah && !s_.ratingIsRight)
            return no("figures",
                      phrase("{:.4g} Ah in one cell of {}: is it {:.4g} Ah ({:.0f} mAh)?", cell_Ah,
                             c_->name(), b.rated_Ah / 1000, b.rated_Ah),
                      phrase("--rated-ah {:.4g}; or --rating-is-right, where so many cells are in "
                             "parallel.",
                             b.rated_Ah / 1000));
        if (cell_Ah > c_->mostCell_Ah)
            out_.cautions.push_back(
                phrase("{:.4g} Ah is more than one cell of {} holds: taken as cells in parallel, "
                       "by your word.",
                       cell_Ah, c_->name()));
        if (s_.capacity_Ah > kOverLabel * b.rated_Ah && !s_.ratingIsRight)
            return no("figures",
                      phrase("{:.4g} Ah today of {:.4g} Ah on the label: one of both is a slip.",
                             s_.capacity_Ah, b.rated_Ah),
                      phrase("today's capacity and the label's in Ah; or --rating-is-right."));
        out_.temperatureEnd_C = c_->chargeMax_C;
        return {};
    }

    /// Skin and what its logs hold.
    Expected<void> body() {
        if (!s_.skin.empty())
            return no("skin", phrase("Its skin is not whole ({}): it is out of use.", s_.skin),
                      phrase("tape its terminals and recycle it by the local rules."));
        for (const HazardOnFile& h : s_.hazards) {
            if (!endsUse(h)) {
                if (!h.seen)
                    out_.cautions.push_back(phrase(
                        "A hazard is on file ({}): look at it before anything is done.", h.code));
                continue;
            }
            return no(
                "hazard",
                phrase("Its logs hold a hazard that ends its use ({}): it is retired.", h.code),
                phrase("recycle it by the local rules, its terminals taped."));
        }
        return {};
    }

    Expected<void> volts() {
        auto triage = triageOf(s_.battery, s_.rested_V, s_.cells_V, s_.reference_Ah());
        if (!triage) {
            Error e = triage.error();
            e.act = nameOf(w_.act);
            if (e.rule.empty()) e.rule = "figures";
            e.source = gateRule(e.rule).source;
            return tl::unexpected<Error>(std::move(e));
        }
        out_.triage = std::move(*triage);
        const Triage& t = out_.triage;
        using Word = Triage::Word;
        const auto words = [&] {
            return t.words.front() + (t.words.size() > 1 ? " " + t.words[1] : "");
        };
        if (t.word == Word::OutOfUse)
            return no(t.rule, words(),
                      c_->nickel()
                          ? phrase("replace the cell, or recycle the pack by the local rules.")
                          : phrase("recycle it by the local rules; only a battery of at least "
                                   "{:.2f} V a cell at rest is charged.",
                                   c_->outOfUse_V));
        if (t.word == Word::OverFull && w_.act != Act::Store && w_.act != Act::Discharge)
            return no("over_fault", words(),
                      phrase("discharge it to storage, outside and watched; then recycle it."));
        if (t.word == Word::MeasureCells)
            return no("measure_cells", words(), phrase("--cells-v with each cell at rest."));
        if (t.word == Word::Gently) {
            if (w_.act == Act::Join)
                return no("over_drained", words(),
                          phrase("charge it alone with {:.3g} A at most, attended, {:.0f} min, to "
                                 "{:.2f} V a cell at rest; then look again.",
                                 kGentleC * s_.reference_Ah(), kGentleMinutes, c_->overdrained_V));
            if (w_.act != Act::Charge && w_.act != Act::Store)
                return no("over_drained", words(),
                          phrase("a gentle charge first: {:.3g} A at most, attended, {:.0f} min.",
                                 kGentleC * s_.reference_Ah(), kGentleMinutes));
            out_.gently = true;
            by("over_drained");
        }
        return {};
    }

    /// How far the cells are apart.
    Expected<void> cells() {
        const Triage& t = out_.triage;
        constexpr double kRounding = 1e-6;
        if (t.apart_V > kCellsApart_V + kRounding && charges(w_.act) &&
            t.word != Triage::Word::OverFull) {
            const double set = w_.set_V > 0 ? w_.set_V : c_->set_V;
            const bool under = c_->nickel() || t.highest_V < set - kRounding;
            // While it is over-drained the low cell decides, and the gentle charge is each cell's.
            const bool balanced = w_.act == Act::Charge && w_.chargerBalances && under &&
                                  !c_->nickel() && !out_.gently;
            if (!balanced)
                return no(
                    "cells_apart",
                    phrase("The cells are {:.2f} V apart at rest ({:.2f} to {:.2f} V): charged as "
                           "one pack the full ones would go too far.",
                           t.apart_V, t.cell_V, t.highest_V),
                    phrase("charge the low cells alone first, by the balance lead, with {:.3g} A "
                           "(0.1C) at most, or on a balancer at its own current, to within "
                           "{:.2f} V of the highest.",
                           kGentleC * s_.reference_Ah(), kCellsWatch_V));
            out_.cautions.push_back(
                phrase("The cells are {:.2f} V apart: {} balances them while it charges; watch the "
                       "highest, it must stay under {:.2f} V.",
                       t.apart_V, w_.charger, set));
            by("cells_apart");
        } else if (t.apart_V >= kCellsWatch_V - kRounding && !s_.cells_V.empty()) {
            out_.cautions.push_back(
                phrase("The cells are {:.2f} V apart at rest: watch each of them, not the pack "
                       "alone.",
                       t.apart_V));
            by("cells_watch");
        }
        return {};
    }

    Expected<void> warmth() {
        const double at = s_.ambient_C;
        if (charges(w_.act)) {
            if (at < c_->chargeMin_C)
                return no("charge_cold", phrase("{} is not charged at {:.0f} °C.", c_->name(), at),
                          phrase("bring it in first: {:.0f} to {:.0f} °C, warmed to 40 °C at most "
                                 "and never with a flame.",
                                 c_->chargeMin_C, c_->chargeMax_C));
            if (at > c_->chargeMax_C)
                return no("charge_hot", phrase("{} is not charged at {:.0f} °C.", c_->name(), at),
                          phrase("let it cool first, to under {:.0f} °C.",
                                 std::min(40.0, c_->chargeMax_C)));
        }
        if (discharges(w_.act)) return dischargeWarmth();
        return {};
    }

    Expected<void> dischargeWarmth() {
        const double at = s_.ambient_C;
        if (at < c_->dischargeMin_C)
            return no("discharge_cold",
                      phrase("{} is not discharged at {:.0f} °C: its limit is {:.0f} °C.",
                             c_->name(), at, c_->dischargeMin_C),
                      phrase("bring it to room temperature first, never with a flame."));
        if (at > c_->dischargeMax_C)
            return no("discharge_hot",
                      phrase("{} is not discharged at {:.0f} °C: its limit is {:.0f} °C.",
                             c_->name(), at, c_->dischargeMax_C),
                      phrase("let it cool first."));
        return {};
    }

    Expected<void> kindOfAct() {
        if ((w_.act == Act::BreakIn || w_.act == Act::Recondition) && !c_->nickel())
            return no("nickel_only",
                      phrase("Nothing of this kind is done to {}: deep discharge and overcharge "
                             "ruin lithium, and slow cycles give nothing back.",
                             c_->name()),
                      phrase("nimh or nicd."));
        if (w_.act == Act::Hold && !c_->nickel())
            return no("hold",
                      phrase("{} is not held on at its set voltage once it is full.", c_->name()),
                      phrase("end it at C/20 and unplug it."));
        if (w_.act == Act::Hold && w_.charge_A > holdMost_A(s_) * (1 + 1e-9))
            return no("hold", phrase("{:.3g} A is too much to be held on.", w_.charge_A),
                      phrase("at most {:.3g} A (C/20).", holdMost_A(s_)));
        return {};
    }

    Expected<void> chargeCurrent() {
        const double capacity = s_.reference_Ah();
        out_.chargeMost_A = c_->chargeC * capacity;
        if (!charges(w_.act)) return {};
        const bool asked = w_.charge_A > 0;
        double amps = asked ? w_.charge_A : usualCharge_A(s_);
        const double rate = amps / capacity;
        const bool makers = s_.battery.limits().chargeC == c_->chargeC;
        const RateIs is = rateIs(rate, c_->chargeC);
        if (is == RateIs::None)
            return no("rate", phrase("{:.3g}C is no charge current that is accepted.", rate),
                      phrase("at most {:.2g}C, the usual figure; with the explicit step up to "
                             "{:.0f}C.",
                             c_->chargeC, kMostRate_C));
        // Amperes within the label's own usual figure: of a worn battery they are more than 1C.
        const bool ofLabel = w_.inAmperes && amps <= c_->chargeC * s_.battery.rated_Ah * (1 + 1e-9);
        if (makers && is != RateIs::Usual && !ofLabel)
            return no("maker_rate",
                      phrase("{:.3g}C is beyond the {:.3g}C that the maker of this battery allows.",
                             rate, c_->chargeC),
                      phrase("at most {:.3g}C, or another figure of the data sheet on its card.",
                             c_->chargeC));
        if (is != RateIs::Usual) {
            if (!w_.beyondUsual && is == RateIs::FarBeyond && !ofLabel)
                return no("rate",
                          phrase("{:.3g}C is beyond the usual {:.2g}C of {}.", rate, c_->chargeC,
                                 c_->name()),
                          phrase("at most {:.2g}C ({:.3g} A); or the explicit step, where the "
                                 "maker's data sheet allows more.",
                                 c_->chargeC, c_->chargeC * capacity));
            out_.beyondUsual = true;
            out_.cautions.push_back(
                ofLabel && is == RateIs::FarBeyond
                    ? phrase("{:.3g} A is {:.2f}C of the {:.3g} Ah that it holds today: it gets "
                             "warm, stay beside it.",
                             amps, rate, capacity)
                    : phrase("Beyond the usual {:.2g}C: only where the maker's data sheet allows "
                             "it.",
                             c_->chargeC));
            by("rate");
        }
        const auto atMost = [&](double most_A, const char* limitedBy, std::string_view rule,
                                std::string why) {
            if (!(amps > most_A * (1 + 1e-9))) return;
            amps = most_A;
            out_.limitedBy = limitedBy;
            out_.why = std::move(why);
            by(rule);
        };
        if (s_.ambient_C < c_->chargeSlowBelow_C)
            atMost(c_->chargeSlowRate_C * capacity, "cold", "charge_slow_cold",
                   phrase("{:.2g}C at the most under {:.0f} °C.", c_->chargeSlowRate_C,
                          c_->chargeSlowBelow_C));
        if (w_.overnight)
            atMost(kGentleC * capacity, "overnight", "overnight",
                   phrase("A tenth of C while nobody is there."));
        if (out_.gently)
            atMost(kGentleC * capacity, "overdrained", "over_drained", out_.triage.words.front());
        if (auto ok = ownWarmth(amps, asked); !ok) return ok;
        if (out_.gently) {
            out_.minutes = kGentleMinutes;
            out_.temperatureEnd_C = std::min(kGentleTop_C, c_->chargeMax_C);
        }
        out_.charge_A = amps;
        return {};
    }

    /// Its own warmth over the room stays under the top. What was asked for is refused with the
    /// current that stays under it; the usual current becomes that.
    Expected<void> ownWarmth(double& amps, bool asked) {
        const double capacity = s_.reference_Ah();
        const double room_K = c_->chargeMax_C - s_.ambient_C;
        const double warms_K = ownWarmth_K(*c_, amps, capacity, w_.resistance_ohm);
        if (warms_K <= room_K || w_.act == Act::Join) return {};
        double low = 0;
        double high = amps;
        for (int k = 0; k < 60; ++k) {
            const double middle = 0.5 * (low + high);
            (ownWarmth_K(*c_, middle, capacity, w_.resistance_ohm) > room_K ? high : low) = middle;
        }
        constexpr double kLeast_C = 0.02;
        if (asked || low < kLeast_C * capacity)
            return no("own_warmth",
                      phrase("At {:.3g}C it would warm itself by about {:.0f} K, from {:.0f} °C to "
                             "over the {:.0f} °C at which {} is no longer charged.",
                             amps / capacity, std::ceil(warms_K), s_.ambient_C, c_->chargeMax_C,
                             c_->name()),
                      low < kLeast_C * capacity
                          ? phrase("let it cool first, to under {:.0f} °C.",
                                   std::min(40.0, c_->chargeMax_C - 2))
                          : phrase("at most {:.3g} A ({:.2g}C) at this warmth, or a cooler place.",
                                   low, low / capacity));
        amps = low;
        out_.limitedBy = "warmth";
        out_.why = phrase("{:.2g}C at the most at {:.0f} °C: it warms itself.", low / capacity,
                          s_.ambient_C);
        by("own_warmth");
        return {};
    }

    Expected<void> setVoltage() {
        out_.set_V = c_->set_V;
        if (c_->nickel() || !(w_.set_V > 0)) return {};
        if (w_.set_V > c_->set_V + 1e-9)
            return no("set_voltage",
                      phrase("{:.3f} V a cell is above the {:.2f} V of {}.", w_.set_V, c_->set_V,
                             c_->name()),
                      phrase("at most {:.2f} V a cell.", c_->set_V));
        if (w_.set_V < c_->nominal_V)
            return no("set_voltage", phrase("{:.3f} V a cell would hardly charge it.", w_.set_V),
                      phrase("{:.2f} to {:.2f} V a cell.", c_->nominal_V, c_->set_V));
        out_.set_V = w_.set_V;
        return {};
    }

    Expected<void> floor() {
        constexpr double kNickelAlone_V = 0.9, kNickelMost_V = 1.2, kRounding = 1e-9;
        const double least = !c_->nickel()            ? c_->dischargeFloor_V
                             : s_.battery.series == 1 ? kNickelAlone_V
                                                      : std::max(1.0, c_->dischargeFloor_V);
        const double most = c_->nickel() ? kNickelMost_V : c_->nominal_V;
        out_.floor_V = w_.floor_V > 0 ? w_.floor_V : c_->dischargeFloor_V;
        if (w_.floor_V > 0 && (w_.floor_V < least - kRounding || w_.floor_V > most + kRounding))
            return no(
                "floor",
                phrase("A floor of {:.2f} V a cell is not accepted for {}.", w_.floor_V,
                       c_->name()),
                c_->nickel()
                    ? (s_.battery.series == 1
                           ? phrase("0.90 to 1.20 V; 0.90 only for a single cell.")
                           : phrase("1.00 to 1.20 V a cell: in a pack a weak cell reverses under "
                                    "it."))
                    : phrase("{:.2f} to {:.2f} V a cell; lower only with the maker's figure on its "
                             "card.",
                             least, most));
        return {};
    }

    Expected<void> dischargeCurrent() {
        const double capacity = s_.reference_Ah();
        const double label_C = s_.battery.label_C;
        // Amperes that the cells bear do not fall with the charge that they hold.
        const double most = (given(label_C) ? std::max(label_C, c_->dischargeC) : c_->dischargeC) *
                            std::max(capacity, s_.battery.rated_Ah);
        out_.discharge_A = w_.discharge_A > 0 ? w_.discharge_A : 0.2 * capacity;
        if (w_.discharge_A > most * (1 + 1e-9))
            return no("discharge_rate",
                      phrase("{:.3g} A is {:.2g}C: more than the {:.2g}C that its cells allow.",
                             w_.discharge_A, w_.discharge_A / capacity, most / capacity),
                      phrase("at most {:.3g} A.", most));
        if (w_.lamp_W > 0) {
            const double volts = c_->nominal_V * s_.battery.series;
            const double amps = w_.lamp_W / volts;
            if (amps > most * (1 + 1e-9))
                return no("lamp",
                          phrase("A lamp of {:.3g} W draws {:.3g} A ({:.2g}C): more than the "
                                 "{:.2g}C that its cells allow.",
                                 w_.lamp_W, amps, amps / capacity, most / capacity),
                          phrase("a lamp of at most {:.0f} W.", most * volts));
        }
        return {};
    }

    const BatteryState& s_;
    const ActWish& w_;
    const Chemistry* c_ = nullptr;
    GateLimits out_;
};

}  // namespace

Expected<GateLimits> askGate(const BatteryState& state, const ActWish& wish) {
    return Gate(state, wish).ask();
}

}  // namespace nk
