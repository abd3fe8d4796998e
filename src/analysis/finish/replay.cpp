#include "replay.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/finish/nickel.h"

namespace nk {

namespace {

struct Outcome {
    Fired fired = Fired::No;
    std::size_t sample = 0;
    double time_s = kNaN;
    std::string caveat;
};

/// One charge as the conditions see it.
struct View {
    const AnalysisInput& in;
    const ChargeSpan& charge;
    double holdOff_s;
    std::span<const double> t, v, i, temp;

    double start() const { return t[charge.first]; }
    bool deaf(std::size_t k) const { return t[k] - start() < holdOff_s; }
    double interval() const { return std::max(in.recording.usualInterval_s(), 1e-3); }
};

/// Calls visit(k, mean) with the mean over the last `window` seconds (0: the sample itself).
template <class Visit>
void trailing(const View& w, std::span<const double> column, double window, Visit visit) {
    std::size_t from = w.charge.first;
    double sum = 0;
    double count = 0;
    for (std::size_t k = w.charge.first; k <= w.charge.last; ++k) {
        if (std::isfinite(column[k])) sum += column[k], ++count;
        while (from < k && w.t[k] - w.t[from] > window) {
            if (std::isfinite(column[from])) sum -= column[from], --count;
            ++from;
        }
        // Renew the sum now and then, so that a million samples lose no digits.
        if ((k & 0xFFFF) == 0 || from == k) {
            sum = 0;
            count = 0;
            for (std::size_t n = from; n <= k; ++n)
                if (std::isfinite(column[n])) sum += column[n], ++count;
        }
        if (!visit(k, count > 0 ? sum / count : kNaN)) return;
    }
}

/// Seconds of trailing mean that bring the noise to a tenth of `delta`; 0 on clean data, 60 at most
/// (lag 30 s).
double windowFor(const View& w, const ChannelQuality& q, double delta) {
    const double need = std::pow(10 * q.noise / std::max(delta, 1e-9), 2);
    return need <= 1 ? 0 : std::min(60.0, need * w.interval());
}

double noiseAfter(const View& w, const ChannelQuality& q, double window) {
    return q.noise / std::sqrt(std::max(1.0, window / w.interval()));
}

/// A resolution step that hides the threshold, without noise that would dither it.
bool tooCoarse(const ChannelQuality& q, double delta) {
    return q.resolution > 1.05 * delta && q.noise < 0.35 * q.resolution;
}

Outcome undecidable(std::string why) {
    return {Fired::Undecidable, 0, kNaN, std::move(why)};
}

Outcome negativeDeltaV(const View& w, const StopCondition& c) {
    const double delta = c.threshold * w.in.battery.cells();
    const ChannelQuality& q = w.in.recording.voltageQuality();
    if (tooCoarse(q, delta))
        return undecidable(
            fmt::format("The log shows the voltage in steps of {:.3g} mV; a fall of {:.3g} mV "
                        "cannot be told from it.",
                        1e3 * q.resolution, 1e3 * delta));
    const double window = windowFor(w, q, delta);
    if (noiseAfter(w, q, window) > 0.3 * delta)
        return undecidable("The voltage is too noisy for this fall, even smoothed over a minute.");
    Outcome out;
    double top = -1e300;
    trailing(w, w.v, window, [&](std::size_t k, double mean) {
        if (w.deaf(k)) return true;
        top = std::max(top, mean);
        if (top - mean < delta * (1 - 1e-9)) return true;
        out = {Fired::Yes, k, w.t[k], {}};
        return false;
    });
    if (q.resolution > 0.5 * delta)
        out.caveat =
            "The voltage resolution is coarse against this threshold: the moment is uncertain.";
    return out;
}

Outcome zeroDeltaV(const View& w, const StopCondition& c) {
    const ChannelQuality& q = w.in.recording.voltageQuality();
    const double cells = w.in.battery.cells();
    const double window = windowFor(w, q, std::max(c.rise_V, 1e-3) * cells);
    const double guard = q.noise > 0 ? 2.5 * noiseAfter(w, q, window) : 0;
    const double rise = std::max(c.rise_V * cells, guard);
    Outcome out;
    double top = -1e300;
    double since = kNaN;
    trailing(w, w.v, window, [&](std::size_t k, double mean) {
        if (w.deaf(k)) return true;
        if (std::isnan(since) || mean > top + rise) {
            top = mean;
            since = w.t[k];
            return true;
        }
        if (w.t[k] - since < c.threshold - 1e-9) return true;
        out = {Fired::Yes, k, w.t[k], {}};
        return false;
    });
    if (q.resolution > 2e-3 * cells && q.noise < 0.35 * q.resolution)
        out.caveat = "Coarse voltage steps look like standing still: this may fire early.";
    return out;
}

/// Trailing regression slope over `window` seconds, per second; visits where it is full.
template <class Visit>
void slopes(const View& w, std::span<const double> column, double window, Visit visit) {
    std::size_t from = w.charge.first;
    double t0 = w.start(), y0 = column[w.charge.first];
    if (!std::isfinite(y0)) y0 = 0;
    double n = 0, st = 0, sy = 0, stt = 0, sty = 0;
    const auto add = [&](std::size_t k, double sign) {
        if (!std::isfinite(column[k])) return;
        const double x = w.t[k] - t0;
        const double y = column[k] - y0;
        n += sign, st += sign * x, sy += sign * y, stt += sign * x * x, sty += sign * x * y;
    };
    std::size_t renew = 0;
    for (std::size_t k = w.charge.first; k <= w.charge.last; ++k) {
        add(k, 1);
        while (from < k && w.t[k] - w.t[from] > window + 1e-9) add(from++, -1);
        if (++renew >= 512) {
            renew = 0;
            t0 = w.t[k];
            y0 = std::isfinite(column[k]) ? column[k] : y0;
            n = st = sy = stt = sty = 0;
            for (std::size_t m = from; m <= k; ++m) add(m, 1);
        }
        if (w.t[k] - w.start() < window - w.interval()) continue;
        const double det = n * stt - st * st;
        if (n < 3 || det <= 0) continue;
        if (!visit(k, (n * sty - st * sy) / det)) return;
    }
}

Outcome inflection(const View& w) {
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
    slopes(w, w.v, window, [&](std::size_t k, double slope) {
        if (w.deaf(k)) return true;
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
    });
    if (noise > 1e-5 * w.in.battery.cells())
        out.caveat = "The voltage is noisy or coarse for a slope: the moment is uncertain.";
    return out;
}

Outcome dTdt(const View& w, const StopCondition& c) {
    if (w.temp.empty()) return undecidable("The log has no temperature.");
    Outcome out;
    slopes(w, w.temp, 120, [&](std::size_t k, double slope) {
        if (w.deaf(k) || 60 * slope < c.threshold * (1 - 1e-9)) return true;
        out = {Fired::Yes, k, w.t[k], {}};
        return false;
    });
    const ChannelQuality& q = w.in.recording.temperatureQuality();
    if (q.resolution > c.threshold)
        out.caveat =
            "The temperature is logged in steps larger than the rise of one minute: the moment is "
            "uncertain.";
    return out;
}

Outcome temperature(const View& w, double limit) {
    if (w.temp.empty()) return undecidable("The log has no temperature.");
    const double window = windowFor(w, w.in.recording.temperatureQuality(), 2.0);
    Outcome out;
    trailing(w, w.temp, window, [&](std::size_t k, double mean) {
        if (!(mean >= limit - 1e-9)) return true;
        out = {Fired::Yes, k, w.t[k], {}};
        return false;
    });
    return out;
}

Outcome deltaT(const View& w, const StopCondition& c) {
    if (w.temp.empty()) return undecidable("The log has no temperature.");
    double base = w.in.battery.ambient_C;
    std::string caveat;
    if (!w.in.battery.hasAmbient()) {
        // The mean of the first samples: one noisy one would shift the rule.
        double sum = 0, n = 0;
        for (std::size_t k = w.charge.first;
             k <= w.charge.last && (w.t[k] - w.start() <= 30 || n < 1); ++k)
            if (std::isfinite(w.temp[k])) sum += w.temp[k], ++n;
        if (n < 1) return undecidable("The log has no temperature in this charge.");
        base = w.in.recording.temperatureQuality().noise > 0 ? sum / n : w.temp[w.charge.first];
        caveat =
            "The ambient temperature is not given: the temperature at the start stands in for it.";
    }
    Outcome out = temperature(w, base + c.threshold);
    out.caveat = caveat;
    return out;
}

Outcome timer(const View& w, const StopCondition& c) {
    const double at = w.start() + c.threshold;
    if (w.t[w.charge.last] < at - 1e-9) return {};
    const std::size_t k = std::min(w.in.recording.lowerBound(at - 1e-9), w.charge.last);
    return {Fired::Yes, k, w.t[k], {}};
}

Outcome input(const View& w, const StopCondition& c) {
    if (w.in.battery.rated_Ah <= 0) return undecidable("The rated capacity is not given.");
    const double limit = c.threshold * w.in.battery.rated_Ah;
    double charge = 0;
    for (std::size_t k = w.charge.first + 1; k <= w.charge.last; ++k) {
        charge += 0.5 * (w.i[k] + w.i[k - 1]) * (w.t[k] - w.t[k - 1]) / 3600;
        if (charge >= limit * (1 - 1e-12)) return {Fired::Yes, k, w.t[k], {}};
    }
    return {};
}

Outcome taper(const View& w, const StopCondition& c) {
    if (c.taperFraction > 0 && w.in.battery.rated_Ah <= 0)
        return undecidable("The rated capacity is not given: C/n has no size.");
    const double limit =
        c.taperFraction > 0 ? c.taperFraction * w.in.battery.rated_Ah : c.threshold;
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
    none.caveat = "The current did not fall this far in the log.";
    return none;
}

Outcome evaluate(const View& w, const StopCondition& c) {
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
    const auto nickel = nickelCharges(in);
    for (std::size_t k = 0; k < list.size(); ++k) {
        if (!list[k].isCharge() || list[k].kind == StepKind::Pulse) continue;
        const bool continues = !out.empty() && out.back().lastStep + 1 == static_cast<int>(k);
        if (continues) {
            out.back().lastStep = static_cast<int>(k);
            out.back().last = list[k].last;
        } else {
            out.push_back(
                {static_cast<int>(k), static_cast<int>(k), list[k].first, list[k].last, kNaN});
        }
        for (const NickelCharge& c : nickel)
            if (c.step == static_cast<int>(k) && c.peaked) out.back().peak_s = c.peak_s;
    }
    return out;
}

ReplayResult replay(const AnalysisInput& in, const ChargeSpan& charge, const StopRule& rule) {
    const View view{in,
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
    for (const StopCondition& c : rule.conditions) {
        const Outcome o = evaluate(view, c);
        if (!o.caveat.empty()) out.caveats.push_back(o.caveat);
        undecided |= o.fired == Fired::Undecidable;
        if (o.fired == Fired::Yes && (best.fired != Fired::Yes || o.time_s < best.time_s)) best = o;
    }
    out.fired = best.fired == Fired::Yes ? Fired::Yes : undecided ? Fired::Undecidable : Fired::No;
    if (out.fired != Fired::Yes) return out;
    out.time_s = best.time_s;
    out.charge_Ah = integrate(in.recording, charge.first, best.sample).charge_Ah;
    if (in.recording.hasTemperature())
        out.temperature_C = in.recording.temperature_C()[best.sample];
    if (std::isfinite(charge.peak_s))
        out.overcharge_Ah =
            best.time_s <= charge.peak_s
                ? 0
                : integrate(in.recording, in.recording.nearest(charge.peak_s), best.sample)
                      .charge_Ah;
    else if (in.chemistry() != nullptr && in.chemistry()->nickel())
        out.caveats.push_back("No peak in this charge: the overcharge after it cannot be given.");
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
