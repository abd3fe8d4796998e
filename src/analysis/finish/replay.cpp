#include "replay.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/finish/nickel.h"
#include "analysis/finish/rule_view.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

struct Outcome {
    Fired fired = Fired::No;
    std::size_t sample = 0;
    double time_s = kNaN;
    std::string caveat;
};

double noiseAfter(const RuleView& w, const ChannelQuality& q, double window) {
    return q.noise / std::sqrt(std::max(1.0, window / w.interval()));
}

/// A resolution step that hides the threshold, without noise that would dither it.
bool tooCoarse(const ChannelQuality& q, double delta) {
    return q.resolution > 1.05 * delta && q.noise < 0.35 * q.resolution;
}

Outcome undecidable(std::string why) {
    return {Fired::Undecidable, 0, kNaN, std::move(why)};
}

Outcome negativeDeltaV(const RuleView& w, const StopCondition& c) {
    const double delta = c.threshold * w.in.battery.cells();
    const ChannelQuality& q = w.in.recording.voltageQuality();
    if (tooCoarse(q, delta))
        return undecidable(
            phrase("The log shows the voltage in steps of {:.3g} mV; a fall of {:.3g} mV "
                   "cannot be told from it.",
                   1e3 * q.resolution, 1e3 * delta));
    const double window = windowFor(w, q, delta);
    if (noiseAfter(w, q, window) > 0.3 * delta)
        return undecidable(
            phrase("The voltage is too noisy for this fall, even smoothed over a minute."));
    Outcome out;
    const double needed = delta + beyondRounding(w, q, window, delta);
    double top = -1e300;
    double fell = 0;
    trailing(
        w, w.v, window,
        [&](std::size_t k, double mean) {
            top = std::max(top, mean);
            fell = std::max(fell, top - mean);
            if (top - mean < needed * (1 - 1e-9)) return true;
            out = {Fired::Yes, k, w.t[k], {}};
            return false;
        },
        w.hears_s());
    if (out.fired != Fired::Yes && fell >= delta * (1 - 1e-9))
        return undecidable(
            phrase("It fell by {:.3g} mV on this display; whether that was {:.3g} mV, "
                   "its steps of {:.3g} mV and its noise cannot tell.",
                   1e3 * fell, 1e3 * delta, 1e3 * q.resolution));
    if (q.resolution > 0.5 * delta)
        out.caveat = phrase(
            "The voltage resolution is coarse against this threshold: the moment is uncertain.");
    return out;
}

Outcome zeroDeltaV(const RuleView& w, const StopCondition& c) {
    const ChannelQuality& q = w.in.recording.voltageQuality();
    const double cells = w.in.battery.cells();
    const double window = windowFor(w, q, std::max(c.rise_V, 1e-3) * cells);
    const double guard = q.noise > 0 ? 2.5 * noiseAfter(w, q, window) : 0;
    const double rise = std::max(c.rise_V * cells, guard);
    Outcome out;
    double top = -1e300;
    double since = kNaN;
    // A slow rise on a coarse display stands still between two of its steps: it has ended only when
    // the next step is overdue at the pace of the last ones, or the display has gone down.
    // Until two of its steps were seen the pace is not known.
    constexpr double kOverdue = 2.5, kStep = 0.6;
    const bool coarse = undithered(q);
    const double step = std::max(rise, coarse ? kStep * q.resolution : 0.0);
    const double fall = std::max(rise, coarse ? 1.05 * q.resolution : 0.0);
    double pace_s = INFINITY;
    double code = -1e300;
    double stepped_s = kNaN;
    bool waited = false;
    trailing(
        w, w.v, window,
        [&](std::size_t k, double mean) {
            if (mean > code + step) {
                if (std::isfinite(stepped_s)) pace_s = w.t[k] - stepped_s;
                if (code > 0) stepped_s = w.t[k];
                code = mean;
            }
            if (std::isnan(since) || mean > top + rise) {
                top = mean;
                since = w.t[k];
                waited = false;
                return true;
            }
            if (w.t[k] - since < c.threshold - 1e-9) return true;
            const bool down = top - mean > fall;
            if (!down && w.t[k] - since < kOverdue * pace_s) {
                waited = true;
                return true;
            }
            out = {Fired::Yes, k, w.t[k], {}};
            return false;
        },
        w.hears_s());
    if (out.fired != Fired::Yes && waited)
        return undecidable(
            phrase("The voltage rises so slowly that this display, in steps of {:.3g} mV, stands "
                   "still between them: whether it had stopped rising cannot be told.",
                   1e3 * q.resolution));
    if (q.resolution > 2e-3 * cells && q.noise < 0.35 * q.resolution)
        out.caveat = phrase("Coarse voltage steps look like standing still: this may fire early.");
    return out;
}

Outcome inflection(const RuleView& w) {
    // The slope has passed a maximum of at least twice the least slope before it and has fallen
    // to 80 % of it.
    const ChannelQuality& q = w.in.recording.voltageQuality();
    const double window = 120;
    const double count = window / w.interval();
    const double noise = q.sigma() * std::sqrt(12.0) / (window * std::sqrt(std::max(count, 3.0)));
    Outcome out;
    double least = 1e300;
    double most = -1e300;
    bool rose = false;
    slopes(
        w, w.v, window,
        [&](std::size_t k, double slope) {
            if (!rose) {
                least = std::min(least, slope);
                if (slope > std::max(2.0 * least, least + 6 * noise) && slope > 0)
                    rose = true, most = slope;
                return true;
            }
            most = std::max(most, slope);
            if (slope > 0.8 * most - 1e-15 || most - slope < 4 * noise) return true;
            out = {Fired::Yes, k, w.t[k], {}};
            return false;
        },
        w.hears_s());
    if (noise > 1e-5 * w.in.battery.cells())
        out.caveat = phrase("The voltage is noisy or coarse for a slope: the moment is uncertain.");
    return out;
}

Outcome dTdt(const RuleView& w, const StopCondition& c) {
    if (w.temp.empty()) return undecidable(phrase("The log has no temperature."));
    Outcome out;
    slopes(
        w, w.temp, 120,
        [&](std::size_t k, double slope) {
            if (60 * slope < c.threshold * (1 - 1e-9)) return true;
            out = {Fired::Yes, k, w.t[k], {}};
            return false;
        },
        w.hears_s());
    const ChannelQuality& q = w.in.recording.temperatureQuality();
    if (q.resolution > c.threshold)
        out.caveat = phrase(
            "The temperature is logged in steps larger than the rise of one minute: the moment is "
            "uncertain.");
    return out;
}

Outcome temperature(const RuleView& w, double limit) {
    if (w.temp.empty()) return undecidable(phrase("The log has no temperature."));
    // No mean can reach the limit before a single sample does.
    std::size_t first = w.charge.first;
    while (first <= w.charge.last && !(w.temp[first] >= limit - 1e-9)) ++first;
    if (first > w.charge.last) return {};
    const double window = windowFor(w, w.in.recording.temperatureQuality(), 2.0);
    Outcome out;
    trailing(
        w, w.temp, window,
        [&](std::size_t k, double mean) {
            if (!(mean >= limit - 1e-9)) return true;
            out = {Fired::Yes, k, w.t[k], {}};
            return false;
        },
        w.t[first]);
    return out;
}

Outcome deltaT(const RuleView& w, const StopCondition& c) {
    if (w.temp.empty()) return undecidable(phrase("The log has no temperature."));
    double base = w.in.battery.ambient_C;
    std::string caveat;
    if (!w.in.battery.hasAmbient()) {
        // The mean of the first samples: one noisy one would shift the rule.
        double sum = 0, n = 0;
        for (std::size_t k = w.charge.first;
             k <= w.charge.last && (w.t[k] - w.start() <= 30 || n < 1); ++k)
            if (std::isfinite(w.temp[k])) sum += w.temp[k], ++n;
        if (n < 1) return undecidable(phrase("The log has no temperature in this charge."));
        base = w.in.recording.temperatureQuality().noise > 0 ? sum / n : w.temp[w.charge.first];
        caveat = phrase(
            "The ambient temperature is not given: the temperature at the start stands in for it.");
    }
    Outcome out = temperature(w, base + c.threshold);
    out.caveat = caveat;
    return out;
}

/// The mean voltage of a cell; where cells are logged, the highest of them (a rule of the whole
/// would let one run away).
Outcome maxVoltage(const RuleView& w, const StopCondition& c) {
    const ChannelQuality& q = w.in.recording.voltageQuality();
    const double cells = w.in.battery.cells();
    Outcome out;
    const auto watch = [&](std::span<const double> column, double limit, double window) {
        trailing(
            w, column, window,
            [&](std::size_t k, double mean) {
                if (out.fired == Fired::Yes && w.t[k] >= out.time_s) return false;
                if (!(mean >= limit - 1e-9)) return true;
                out = {Fired::Yes, k, w.t[k], {}};
                return false;
            },
            w.hears_s());
    };
    watch(w.v, c.threshold * cells, windowFor(w, q, 5e-3 * cells));
    for (const auto& cell : w.in.recording.cells_V())
        watch(cell, c.threshold, windowFor(w, q, 5e-3));
    if (q.resolution > 5e-3 * cells)
        out.caveat = phrase(
            "The voltage resolution is coarse against this threshold: the moment is uncertain.");
    return out;
}

Outcome timer(const RuleView& w, const StopCondition& c) {
    const double at = w.start() + c.threshold;
    if (w.t[w.charge.last] < at - 1e-9) return {};
    const std::size_t k = std::min(w.in.recording.lowerBound(at - 1e-9), w.charge.last);
    return {Fired::Yes, k, w.t[k], {}};
}

Outcome input(const RuleView& w, const StopCondition& c) {
    if (w.in.battery.rated_Ah <= 0) return undecidable(phrase("The rated capacity is not given."));
    const double limit = c.threshold * w.in.battery.rated_Ah;
    const auto& running = *w.charge.running_Ah;
    for (std::size_t k = 1; k < running.size(); ++k)
        if (running[k] >= limit * (1 - 1e-12))
            return {Fired::Yes, w.charge.first + k, w.t[w.charge.first + k], {}};
    return {};
}

Outcome taper(const RuleView& w, const StopCondition& c) {
    if (c.taperFraction > 0 && w.in.battery.capacity_Ah() <= 0)
        return undecidable(phrase("The rated capacity is not given: C/n has no size."));
    const double limit =
        c.taperFraction > 0 ? c.taperFraction * w.in.battery.capacity_Ah() : c.threshold;
    const ChannelQuality& q = w.in.recording.currentQuality();
    const double window = windowFor(w, q, 0.3 * limit);
    for (int s = w.charge.firstStep; s <= w.charge.lastStep; ++s) {
        const Step& step = w.in.steps.list[static_cast<std::size_t>(s)];
        if (step.kind != StepKind::CvCharge) continue;
        Outcome out;
        trailing(w, w.i, window, [&](std::size_t k, double mean) {
            if (k < step.first || k > step.last || mean > limit * (1 + 1e-9)) return true;
            out = {Fired::Yes, k, w.t[k], {}};
            return false;
        });
        if (out.fired == Fired::Yes) return out;
        // A charger that stops on its own taper steps to zero: its last sample is the crossing.
    }
    Outcome none;
    none.caveat = phrase("The current did not fall this far in the log.");
    return none;
}

Outcome evaluate(const RuleView& w, const StopCondition& c) {
    using Kind = StopCondition::Kind;
    switch (c.kind) {
        case Kind::NegativeDeltaV:
            return negativeDeltaV(w, c);
        case Kind::ZeroDeltaV:
            return zeroDeltaV(w, c);
        case Kind::Inflection:
            return inflection(w);
        case Kind::DTdt:
            return dTdt(w, c);
        case Kind::DeltaT:
            return deltaT(w, c);
        case Kind::MaxTemperature:
            return temperature(w, c.threshold);
        case Kind::MaxVoltage:
            return maxVoltage(w, c);
        case Kind::Timer:
            return timer(w, c);
        case Kind::Input:
            return input(w, c);
        case Kind::Taper:
            return taper(w, c);
    }
    return {};
}

}  // namespace

std::vector<ChargeSpan> chargeSpans(const AnalysisInput& in) {
    std::vector<ChargeSpan> out;
    const auto& list = in.steps.list;
    const auto& nickel = nickelCharges(in);  // in the order of their steps
    std::size_t next = 0;
    for (std::size_t k = 0; k < list.size(); ++k) {
        if (!list[k].isCharge() || list[k].kind == StepKind::Pulse) continue;
        const bool continues = !out.empty() && out.back().lastStep + 1 == static_cast<int>(k);
        if (continues) {
            out.back().lastStep = static_cast<int>(k);
            out.back().last = list[k].last;
        } else {
            ChargeSpan span;
            span.firstStep = span.lastStep = static_cast<int>(k);
            span.first = list[k].first;
            span.last = list[k].last;
            out.push_back(std::move(span));
        }
        while (next < nickel.size() && nickel[next].step < static_cast<int>(k)) ++next;
        for (; next < nickel.size() && nickel[next].step == static_cast<int>(k); ++next)
            if (nickel[next].peaked) out.back().peak_s = nickel[next].peak_s;
    }
    const auto t = in.recording.time_s();
    const auto i = in.recording.current_A();
    for (ChargeSpan& span : out) {
        auto running = std::make_shared<std::vector<double>>(span.last - span.first + 1);
        for (std::size_t k = 1; k < running->size(); ++k) {
            const std::size_t at = span.first + k;
            (*running)[k] =
                (*running)[k - 1] + 0.5 * (i[at] + i[at - 1]) * (t[at] - t[at - 1]) / 3600;
        }
        span.running_Ah = std::move(running);
    }
    return out;
}

ReplayResult replay(const AnalysisInput& in, const ChargeSpan& charge, const StopRule& rule) {
    const RuleView view{in,
                        charge,
                        rule.holdOff_s,
                        in.recording.time_s(),
                        in.recording.voltage_V(),
                        in.recording.current_A(),
                        in.recording.temperature_C()};
    ReplayResult out;
    out.rule = rule.text;
    out.step = charge.firstStep;
    Outcome best;
    bool undecided = false;
    for (std::size_t n = 0; n < rule.conditions.size(); ++n) {
        const Outcome o = evaluate(view, rule.conditions[n]);
        if (!o.caveat.empty()) out.caveats.push_back(o.caveat);
        undecided |= o.fired == Fired::Undecidable;
        if (o.fired == Fired::Yes && (best.fired != Fired::Yes || o.time_s < best.time_s)) {
            best = o;
            out.condition = static_cast<int>(n);
        }
    }
    out.fired = best.fired == Fired::Yes ? Fired::Yes : undecided ? Fired::Undecidable : Fired::No;
    if (out.fired != Fired::Yes) return out;
    out.time_s = best.time_s;
    out.charge_Ah = charge.chargeUntil_Ah(best.sample);
    if (in.recording.hasTemperature())
        out.temperature_C = in.recording.temperature_C()[best.sample];
    if (std::isfinite(charge.peak_s))
        out.overcharge_Ah =
            best.time_s <= charge.peak_s
                ? 0
                : out.charge_Ah - charge.chargeUntil_Ah(in.recording.nearest(charge.peak_s));
    else if (in.chemistry() != nullptr && in.chemistry()->nickel())
        out.caveats.push_back(
            phrase("No peak in this charge: the overcharge after it cannot be given."));
    return out;
}

std::vector<ReplayResult> replayAll(const AnalysisInput& in, const std::vector<StopRule>& rules) {
    std::vector<ReplayResult> out;
    const auto charges = chargeSpans(in);
    for (const StopRule& rule : rules)
        for (const ChargeSpan& charge : charges) out.push_back(replay(in, charge, rule));
    return out;
}

}  // namespace nk
