#include "audit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/finish/charge_left.h"
#include "analysis/finish/nickel.h"
#include "analysis/finish/relaxation.h"
#include "analysis/finish/stop_moment.h"
#include "analysis/finish/taper.h"
#include "quantity/format.h"

namespace nk {

double medianVoltage(const AnalysisInput& in, const Step& s) {
    const auto v = in.recording.voltage_V();
    std::vector<double> values;
    const std::size_t stride = std::max<std::size_t>(1, (s.last - s.first) / 4000);
    for (std::size_t k = s.first; k <= s.last; k += stride) values.push_back(v[k]);
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

namespace {

double meanOf(std::span<const double> column, std::size_t first, std::size_t last) {
    double sum = 0;
    for (std::size_t k = first; k <= last; ++k) sum += column[k];
    return sum / static_cast<double>(last - first + 1);
}

/// The end of a constant-voltage step with a current that has stopped falling, if there is one.
struct Plateau {
    bool found = false;
    std::size_t first = 0;
    double current_A = 0, length_s = 0;
};

Plateau plateauOf(const AnalysisInput& in, const Step& s) {
    Plateau p;
    const auto t = in.recording.time_s();
    const auto i = in.recording.current_A();
    const ChannelQuality& q = in.recording.currentQuality();
    if (t[s.last] - t[s.first] < 3600) return p;
    // The last hour in six parts: it stands when their means stay in a band above zero.
    const std::size_t from = in.recording.lowerBound(t[s.last] - 3600);
    const std::size_t count = s.last - from + 1;
    if (count < 12) return p;
    double low = 1e300, high = -1e300;
    for (std::size_t part = 0; part < 6; ++part) {
        const double m = meanOf(i, from + part * count / 6, from + (part + 1) * count / 6 - 1);
        low = std::min(low, m), high = std::max(high, m);
    }
    const double mean = meanOf(i, from, s.last);
    const double uncertain =
        q.noise / std::sqrt(static_cast<double>(count) / 6) * 3 + 0.3 * q.resolution;
    const bool above = low > std::max(uncertain, 0.5 * q.resolution);
    const bool steady = high - low < std::max(0.35 * mean, 2 * uncertain);
    if (!above || !steady) return p;
    p.found = true;
    p.current_A = mean;
    // As far back as it already stood.
    std::size_t first = from;
    const std::size_t window = std::max<std::size_t>(1, count / 12);
    while (first > s.first + window &&
           meanOf(i, first - window, first - 1) < 1.35 * mean + uncertain)
        first -= window;
    p.first = first;
    p.length_s = t[s.last] - t[first];
    return p;
}

/// How far the cells lie apart at a sample, V; NaN without cell columns.
double spreadAt(const AnalysisInput& in, std::size_t k) {
    const auto& cells = in.recording.cells_V();
    if (cells.size() < 2) return kNaN;
    double low = 1e300, high = -1e300;
    for (const auto& cell : cells) {
        const std::size_t a = k >= 2 ? k - 2 : 0;
        const std::size_t b = std::min(cell.size() - 1, k + 2);
        const double m = meanOf(cell, a, b);
        low = std::min(low, m), high = std::max(high, m);
    }
    return high - low;
}

/// How long a charge was held at its set voltage after its current had fallen under C/20.
struct HeldOn {
    double since_s = 0, length_s = 0, cutoff_A = 0;
};
/// More than this is no late stop but a charger that holds on (common practice, no source).
constexpr double kHeldTooLong_s = 7200;

HeldOn heldOn(const AnalysisInput& in, const Step& s) {
    HeldOn out;
    if (in.battery.capacity_Ah() <= 0) return out;
    const auto t = in.recording.time_s();
    const auto i = in.recording.current_A();
    out.cutoff_A = in.battery.capacity_Ah() / 20;
    // From behind: the last moment at which it was not yet under it.
    std::size_t k = s.last + 1;
    while (k > s.first && i[k - 1] < out.cutoff_A) --k;
    if (k > s.last) return out;
    out.since_s = t[k];
    out.length_s = s.end_s - t[k];
    return out;
}

bool converging(const AnalysisInput& in, const Plateau& p, const Step& s) {
    const double before = spreadAt(in, p.first);
    const double after = spreadAt(in, s.last);
    return std::isfinite(before) && before > 0.004 && after < 0.8 * before;
}

}  // namespace

void checkNotTerminated(const AnalysisInput& in, std::vector<Finding>& out) {
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (s.kind != StepKind::CvCharge) continue;
        const Plateau p = plateauOf(in, s);
        if (const HeldOn held = heldOn(in, s);
            held.length_s > kHeldTooLong_s && !(p.found && converging(in, p, s))) {
            out.push_back(
                {Severity::Verdict,
                 "not_terminated",
                 phrase(
                     "The charger did not stop: full (C/20, {}) after {}, it was held at {:.3f} V "
                     "a cell for another {}.",
                     shortValue(held.cutoff_A, "A"), durationText(held.since_s),
                     in.perCell(medianVoltage(in, s)), durationText(held.length_s)),
                 phrase("Holding a lithium battery at its set voltage wears it. Unplug it, put a "
                        "timer behind it as a backstop, or use a charger that cuts off."),
                 {held.since_s, s.end_s, static_cast<int>(k)}});
            continue;
        }
        if (!p.found || converging(in, p, s)) continue;
        out.push_back(
            {Severity::Verdict,
             "not_terminated",
             phrase("The charger did not stop: for {} it held the set voltage with "
                    "a current that no longer fell, about {}.",
                    durationText(p.length_s), shortValue(p.current_A, "A")),
             phrase("Holding a lithium battery at its set voltage wears it. Unplug it, put a "
                    "timer behind it as a backstop, or use a charger that cuts off."),
             {in.recording.time_s()[p.first], s.end_s, static_cast<int>(k)}});
    }
}

void checkBalancing(const AnalysisInput& in, std::vector<Finding>& out) {
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (s.kind != StepKind::CvCharge) continue;
        const Plateau p = plateauOf(in, s);
        if (!p.found || !converging(in, p, s)) continue;
        out.push_back({Severity::Note,
                       "balancing",
                       phrase("A small steady current, about {}, at the end while the cells came "
                              "together from {:.0f} to {:.0f} mV apart: the balancer at work.",
                              shortValue(p.current_A, "A"), 1e3 * spreadAt(in, p.first),
                              1e3 * spreadAt(in, s.last)),
                       phrase("This is no fault. Let it finish now and then; it gives back what "
                              "the drift of the "
                              "cells took."),
                       {in.recording.time_s()[p.first], s.end_s, static_cast<int>(k)}});
    }
}

void checkStoppedEarly(const AnalysisInput& in, std::vector<Finding>& out) {
    if (in.battery.capacity_Ah() <= 0) return;
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (s.kind != StepKind::CvCharge || s.endedBy == EndedBy::EndOfLog) continue;
        if (k + 1 < in.steps.list.size() && in.steps.list[k + 1].isCharge()) continue;
        // At the stop itself: at rows far apart the last ones are long before it.
        const StopCurrent stop = stopCurrentOf(in.recording, in.accuracy, s);
        const double end = stop.value_A;
        const double most = 1.1 * in.battery.capacity_Ah() / 10;
        if (end <= most || stop.low_A() <= in.battery.capacity_Ah() / 10) continue;
        std::string text = phrase(
            "The charge stopped early: at {} (C/{:.1f}), before the current had tapered to C/10.",
            shortValue(end, "A"), in.battery.capacity_Ah() / end);
        const ChargeLeft& left = chargeLeftOf(in, static_cast<int>(k));
        if (std::isfinite(left.left_Ah))
            text += phrase(
                " About {} more would have gone in at this voltage.",
                valueText(left.left_Ah, left.coverage * left.uncertainty_Ah / 2, "Ah").joined());
        out.push_back({Severity::Verdict,
                       "stopped_early",
                       text,
                       phrase("A lower cut-off current fills it; a higher set voltage does not "
                              "help and costs life."),
                       {s.start_s, s.end_s, static_cast<int>(k)}});
    }
}

void checkTopsUp(const AnalysisInput& in, std::vector<Finding>& out) {
    // After a charge that reached its set voltage: three or more short charges with rests between.
    const auto& list = in.steps.list;
    const Chemistry* c = in.chemistry();
    if (c == nullptr || c->nickel()) return;
    std::size_t k = 0;
    while (k < list.size()) {
        if (list[k].kind != StepKind::CvCharge) {
            ++k;
            continue;
        }
        const double main = list[k].endVoltage_V;
        int tops = 0;
        std::size_t next = k + 1;
        std::size_t last = k;
        // Between them it rests, or a small load beside it takes a little.
        const auto between = [&](const Step& s) {
            constexpr double kLittle = 0.05;
            return s.kind == StepKind::Rest ||
                   (s.isDischarge() && in.battery.capacity_Ah() > 0 &&
                    std::abs(s.sum.charge_Ah) < kLittle * in.battery.capacity_Ah());
        };
        while (next + 1 < list.size() && between(list[next]) && list[next + 1].isCharge() &&
               list[next + 1].endVoltage_V > 0.99 * main) {
            ++tops;
            last = next + 1;
            next += 2;
            while (next < list.size() && list[next].isCharge()) last = next++;
        }
        if (tops >= 2)
            out.push_back(
                {Severity::Verdict,
                 "tops_up",
                 phrase("After the end of the charge the charger topped up again {} times.", tops),
                 phrase("Kept at the top like this a battery ages faster. Take it off the charger "
                        "when it "
                        "is full."),
                 {list[k].end_s, list[last].end_s, static_cast<int>(k)}});
        k = std::max(next, k + 1);
    }
}

void checkNoPeak(const AnalysisInput& in, std::vector<Finding>& out) {
    for (const NickelCharge& c : nickelCharges(in)) {
        if (c.peaked) continue;
        const Step& s = in.steps.list[static_cast<std::size_t>(c.step)];
        const bool cutShort =
            in.battery.capacity_Ah() > 0 && c.charge_Ah < 0.9 * in.battery.capacity_Ah();
        // What the reading cannot tell the finding does not know either.
        constexpr double kPlain_V = 1.01e-3;
        const bool told = c.needed_V <= kPlain_V && s.endedBy != EndedBy::NegativeDeltaV &&
                          s.endedBy != EndedBy::ZeroDeltaV;
        std::string text =
            told ? phrase("No voltage peak in this charge of {}.", shortValue(c.charge_Ah, "Ah"))
                 : phrase(
                       "This log cannot tell whether this charge of {} passed a peak: a fall of "
                       "less than {:.3g} mV a cell does not stand out of its steps and its "
                       "noise.",
                       shortValue(c.charge_Ah, "Ah"), 1e3 * c.needed_V);
        std::string advice;
        if (!told)
            advice = phrase(
                "Log the voltage in steps of 1 mV, every few seconds, to see the peak, and keep a "
                "temperature rule and a timer as a backstop.");
        else if (c.rate_C < 0.3)
            advice = phrase(
                "At this low rate there often is none: stop by temperature or by a timer counted "
                "from empty.");
        else if (in.battery.charger.charge_Ah > 0 &&
                 std::abs(c.charge_Ah - in.battery.charger.charge_Ah) <
                     0.03 * in.battery.charger.charge_Ah)
            advice = phrase(
                "The charger's capacity limit of {} stopped it. Set the limit above the cell's "
                "true capacity, so that the peak can come first.",
                shortValue(in.battery.charger.charge_Ah, "Ah"));
        else if (cutShort)
            advice = phrase(
                "It ended before a peak could come. If a capacity limit of the charger stopped it, "
                "set that above the cell's true capacity.");
        else
            advice = phrase(
                "The charger would not see the end by voltage. Use a temperature rule and a timer "
                "as a backstop.");
        out.push_back({Severity::Verdict, "no_peak", text, advice, {s.start_s, s.end_s, c.step}});
    }
}

void checkFalsePeak(const AnalysisInput& in, std::vector<Finding>& out) {
    for (const NickelCharge& c : nickelCharges(in)) {
        if (!std::isfinite(c.falseEarly_s)) continue;
        const Step& s = in.steps.list[static_cast<std::size_t>(c.step)];
        const bool stopped = s.end_s - s.start_s < kHoldOff_s;
        out.push_back({stopped ? Severity::Verdict : Severity::Note,
                       "false_peak",
                       phrase("A false early peak {} after the start{}.",
                              durationText(c.falseEarly_s - s.start_s),
                              stopped ? phrase(", and the charge stopped on it") : ""),
                       stopped
                           ? phrase("Start it again; a rested or very empty nickel cell often does "
                                    "this. A hold-off of ten minutes prevents it.")
                           : phrase("A charger without a hold-off of ten minutes could stop here."),
                       {s.start_s, std::min(s.end_s, s.start_s + kHoldOff_s), c.step}});
    }
}

void checkOvercharged(const AnalysisInput& in, std::vector<Finding>& out) {
    for (const NickelCharge& c : nickelCharges(in)) {
        const double reference =
            in.battery.capacity_Ah() > 0 ? in.battery.capacity_Ah() : c.charge_Ah;
        const bool afterPeak = c.peaked && c.afterPeak_Ah > 0.1 * reference;
        // 16 h at 0.1C is the standard's full charge of nickel (IEC 61951-2): 160 %.
        const bool tooMuch =
            in.battery.capacity_Ah() > 0 && c.charge_Ah > 1.65 * in.battery.capacity_Ah();
        if (!afterPeak && !tooMuch) continue;
        const Step& s = in.steps.list[static_cast<std::size_t>(c.step)];
        std::string text = afterPeak ? phrase("Overcharged: {} went in after the peak",
                                              shortValue(c.afterPeak_Ah, "Ah"))
                                     : phrase("Overcharged: {:.0f} % of the rating went in",
                                              100 * c.charge_Ah / in.battery.capacity_Ah());
        if (std::isfinite(c.rise_C) && c.rise_C > 5)
            text += phrase(", and it warmed by {:.0f} K", c.rise_C);
        out.push_back(
            {Severity::Verdict,
             "overcharged",
             text + ".",
             phrase("Overcharge turns into heat and wear. Stop at the peak; a timer charger "
                    "does not know what was in the cell before."),
             {afterPeak ? c.peak_s : s.start_s, s.end_s, c.step}});
    }
}

void checkFirstMinute(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr || c->nickel()) return;
    const auto& list = in.steps.list;
    for (std::size_t k = 0; k < list.size(); ++k) {
        if (list[k].kind != StepKind::CvCharge) continue;
        const bool ccBefore = k > 0 && list[k - 1].isCharge();
        const Step& first = ccBefore ? list[k - 1] : list[k];
        if (ccBefore && first.end_s - first.start_s > 60) continue;
        const std::size_t before = (ccBefore ? k - 1 : k);
        if (before == 0 || list[before - 1].kind != StepKind::Rest)
            continue;  // what came before is not known
        const double rested = in.perCell(list[before - 1].endVoltage_V);
        const double soc = c->ocv.soc(rested);
        if (soc > 0.85) continue;  // a top-up of a nearly full battery
        const double temp =
            in.recording.hasTemperature() ? in.recording.temperature_C()[first.first] : kNaN;
        out.push_back(
            {Severity::Verdict,
             "worn",
             phrase(
                 "The set voltage was reached within the first minute, at about {:.0f} % charge{}.",
                 100 * soc, std::isfinite(temp) ? phrase(" and {} °C", fixed(temp, 0)) : ""),
             std::isfinite(temp) && temp < 10
                 ? phrase("The battery is cold: warm it, then charge. If it "
                          "stays so when warm, its resistance is high.")
                 : phrase("Its resistance is high: the battery is worn, or a "
                          "contact is poor. Charge with less current."),
             {first.start_s, list[k].start_s + 60, static_cast<int>(k)}});
    }
}

void checkOverdrainedStart(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    if (c == nullptr) return;
    const auto& list = in.steps.list;
    for (std::size_t k = 1; k < list.size(); ++k) {
        if (!list[k].isCharge() || list[k - 1].kind != StepKind::Rest) continue;
        const double rested = in.perCell(list[k - 1].endVoltage_V);
        const double doubt = in.accuracy.voltageGain * std::abs(rested) +
                             in.accuracy.voltageOffsetSteps *
                                 in.recording.voltageQuality().resolution / in.battery.cells();
        if (!c->overdrained(rested, doubt)) continue;
        const bool out_ = !c->nickel() && c->outOfUse(rested, doubt);
        // What answers a small current with a leap of volts has no plates left, or no contact.
        constexpr double kDead = 20;
        const std::size_t first = std::min(list[k].first + 1, list[k].last);
        const double amps = in.recording.current_A()[first];
        const double ohm = amps > in.steps.restThreshold_A
                               ? (in.perCell(in.recording.voltage_V()[first]) - rested) / amps
                               : kNaN;
        const bool dead = in.battery.capacity_Ah() > 0 &&
                          ohm * in.battery.capacity_Ah() > kDead * c->resistance_ohmAh;
        std::string advice;
        if (dead)
            advice = phrase(
                "It answered {:.3g} A with {:.2f} V more a cell, {:.2g} ohm: dried out, or a poor "
                "contact. Clean the contacts and measure again; stays it so, recycle it: nothing "
                "rescues it.",
                amps, ohm * amps, ohm);
        else if (c->nickel())
            advice = phrase(
                "Rescue it at 0.1C or less, attended and for a limited time, to 1.0 V a cell; "
                "damage may remain, and a pack's mean can hide a reversed cell.");
        else if (out_)
            advice = phrase(
                "A lithium cell under this voltage is out of use. Do not charge it; recycle it by "
                "the local rules.");
        else
            advice = phrase(
                "Start with a tenth of the usual current, attended, until it is over its floor; "
                "stop if it warms.");
        out.push_back({out_ && !in.assumed("chemistry") ? Severity::Hazard : Severity::Verdict,
                       "overdrained_start",
                       phrase("The charge began over-drained: {:.2f} V a cell at rest. {} "
                              "should not rest under {:.2f} V.",
                              rested, c->name(), c->overdrained_V),
                       advice,
                       {list[k - 1].start_s, std::min(list[k].end_s, list[k].start_s + 300),
                        static_cast<int>(k)}});
    }
}

void checkGoodFinish(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* own = in.chemistry();
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (s.kind != StepKind::CvCharge || s.endedBy != EndedBy::Taper ||
            in.battery.capacity_Ah() <= 0)
            continue;
        // Topping up, and what is held on for hours, is no good finish.
        double put_Ah = s.sum.charge_Ah;
        for (std::size_t b = k; b > 0 && in.steps.list[b - 1].isCharge(); --b)
            put_Ah += in.steps.list[b - 1].sum.charge_Ah;
        constexpr double kTopUp = 0.05;
        if (put_Ah < kTopUp * in.battery.capacity_Ah() || heldOn(in, s).length_s > kHeldTooLong_s)
            continue;
        const double end = stopCurrentOf(in.recording, in.accuracy, s).value_A;
        if (end > 1.1 * in.battery.capacity_Ah() / 10) continue;
        const double perCell = medianVoltage(in, s) / in.battery.cells();
        if (own == nullptr || perCell > own->fault_V || std::abs(perCell - own->set_V) > 0.05)
            continue;
        const double denominator = in.battery.capacity_Ah() / std::max(end, 1e-9);
        const std::string school = denominator < 15   ? phrase("quick")
                                   : denominator < 28 ? phrase("usual")
                                                      : phrase("patient");
        std::string text = phrase("Stopped at {}, C/{:.0f}, with {:.2f} V a cell: {}",
                                  shortValue(end, "A"), denominator, perCell, school);
        const Fullness full = fullnessOf(in, static_cast<int>(k));
        if (std::isfinite(full.share))
            text += phrase(", {:.1f} % of what this voltage holds", 100 * full.share);
        out.push_back({Severity::Verdict,
                       "good_finish",
                       text + ".",
                       "",
                       {s.start_s, s.end_s, static_cast<int>(k)}});
    }
}

}  // namespace nk
