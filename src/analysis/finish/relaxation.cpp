#include "relaxation.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "analysis/decay.h"
#include "analysis/resistance/current_step.h"
#include "quantity/format.h"
#include "quantity/two_threads.h"

namespace nk {

namespace {

/// Time constants that are tried, over the span of the points: a fortieth to two and a half.
std::array<double, 25> spans() {
    std::array<double, 25> out{};
    for (std::size_t k = 0; k < out.size(); ++k)
        out[k] = std::pow(10.0, -1.6 + 2.0 * static_cast<double>(k) / 24);
    return out;
}
const std::array<double, 25> kSpans = spans();

/// One exponential through the rest after its first part `from` (0 … 1).
std::optional<Relaxation> carriedOn(const Recording& r, const Step& rest, double from) {
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const double length = t[rest.last] - t[rest.first];
    const std::size_t first = std::min(rest.last - 5, r.lowerBound(t[rest.first] + from * length));
    const std::size_t bin = std::max<std::size_t>(1, (rest.last - first + 1) / 40);
    std::vector<double> x, y;
    for (std::size_t k = first; k + bin <= rest.last + 1; k += bin) {
        double st = 0, sv = 0;
        for (std::size_t n = k; n < k + bin; ++n) st += t[n], sv += v[n];
        x.push_back(st / static_cast<double>(bin) - t[first]);
        y.push_back(sv / static_cast<double>(bin));
    }
    if (x.size() < 5) return std::nullopt;
    struct Try {
        double misfit, rested, amplitude;
    };
    // Counted from the last points' mean, so that millivolts are not lost under volts.
    double last = 0;
    const std::size_t tail = std::min<std::size_t>(x.size(), 5);
    for (std::size_t k = x.size() - tail; k < x.size(); ++k)
        last += y[k] / static_cast<double>(tail);
    const auto n = static_cast<double>(x.size());
    double sy = 0, syy = 0;
    for (double& v_V : y) v_V -= last, sy += v_V, syy += v_V * v_V;
    Decay decay(x);
    const auto solve = [&](double tau) {
        decay.at(tau);
        const auto [se, see, sey] = decay.sums(y);
        const double det = n * see - se * se;
        Try out{1e300, last + sy / n, 0};
        if (det <= 1e-14 * n * see) return out;
        out.amplitude = (n * sey - se * sy) / det;
        const double level = (see * sy - se * sey) / det;
        out.rested = last + level;
        // What a least-squares fit leaves over, without another pass; nothing of a clean curve.
        out.misfit = std::max(0.0, syy - level * sy - out.amplitude * sey);
        return out;
    };
    const double span = x.back();
    double best = 1e300;
    double tau = span;
    std::vector<std::pair<double, Try>> tries;
    for (int k = 0; k <= 24; ++k) {
        const double candidate = span * kSpans[static_cast<std::size_t>(k)];
        const Try s = solve(candidate);
        tries.emplace_back(candidate, s);
        if (s.misfit < best) best = s.misfit, tau = candidate;
    }
    const Try s = solve(tau);
    Relaxation out;
    out.tau_s = tau;
    out.last_V = last;
    out.rested_V = s.rested;
    // Every time constant that fits about as well gives a rested voltage: their range is its doubt.
    const ChannelQuality& q = r.voltageQuality();
    const double noise = q.sigma() / std::sqrt(static_cast<double>(bin));
    const double limit = best + std::max(4 * noise * noise, 4 * best / std::max(1.0, n - 3));
    double low = s.rested;
    double high = low;
    for (const auto& [c, other] : tries)
        if (other.misfit <= limit && std::abs(other.rested - last) < 0.1 * last)
            low = std::min(low, other.rested), high = std::max(high, other.rested);
    const double moves = std::abs(s.rested - last);
    out.settled = moves < std::max(noise, 0.5 * q.resolution);
    if (moves > 0.05 * last) out.rested_V = last;  // an extrapolation this far is none
    out.uncertainty_V = quadrature(
        {(high - low) / 2 / std::sqrt(3.0), moves / 2 / std::sqrt(3.0), noise / std::sqrt(n),
         q.noise >= 0.5 * q.resolution ? 0.0 : quantisation(q.resolution)});
    return out;
}

}  // namespace

std::optional<Relaxation> fitRelaxation(const Recording& r, const Step& rest) {
    if (rest.kind != StepKind::Rest || rest.last <= rest.first + 6) return std::nullopt;
    if (r.time_s()[rest.last] - r.time_s()[rest.first] < 120) return std::nullopt;
    // A cell relaxes in several ways at once; the quick ones are over after a while, but not after
    // the same part of every rest. A later part that contradicts an earlier one is believed, and
    // what the next later part would say instead is doubt that remains.
    auto out = carriedOn(r, rest, 0.1);
    if (!out) return out;
    double doubt = 0;
    for (const double from : {0.25, 0.4, 0.55}) {
        const auto later = carriedOn(r, rest, from);
        if (!later) break;
        doubt = std::abs(later->rested_V - out->rested_V);
        if (doubt > std::hypot(later->uncertainty_V, out->uncertainty_V)) out = later;
    }
    out->uncertainty_V = quadrature({out->uncertainty_V, doubt});
    return out;
}

namespace {

/// A rest that tells the rested voltage: after a charge or discharge that was none of a pulse.
bool follows(const std::vector<Step>& list, std::size_t k) {
    return k > 0 && list[k].kind == StepKind::Rest && list[k - 1].isActive() &&
           list[k - 1].kind != StepKind::Pulse && !list[k].cutOut;
}

/// A nickel cell's voltage settles for days: its rested voltage is that of one hour
/// (estimators.md).
struct AtAnHour {
    double value_V = kNaN, uncertainty_V = kNaN;
    double rest_s = 0;
    bool carried = false;  ///< beyond the logged rest
};

constexpr double kHour_s = 3600;

/// V = a + b·ln t through the rows about the hour, or through the later part of a shorter rest and
/// carried on, at most to twice its length.
AtAnHour atAnHour(const Recording& r, const Step& rest, double since_s) {
    AtAnHour out;
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    out.rest_s = t[rest.last] - since_s;
    constexpr double kNearly = 0.97;
    if (2 * out.rest_s < kHour_s) return out;
    out.carried = out.rest_s < kNearly * kHour_s;
    const double to = out.carried ? t[rest.last] : std::min(t[rest.last], since_s + 1.2 * kHour_s);
    const auto fitFrom = [&](double from) {
        double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0, syy = 0;
        const double base = v[rest.last];
        for (std::size_t k = std::max(rest.first, r.lowerBound(from)); k <= rest.last && t[k] <= to;
             ++k) {
            const double x = std::log(std::max(t[k] - since_s, 1.0) / kHour_s);
            const double y = v[k] - base;
            n += 1, sx += x, sy += y, sxx += x * x, sxy += x * y, syy += y * y;
        }
        const double det = n * sxx - sx * sx;
        if (n < 4 || !(det > 1e-12)) return std::array{kNaN, kNaN};
        const double slope = (n * sxy - sx * sy) / det;
        const double level = (sy - slope * sx) / n;
        const double left = std::max(0.0, syy - level * sy - slope * sxy) / (n - 2);
        return std::array{base + level, std::sqrt(left * sxx / det)};
    };
    const double early = out.carried ? since_s + 0.3 * out.rest_s : since_s + 0.6 * kHour_s;
    const double late = out.carried ? since_s + 0.6 * out.rest_s : since_s + 0.85 * kHour_s;
    const auto whole = fitFrom(early);
    const auto part = fitFrom(late);
    if (std::isnan(whole[0])) return out;
    const ChannelQuality& q = r.voltageQuality();
    // Carried on it may as well have come to rest: the last row is the other rival.
    const double still = out.carried ? std::abs(whole[0] - v[rest.last]) : 0;
    const double rival = std::isnan(part[0]) ? 0 : std::abs(part[0] - whole[0]);
    out.value_V = whole[0];
    out.uncertainty_V =
        quadrature({whole[1], std::max(rival, still) / std::sqrt(3.0),
                    q.noise >= 0.5 * q.resolution ? 0.0 : quantisation(q.resolution)});
    return out;
}

/// The nickel reading of a rest. Where it is too short for an hour: why.
void nickelRested(const AnalysisInput& in, const Step& rest, const Step& before, Reading& r) {
    r.method = "voltage_after_an_hour";
    const AtAnHour at = atAnHour(in.recording, rest, before.end_s);
    if (std::isnan(at.value_V)) {
        r.caveats.push_back(
            phrase("Not measurable from this log: a nickel cell settles for days, so its rested "
                   "voltage is "
                   "that of one hour, and this rest of {} is under half of it.",
                   durationText(at.rest_s)));
        return;
    }
    r.value = at.value_V;
    r.uncertainty = quadrature(
        {at.uncertainty_V, rectangle(in.accuracy.voltageGain * r.value),
         rectangle(in.accuracy.voltageOffsetSteps * in.recording.voltageQuality().resolution)});
    r.caveats.push_back(at.carried ? phrase("Of one hour after the current, carried on from {}.",
                                            durationText(at.rest_s))
                                   : phrase("Of one hour after the current."));
    if (in.recording.hasTemperature()) {
        const double warm =
            in.recording.temperature_C()[in.recording.nearest(before.end_s + kHour_s)];
        if (std::isfinite(warm)) r.caveats.push_back(phrase("At {} °C.", fixed(warm, 0)));
    }
}

}  // namespace

std::optional<Relaxation> relaxationAt(const AnalysisInput& in, std::size_t k) {
    using Known = std::vector<std::pair<std::size_t, std::optional<Relaxation>>>;
    const auto& list = in.steps.list;
    if (!follows(list, k)) return fitRelaxation(in.recording, list[k]);
    const auto& known = in.memo->remember<Known>("relaxations", [&] {
        Known made;
        collectInTwo(list.size(), 100, made, [&](std::size_t n, Known& to) {
            if (follows(list, n)) to.emplace_back(n, fitRelaxation(in.recording, list[n]));
        });
        return made;
    });
    return std::ranges::lower_bound(known, k, {}, &Known::value_type::first)->second;
}

void computeRestedVoltage(const AnalysisInput& in, std::vector<Reading>& out) {
    const auto& list = in.steps.list;
    const Chemistry* c = in.chemistry();
    collectInTwo(list.size(), 500, out, [&](std::size_t k, std::vector<Reading>& to) {
        if (!follows(list, k)) return;
        Reading r;
        r.name = "rested_voltage";
        r.unit = "V";
        r.method = "relaxation_fit";
        r.evidence = {list[k].start_s, list[k].end_s, static_cast<int>(k)};
        if (c != nullptr && c->nickel()) {
            nickelRested(in, list[k], list[k - 1], r);
            to.push_back(std::move(r));
            return;
        }
        const auto fit = relaxationAt(in, k);
        if (!fit) {
            r.caveats.push_back(phrase(
                "Not measurable from this log: the rest is shorter than two minutes. Let it rest "
                "half an hour."));
        } else {
            r.value = fit->rested_V;
            r.uncertainty =
                quadrature({fit->uncertainty_V, rectangle(in.accuracy.voltageGain * r.value),
                            rectangle(in.accuracy.voltageOffsetSteps *
                                      in.recording.voltageQuality().resolution)});
            if (!fit->settled)
                r.caveats.push_back(
                    phrase("Still moving at the end of the rest ({}): extrapolated.",
                           fixed(fit->last_V, 3) + " V"));
            if (c != nullptr) {
                const double n = in.battery.cells();
                if (const auto soc = restedCharge(in.battery, r.value / n, r.uncertainty / n))
                    r.caveats.push_back(
                        in.battery.ownCurve().empty()
                            ? phrase("By the usual curve of {} that is {:.0f} to {:.0f} % charged.",
                                     c->name(), 100 * soc->low, 100 * soc->high)
                            : phrase("By its own curve that is {:.0f} to {:.0f} % charged.",
                                     100 * soc->low, 100 * soc->high));
            }
            if (list[k - 1].kind == StepKind::CvCharge) {
                const double gap = list[k - 1].endVoltage_V - r.value;
                // More than its resistance times the last current is no settling.
                const Step& charge = list[k - 1];
                const StepResistance* s = longestStep(in);
                const double explained =
                    s != nullptr ? 4 * s->resistance_ohm * std::abs(charge.endCurrent_A) : kNaN;
                const double floor_V = 0.08 * in.battery.cells();
                r.caveats.push_back(
                    gap > std::max(explained, floor_V) && std::isfinite(explained)
                        ? phrase("{} under the charger's set voltage: more than {} through its "
                                 "resistance and settling explain. A cell was over-full, or loses "
                                 "charge by itself.",
                                 shortValue(gap, "V"), shortValue(charge.endCurrent_A, "A"))
                        : phrase("{} under the charger's set voltage. The charger showed the "
                                 "voltage with its current flowing; the difference is resistance "
                                 "and settling, not a display that lies.",
                                 shortValue(gap, "V")));
            }
        }
        to.push_back(std::move(r));
    });
}

}  // namespace nk
