#include "rule_moves.h"

#include <fmt/format.h>

#include "analysis/finish/rule_view.h"
#include "quantity/format.h"

namespace nk {

namespace {

using Kind = StopCondition::Kind;

std::string trimmedNumber(double x) {
    return fmt::format("{:.4g}", x);
}

std::string timeText(double seconds) {
    if (seconds >= 5400) return trimmedNumber(seconds / 3600) + "h";
    if (seconds >= 60) return trimmedNumber(seconds / 60) + "min";
    return trimmedNumber(seconds) + "s";
}

}  // namespace

std::string conditionText(const StopCondition& c) {
    switch (c.kind) {
        case Kind::NegativeDeltaV:
            return "-dv:" + trimmedNumber(1e3 * c.threshold) + "mV";
        case Kind::ZeroDeltaV:
            return "0dv:" + timeText(c.threshold) +
                   (c.rise_V > 0 ? ":" + trimmedNumber(1e3 * c.rise_V) + "mV" : "");
        case Kind::Inflection:
            return "inflection";
        case Kind::DTdt:
            return "dtdt:" + trimmedNumber(c.threshold) + "C/min";
        case Kind::DeltaT:
            return "dt:" + trimmedNumber(c.threshold) + "C";
        case Kind::MaxTemperature:
            return "tmax:" + trimmedNumber(c.threshold) + "C";
        case Kind::MaxVoltage:
            return "vmax:" + trimmedNumber(c.threshold) + "V";
        case Kind::Timer:
            return "timer:" + timeText(c.threshold);
        case Kind::Input:
            return "input:" + trimmedNumber(100 * c.threshold) + "%";
        case Kind::Taper:
            return c.taperFraction > 0 ? "taper:C/" + trimmedNumber(1 / c.taperFraction)
                                       : "taper:" + trimmedNumber(c.threshold) + "A";
    }
    return {};
}

std::string ruleText(const StopRule& rule) {
    std::string out;
    for (const StopCondition& c : rule.conditions)
        out += (out.empty() ? "" : "|") + conditionText(c);
    if (rule.holdOff_s != 600) out += "@holdoff=" + timeText(rule.holdOff_s);
    return out;
}

std::string conditionLabel(const StopCondition& c) {
    switch (c.kind) {
        case Kind::NegativeDeltaV:
            return "−" + trimmedNumber(1e3 * c.threshold) + " mV";
        case Kind::ZeroDeltaV:
            return phrase("flat ") + durationText(c.threshold);
        case Kind::Inflection:
            return phrase("slowing");
        case Kind::DTdt:
            return trimmedNumber(c.threshold) + " °C/min";
        case Kind::DeltaT:
            return "+" + trimmedNumber(c.threshold) + " °C";
        case Kind::MaxTemperature:
            return trimmedNumber(c.threshold) + " °C";
        case Kind::MaxVoltage:
            return trimmedNumber(c.threshold) + " V";
        case Kind::Timer:
            return durationText(c.threshold);
        case Kind::Input:
            return trimmedNumber(100 * c.threshold) + " %";
        case Kind::Taper:
            return c.taperFraction > 0 ? "C/" + trimmedNumber(1 / c.taperFraction)
                                       : shortValue(c.threshold, "A");
    }
    return {};
}

std::string conditionWords(const StopCondition& c) {
    switch (c.kind) {
        case Kind::NegativeDeltaV:
            return phrase("voltage {} mV a cell under its top", trimmedNumber(1e3 * c.threshold));
        case Kind::ZeroDeltaV:
            return phrase("no new top for ") + durationText(c.threshold);
        case Kind::Inflection:
            return phrase("rise of the voltage slows down");
        case Kind::DTdt:
            return phrase("warming by ") + trimmedNumber(c.threshold) + phrase(" °C a minute");
        case Kind::DeltaT:
            return trimmedNumber(c.threshold) + phrase(" °C over the surroundings");
        case Kind::MaxTemperature:
            return trimmedNumber(c.threshold) + phrase(" °C reached");
        case Kind::MaxVoltage:
            return phrase("{} V a cell reached", trimmedNumber(c.threshold));
        case Kind::Timer:
            return phrase("timer of ") + durationText(c.threshold);
        case Kind::Input:
            return trimmedNumber(100 * c.threshold) + phrase(" % of the rating put in");
        case Kind::Taper:
            return c.taperFraction > 0
                       ? phrase("current down to C/") + trimmedNumber(1 / c.taperFraction)
                       : phrase("current down to ") + shortValue(c.threshold, "A");
    }
    return {};
}

Expected<StopCondition> conditionAt(const AnalysisInput& in, const ChargeSpan& charge, Kind kind,
                                    double time_s, double holdOff_s) {
    const auto refuse = [](const std::string& what, const std::string& accepted) {
        return fail(ErrorKind::InvalidArgument, what, "flag", accepted);
    };
    const RuleView w{in,
                     charge,
                     holdOff_s,
                     in.recording.time_s(),
                     in.recording.voltage_V(),
                     in.recording.current_A(),
                     in.recording.temperature_C()};
    const std::size_t at = std::clamp(in.recording.nearest(time_s), charge.first, charge.last);
    StopCondition c;
    c.kind = kind;
    const bool needsHoldOff = kind == Kind::NegativeDeltaV || kind == Kind::ZeroDeltaV ||
                              kind == Kind::DTdt || kind == Kind::Inflection;
    if (needsHoldOff && w.deaf(at))
        return refuse(phrase("This rule is deaf during the hold-off at the start."),
                      phrase("a later moment, or a shorter hold-off."));
    const bool needsTemperature =
        kind == Kind::DTdt || kind == Kind::DeltaT || kind == Kind::MaxTemperature;
    if (needsTemperature && w.temp.empty())
        return refuse(phrase("The log has no temperature."),
                      phrase("a rule on voltage, time or charge."));
    const double cells = in.battery.cells();
    switch (kind) {
        case Kind::NegativeDeltaV: {
            const double window = windowFor(w, in.recording.voltageQuality(), 5e-3 * cells);
            double top = -1e300;
            double drop = 0;
            trailing(w, w.v, window, [&](std::size_t k, double mean) {
                if (w.deaf(k)) return true;
                top = std::max(top, mean);
                drop = std::max(drop, top - mean);
                return k < at;
            });
            if (drop < 1e-3 * cells)
                return refuse(phrase("The voltage has not fallen from its top by this moment."),
                              phrase("a moment after the peak."));
            drop -= beyondRounding(w, in.recording.voltageQuality(), window, drop);
            c.threshold = std::clamp(drop / cells, 2e-3, 20e-3);
            return c;
        }
        case Kind::ZeroDeltaV: {
            const double window = windowFor(w, in.recording.voltageQuality(), 1e-3 * cells);
            double top = -1e300;
            double since = w.start();
            double longest = 0;
            trailing(w, w.v, window, [&](std::size_t k, double mean) {
                if (w.deaf(k)) return true;
                if (mean > top) top = mean, since = w.t[k];
                longest = std::max(longest, w.t[k] - since);
                return k < at;
            });
            if (longest < 30)
                return refuse(phrase("The voltage still rises at this moment."),
                              phrase("a moment at least half a minute after its top."));
            c.threshold = longest;
            return c;
        }
        case Kind::Inflection:
            return refuse(phrase("This rule has no threshold to move."),
                          phrase("dragging another flag; its hold-off can be typed."));
        case Kind::DTdt: {
            double fastest = -1e300;
            slopes(w, w.temp, 120, [&](std::size_t k, double slope) {
                if (!w.deaf(k)) fastest = std::max(fastest, 60 * slope);
                return k < at;
            });
            if (fastest < 0.05)
                return refuse(phrase("It does not warm by this moment."),
                              phrase("a moment while it warms."));
            c.threshold = fastest;
            return c;
        }
        case Kind::DeltaT:
        case Kind::MaxTemperature: {
            double base = 0;
            if (kind == Kind::DeltaT)
                base = in.battery.hasAmbient() ? in.battery.ambient_C : w.temp[charge.first];
            double warmest = -1e300;
            for (std::size_t k = charge.first; k <= at; ++k)
                if (std::isfinite(w.temp[k])) warmest = std::max(warmest, w.temp[k]);
            if (!(warmest - base > 0.2) || warmest < -1e299)
                return refuse(phrase("It has not warmed by this moment."),
                              phrase("a moment when it is warmer."));
            c.threshold = warmest - base;
            return c;
        }
        case Kind::MaxVoltage: {
            const double window = windowFor(w, in.recording.voltageQuality(), 5e-3 * cells);
            double highest = -1e300;
            trailing(w, w.v, window, [&](std::size_t k, double mean) {
                if (!w.deaf(k)) highest = std::max(highest, mean);
                return k < at;
            });
            if (highest < -1e299)
                return refuse(phrase("This rule is deaf during the hold-off at the start."),
                              phrase("a later moment, or a shorter hold-off."));
            c.threshold = highest / cells;
            return c;
        }
        case Kind::Timer:
            c.threshold = w.t[at] - w.start();
            if (c.threshold <= 0)
                return refuse(phrase("A timer needs some time."), phrase("a later moment."));
            return c;
        case Kind::Input: {
            if (in.battery.rated_Ah <= 0)
                return refuse(phrase("The rated capacity is not given."),
                              phrase("a capacity on the battery card."));
            c.threshold = charge.chargeUntil_Ah(at) / in.battery.rated_Ah;
            if (c.threshold <= 0)
                return refuse(phrase("Nothing went in yet."), phrase("a later moment."));
            return c;
        }
        case Kind::Taper: {
            double sum = 0;
            double n = 0;
            for (std::size_t k = at >= 2 ? at - 2 : 0; k <= std::min(at + 2, charge.last); ++k)
                sum += w.i[k], ++n;
            c.threshold = sum / n;
            if (c.threshold <= 0)
                return refuse(phrase("No current flows here."), phrase("an earlier moment."));
            if (in.battery.capacity_Ah() > 0) {
                c.taperFraction = c.threshold / in.battery.capacity_Ah();
                c.threshold = 0;
            }
            return c;
        }
    }
    return refuse(phrase("This rule is not known."), phrase("one of the listed rules."));
}

std::vector<StopRule> defaultRules(const Battery& battery) {
    std::vector<std::string> texts = battery.rules;
    if (texts.empty()) {
        const Chemistry* c = battery.chemistryData();
        if (c != nullptr && c->nickel())
            // Rules of methods.md §5 with their defaults there.
            texts = {fmt::format("-dv:{:.0f}mV", 1000 * c->peakDrop_V),
                     "0dv:5min",
                     "inflection",
                     "dtdt:1C/min",
                     "dt:15C",
                     "tmax:50C",
                     "input:120%"};
        else
            texts = {"taper:C/5", "taper:C/10", "taper:C/20", "taper:C/30", "taper:C/50"};
    }
    std::vector<StopRule> out;
    for (const std::string& text : texts)
        if (auto rule = parseRule(text)) out.push_back(std::move(*rule));
    return out;
}

}  // namespace nk
