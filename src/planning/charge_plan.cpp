#include "charge_plan.h"

#include <algorithm>
#include <cmath>

#include "charge_run.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// How far a healthy cell's resistance lies from the usual one of its kind (common practice, no
/// source).
constexpr double kLowOhms = 0.4, kHighOhms = 2.5;
/// From here on the warmth's rise ends a nickel charge as well.
constexpr double kRiseFrom_C = 0.5, kRise_Cmin = 1;

Expected<ChargePlan> asCharge(Error e) {
    if (e.rule.empty()) {
        e.act = nameOf(Act::Charge);
        e.rule = "charger";
        e.source = "the charger's card";
    }
    return tl::unexpected<Error>(std::move(e));
}

}  // namespace

BatteryState ChargeWish::state() const {
    BatteryState s;
    s.battery = battery;
    s.rested_V = rested_V;
    s.cells_V = cells_V;
    s.ambient_C = ambient_C;
    s.capacity_Ah = capacity_Ah;
    s.soc = fromSoc;
    s.skin = skin;
    s.hazards = hazards;
    s.ratingIsRight = ratingIsRight;
    return s;
}

ActWish ChargeWish::act(Act kind) const {
    ActWish w;
    w.act = kind;
    w.charge_A = rate_C > 0 ? rate_C * reference_Ah() : std::max(0.0, current_A);
    w.inAmperes = !(rate_C > 0);
    w.set_V = set_V > 0 ? set_V : 0;
    w.beyondUsual = beyondUsual;
    w.overnight = overnight;
    w.resistance_ohm = resistance_ohm;
    if (charger) {
        w.charger = charger->name;
        w.chargerBalances = charger->balances;
    }
    return w;
}

namespace {

/// The phases of a plan, each with the figures of the ones before.
class Planner {
  public:
    Planner(const ChargeWish& wish, GateLimits limits)
        : w_(wish),
          c_(*wish.battery.chemistryData()),
          limits_(std::move(limits)),
          capacity_Ah_(wish.reference_Ah()) {}

    Expected<ChargePlan> plan() {
        out_.chemistry = c_.id;
        out_.cells = w_.battery.series;
        out_.triage = limits_.triage;
        out_.beyondUsual = limits_.beyondUsual;
        out_.limitedBy = limits_.limitedBy;
        out_.temperatureEnd_C = limits_.temperatureEnd_C;
        out_.cautions = limits_.cautions;
        if (auto ok = current(); !ok) return asCharge(ok.error());
        level();
        if (c_.nickel())
            nickel();
        else if (auto ok = lithium(); !ok)
            return asCharge(ok.error());
        lifeWords();
        knownTime();
        timer();
        ends();
        timeWords();
        supply();
        for (const std::string& words : limits_.triage.words) out_.cautions.push_back(words);
        out_.preflight = preflightList(w_.battery, out_.current_A, capacity_Ah_);
        for (std::string& words : chargeCautions(w_.battery))
            out_.cautions.push_back(std::move(words));
        return std::move(out_);
    }

  private:
    /// The current: what the gate allows of what was asked for, in the bounds of the charger.
    Expected<void> current() {
        const bool asked = w_.rate_C > 0 || w_.current_A > 0;
        double amps = limits_.charge_A;
        const double rate = amps / capacity_Ah_;
        std::string why =
            !limits_.limitedBy.empty() ? limits_.why
            : w_.ownCurrent            ? phrase("{:.3g}C, at which its logs charge it.", rate)
            : asked                    ? phrase("{:.3g}C, as asked for.", rate)
                    : phrase("{:.2g}C, kind to {} (common practice, no source).", rate, c_.name());
        out_.effectiveCurrent_A = amps;
        if (w_.charger) {
            const ChargerCard& charger = *w_.charger;
            if (auto ok = charger.canDo(c_, w_.battery.series); !ok) return ok;
            const double wanted = amps;
            const double step = charger.currentStep_A;
            amps = stepDown(std::min(amps, charger.maxCharge_A), step);
            if (charger.maxCharge_A < wanted) {
                out_.limitedBy = "charger_current";
                why += " " + phrase("The charger gives {:.3g} A at most.", charger.maxCharge_A);
            }
            out_.effectiveCurrent_A = charger.effectiveCharge_A(amps, c_, w_.battery.series);
            if (out_.effectiveCurrent_A < amps - 1e-9) {
                out_.limitedBy = "charger_power";
                out_.reasons["effective_current_A"] = phrase(
                    "{:.3g} W at {:.3g} V is {:.3g} A, whatever is set.", charger.maxCharge_W,
                    c_.nominal_V * w_.battery.series, out_.effectiveCurrent_A);
            }
            if (!(amps > 0) || !(out_.effectiveCurrent_A > 0))
                return fail(ErrorKind::InvalidArgument,
                            phrase("{} cannot be set as low as {:.3g} A.", charger.name, wanted),
                            {}, phrase("a charger with smaller steps than {:.3g} A.", step));
        }
        out_.current_A = amps;
        const double most = std::max(limits_.chargeMost_A, amps);
        out_.reasons["current_A"] =
            why + " " +
            (out_.beyondUsual ? phrase("{:.0f} mA; the usual most is {:.3g} A ({:.2g}C).",
                                       1000 * amps, limits_.chargeMost_A, c_.chargeC)
                              : phrase("{:.0f} mA; not above {:.3g} A ({:.2g}C).", 1000 * amps,
                                       most, most / capacity_Ah_)) +
            (w_.capacity_Ah > 0
                 ? " " + phrase("C counts of the {:.3g} Ah that it holds today.", capacity_Ah_)
                 : std::string());
        rate_ = out_.effectiveCurrent_A / capacity_Ah_;
        return {};
    }

    /// The charge level before, as far as it is known; volts at rest tell it where the curve is not
    /// flat.
    void level() {
        told_ = w_.fromSoc;
        if (told_ < 0 && std::isfinite(out_.triage.cell_V) && !c_.nickel() && !c_.flat)
            told_ = std::clamp(c_.ocv.soc(out_.triage.cell_V) / c_.fullSoc, 0.0, 1.0);
        from_ = std::max(0.0, told_);
        out_.fromSoc = told_;
        atLeastFrom_ = w_.fromSoc >= 0 ? from_ : std::min(1.0, from_ + (told_ >= 0 ? 0.1 : 0.2));
        step_mAh_ =
            w_.charger && w_.charger->capacityStep_mAh > 0 ? w_.charger->capacityStep_mAh : 1;
    }

    Expected<void> lithium() {
        const double packStep = w_.charger ? w_.charger->setVoltageStep_V : 0;
        out_.set_V = stepDown(std::round(limits_.set_V * w_.battery.series * 1e9) / 1e9, packStep);
        out_.setPerCell_V = out_.set_V / w_.battery.series;
        out_.reasons["set_V"] = phrase(
            "{:.3f} V a cell times {}; never above {:.2f} V a cell: there lies the fault limit.",
            out_.setPerCell_V, w_.battery.series, c_.fault_V);
        if (auto ok = cutoff(); !ok) return ok;
        ChargeRunSetting run;
        run.series = w_.battery.series;
        run.current_A = out_.effectiveCurrent_A;
        if (w_.charger) run.power_W = w_.charger->maxCharge_W;
        // A charger that is set above its watts gives what they allow.
        if (std::isfinite(run.power_W) && run.power_W < 1e12) run.current_A = out_.current_A;
        run.set_V = out_.setPerCell_V;
        run.cutoff_A = out_.cutoff_A;
        const auto with = [&](double ohms, double share, double soc) {
            run.resistance_ohm = w_.resistance_ohm > 0 ? w_.resistance_ohm
                                                       : ohms * c_.resistance_ohmAh / capacity_Ah_;
            run.capacity_Ah = capacity_Ah_ * share;
            run.fromSoc = soc;
            return runCharge(c_, run);
        };
        const ChargeRun likely = with(1, 1, from_);
        out_.knee_s = likely.knee_s;
        out_.time_s = {with(kLowOhms, 0.85, atLeastFrom_).time_s, likely.time_s,
                       with(kHighOhms, 1.05, from_).time_s};
        if (out_.time_s[0] > out_.time_s[1]) std::swap(out_.time_s[0], out_.time_s[1]);
        out_.time_s[2] = std::max(out_.time_s[2], out_.time_s[1]);
        out_.capacityLimit_mAh = stepUp(1000 * capacity_Ah_ * backstopShare(c_, rate_), step_mAh_);
        out_.reasons["capacity_limit_mAh"] =
            phrase("A backstop: the capacity and a tenth, rounded up.");
        return {};
    }

    /// The current at which a lithium charge ends: C/20, or what the charger has nearest to it, and
    /// well under the current that flows, which would end it at once. Errors: a charger whose
    /// cut-offs all lie above that.
    Expected<void> cutoff() {
        const double flows = out_.effectiveCurrent_A;
        constexpr double kUsual = 20;
        constexpr double kMostShare = 0.6;
        double divisor = kUsual;
        if (w_.charger && !w_.charger->cutoffs.empty()) {
            const auto fits = [&](double share) {
                double best = 0;
                for (const double d : w_.charger->cutoffs) {
                    if (!(capacity_Ah_ / d <= share * flows)) continue;
                    // The nearest that is offered, the fuller of two.
                    const auto far = [](double x) {
                        return std::abs(std::log(x / kUsual)) - 1e-6 * x;
                    };
                    if (best == 0 || far(d) < far(best)) best = d;
                }
                return best;
            };
            divisor = fits(kMostShare);
            if (divisor == 0) divisor = fits(0.95);
            if (divisor == 0) {
                const double least = capacity_Ah_ / *std::ranges::max_element(w_.charger->cutoffs);
                return fail(ErrorKind::InvalidArgument,
                            phrase("{} ends a charge at {:.3g} A or more: {:.3g} A would be ended "
                                   "at once.",
                                   w_.charger->name, least, flows),
                            {}, phrase("a current over {:.3g} A.", least / kMostShare));
            }
        } else if (capacity_Ah_ / kUsual > kMostShare * flows) {
            out_.cutoff_A = 0.5 * flows;
            out_.reasons["cutoff_A"] =
                phrase("Half of the charge current: C/20 would end so slow a charge at once.");
            return {};
        }
        out_.cutoff_A = capacity_Ah_ / divisor;
        out_.reasons["cutoff_A"] = phrase(
            "C/{:.0f}: nearly full; C/10 ends sooner with about two per cent less.", divisor);
        return {};
    }

    void nickel() {
        const double share = backstopShare(c_, rate_);
        // Slow charges are ended by the clock: only what is missing, where the level is known.
        const PeakIs peak = peakAt(rate_);
        const double missing = peak == PeakIs::Sure || told_ < 0 ? 1 : 1 - from_;
        const double most_mAh = 1000 * capacity_Ah_ * share * missing;
        out_.capacityLimit_mAh = std::max(step_mAh_, stepUp(most_mAh, step_mAh_));
        if (peak != PeakIs::None) out_.peakDrop_mV = 1000 * c_.peakDrop_V;
        const double hours = capacity_Ah_ / out_.effectiveCurrent_A;
        switch (peak) {
            case PeakIs::Sure:
                out_.reasons["peak_drop_mV_per_cell"] =
                    phrase("−ΔV of {:.0f} mV a cell ends it.", out_.peakDrop_mV);
                out_.reasons["capacity_limit_mAh"] = phrase(
                    "A backstop: 120 % of the capacity, rounded up; set below what the charge "
                    "takes it would never let the peak come.");
                // No charge lasts longer than its limit lets it.
                out_.time_s = {3600 * hours * std::max(0.0, 0.85 - atLeastFrom_),
                               3600 * hours * (1 - from_) * 1.08,
                               3600 * hours * std::min(share, (1 - from_) * 1.3)};
                break;
            case PeakIs::MayBeMissed:
                out_.reasons["peak_drop_mV_per_cell"] = phrase(
                    "At {:.2f}C the peak may be missed: the timer and the charge end it.", rate_);
                [[fallthrough]];
            case PeakIs::None:
                out_.reasons["capacity_limit_mAh"] =
                    share > 1.5 ? phrase(
                                      "160 % of what it holds, as IEC 61951-2 charges: 16 h at "
                                      "0.1C.")
                                : phrase("120 % of what it holds ends it, with the timer.");
                out_.time_s = {3600 * hours * share * missing * (told_ >= 0 ? 1 : 0.8),
                               3600 * hours * share * missing, 3600 * hours * share * missing};
                out_.cautions.push_back(
                    told_ >= 0
                        ? phrase("There is no peak to be caught so slowly: the timer ends it.")
                        : phrase("There is no peak to be caught so slowly: the timer ends it, and "
                                 "it counts from empty. A part-full one is overcharged: discharge "
                                 "it first, or tell its level."));
                break;
        }
    }

    void lifeWords() {
        if (c_.nickel() || c_.flat) return;
        // Range against life at a glance.
        std::string words;
        for (const double under : {0.1, 0.2}) {
            const double volts = c_.set_V - under;
            words += (words.empty() ? "" : " ") +
                     phrase(
                         "To {:.2f} V a cell: {:.0f} % of the charge, {:.1f} to {:.1f} times "
                         "the cycles.",
                         volts, 100 * c_.ocv.soc(volts) / c_.fullSoc, std::pow(1.5, under / 0.1),
                         std::pow(2.5, under / 0.1));
        }
        out_.reasons["life"] = words + " " + phrase("(Common practice, no source.)");
    }

    /// What is known of this charge otherwise goes before usual figures; the charge limit still
    /// acts.
    void knownTime() {
        if (!w_.known || limits_.gently || !(w_.known->time_s[1] > 0)) return;
        constexpr double kSame = 0.1;
        if (std::abs(out_.effectiveCurrent_A / w_.known->current_A - 1) > kSame) return;
        if (c_.nickel() && peakAt(rate_) != PeakIs::Sure) return;  // the clock ends it
        // The knee lies where it lies in the usual run, unless the model says it.
        out_.knee_s = std::isfinite(w_.known->knee_s)
                          ? w_.known->knee_s
                          : out_.knee_s * w_.known->time_s[1] / out_.time_s[1];
        out_.time_s = w_.known->time_s;
        out_.timeFrom = w_.known->from;
        const double most_s = 3.6 * out_.capacityLimit_mAh / out_.effectiveCurrent_A;
        if (c_.nickel())
            for (double& t : out_.time_s) t = std::min(t, most_s);
        out_.reasons["time_s"] = w_.known->words;
        known_ = true;
    }

    /// Behind the latest end, in steps of five minutes; of a nickel charge that only the clock
    /// ends, the end itself.
    void timer() {
        const bool clockEnds = c_.nickel() && peakAt(rate_) != PeakIs::Sure;
        const double margin = clockEnds ? 1 : 1.15;
        out_.timer_min = std::max(5.0, 5 * std::ceil(out_.time_s[2] / 60 * margin / 5 - 1e-6));
        out_.reasons["timer_min"] =
            clockEnds ? phrase("It ends the charge: {:.3g} A for so long are {:.0f} mAh.",
                               out_.effectiveCurrent_A, out_.capacityLimit_mAh)
                      : phrase("A backstop: a seventh behind the latest end that is expected.");
        if (w_.charger && out_.timer_min > w_.charger->maxTimer_min) {
            out_.timer_min = w_.charger->maxTimer_min;
            out_.reasons["timer_min"] = phrase("The longest that the charger offers.");
            if (out_.timer_min * 60 < out_.time_s[1])
                out_.cautions.push_back(phrase(
                    "The charger's timer ends it before it is full: it must be begun again."));
        }
        if (limits_.gently) {
            out_.timer_min = std::min(out_.timer_min, limits_.minutes);
            out_.reasons["timer_min"] =
                phrase("The gentle start: is it above {:.2f} V a cell then, plan again.",
                       c_.overdrained_V);
            for (double& t : out_.time_s) t = std::min(t, 60 * limits_.minutes);
            out_.capacityLimit_mAh =
                stepUp(1000 * out_.effectiveCurrent_A * limits_.minutes / 60, step_mAh_);
            out_.reasons["capacity_limit_mAh"] =
                phrase("What the gentle start puts in until then.");
            out_.knee_s = std::numeric_limits<double>::quiet_NaN();
        }
    }

    void ends() {
        const bool peak = c_.nickel() && peakAt(rate_) == PeakIs::Sure;
        if (limits_.gently)
            out_.endsBy = {"timer", "temperature"};
        else if (!c_.nickel())
            out_.endsBy = {"taper", "timer", "charge_limit", "temperature"};
        else if (peak)
            out_.endsBy = {"negative_delta_v", "timer", "charge_limit", "temperature"};
        else
            out_.endsBy = {"timer", "charge_limit", "temperature"};
        if (c_.nickel() && rate_ >= kRiseFrom_C - 1e-6 && !limits_.gently) {
            out_.rise_Cmin = kRise_Cmin;
            out_.endsBy.emplace_back("dtdt");
            out_.reasons["rise_C_per_min"] = phrase(
                "A rise of {:.0f} °C a minute ends it as well: from 0.5C the warmth tells "
                "full first.",
                kRise_Cmin);
        }
        out_.reasons["temperature_cutoff_C"] =
            limits_.gently
                ? phrase("The gentle start ends there: it is not well.")
                : phrase("A sensor on its skin ends the charge there; the core is warmer.");
    }

    void timeWords() {
        if (known_) return;
        out_.reasons["time_s"] =
            limits_.gently ? phrase("The gentle start, then it is looked at again.")
            : w_.fromSoc >= 0
                ? phrase(
                      "From {:.0f} % by the chemistry's usual curve and {}; its own model would "
                      "say it closer.",
                      100 * from_,
                      w_.resistance_ohm > 0 ? phrase("the measured resistance")
                                            : phrase("a usual resistance"))
            : told_ >= 0
                ? phrase(
                      "From about {:.0f} %, by {:.2f} V a cell at rest and the chemistry's "
                      "usual curve.",
                      100 * from_, out_.triage.cell_V)
                : phrase(
                      "From empty, at the least from a fifth: the level before is not known. "
                      "By the chemistry's usual curve.");
    }

    void supply() {
        const double volts = c_.nickel() ? 1.5 * w_.battery.series : out_.set_V;
        double watts = out_.effectiveCurrent_A * volts;
        if (w_.charger) watts = std::min(watts, w_.charger->maxCharge_W);
        out_.supply_W = watts / 0.85;
        out_.reasons["supply_W"] = phrase(
            "What the supply must give, at 85 % in the charger (common practice, no source); at 12 "
            "V that is {:.2g} A.",
            out_.supply_W / 12);
        if (!(w_.fieldBattery_Wh > 0)) return;
        // Used to four fifths; 85 % arrive in the charger, and of a charge 95 % come (lithium) or
        // 75 % (nickel): common practice, no source.
        const double one = c_.nominal_V * w_.battery.series * capacity_Ah_ * (1 - from_) /
                           (c_.nickel() ? 0.75 : 0.95) / 0.85;
        out_.fills = one > 0 ? 0.8 * w_.fieldBattery_Wh / one : out_.fills;
        out_.reasons["fills"] = phrase(
            "A field battery of {:.0f} Wh, used to four fifths, fills {:.1f} of these; one takes "
            "{:.0f} Wh out of it (common practice, no source).",
            w_.fieldBattery_Wh, out_.fills, one);
    }

    const ChargeWish& w_;
    const Chemistry& c_;
    const GateLimits limits_;
    const double capacity_Ah_;
    bool known_ = false;
    double rate_ = 0, told_ = -1, from_ = 0, atLeastFrom_ = 0, step_mAh_ = 1;
    ChargePlan out_;
};

}  // namespace

Expected<ChargePlan> planCharge(const ChargeWish& wish) {
    auto limits = askGate(wish.state(), wish.act(Act::Charge));
    if (!limits) return tl::unexpected<Error>(limits.error());
    return Planner(wish, std::move(*limits)).plan();
}

std::string endsWords(const ChargePlan& p) {
    const std::string backstops = phrase("{:.0f} mAh, {:.0f} min or {:.0f} °C at the most",
                                         p.capacityLimit_mAh, p.timer_min, p.temperatureEnd_C);
    const std::string& first = p.endsBy.front();
    if (first == "negative_delta_v")
        return phrase("−ΔV of {:.0f} mV a cell", p.peakDrop_mV) + "; " + backstops;
    if (first == "taper")
        return phrase("{:.3f} V a cell, cut-off {:.3g} A", p.setPerCell_V, p.cutoff_A) + "; " +
               backstops;
    return phrase("{:.1f} h by the timer", p.timer_min / 60) + "; " + backstops;
}

double levelAfter(const ChargeWish& wish, const ChargePlan& plan, double time_s) {
    const Chemistry& c = *wish.battery.chemistryData();
    const double capacity = wish.reference_Ah();
    const double from = std::max(0.0, plan.fromSoc);
    if (c.nickel()) return std::min(1.0, from + plan.effectiveCurrent_A * time_s / 3600 / capacity);
    ChargeRunSetting run;
    run.series = wish.battery.series;
    run.current_A = plan.effectiveCurrent_A;
    if (wish.charger && std::isfinite(wish.charger->maxCharge_W)) {
        run.power_W = wish.charger->maxCharge_W;
        run.current_A = plan.current_A;
    }
    run.set_V = plan.setPerCell_V;
    run.cutoff_A = plan.cutoff_A;
    run.capacity_Ah = capacity;
    run.resistance_ohm =
        wish.resistance_ohm > 0 ? wish.resistance_ohm : c.resistance_ohmAh / capacity;
    run.fromSoc = from;
    run.longest_s = time_s;
    return std::clamp(runCharge(c, run).soc, from, 1.0);
}

}  // namespace nk
