#include "current_step.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "analysis/finish/stop_moment.h"
#include "quantity/format.h"
#include "quantity/two_threads.h"
#include "steps/segment.h"

namespace nk {

namespace {

constexpr double kDelays[] = {0, 1, 10, 30};

/// A change of the current between two steps.
struct Change {
    int step = -1;            ///< the step that begins
    std::size_t before = 0;   ///< last sample of the old level
    std::size_t onset = 0;    ///< first sample that shows a new current
    std::size_t settled = 0;  ///< first sample at the new level
    std::size_t last = 0;     ///< last sample while the new current holds
    double from_A = 0, to_A = 0;
};

double medianCurrent(std::span<const double> i, std::size_t first, std::size_t last) {
    std::vector<double> x(i.begin() + static_cast<std::ptrdiff_t>(first),
                          i.begin() + static_cast<std::ptrdiff_t>(last) + 1);
    const auto middle = x.begin() + static_cast<std::ptrdiff_t>(x.size() / 2);
    std::nth_element(x.begin(), middle, x.end());
    return *middle;
}

/// The level of a step next to its border: median of up to 15 samples.
double levelAtStart(const Recording& r, const Step& s) {
    const std::size_t skip = s.last - s.first >= 3 ? 1 : 0;
    return medianCurrent(r.current_A(), s.first + skip, std::min(s.last, s.first + skip + 14));
}
double levelAtEnd(const Recording& r, const Step& s) {
    const std::size_t skip = s.last - s.first >= 3 ? 1 : 0;
    const std::size_t last = s.last - skip;
    return medianCurrent(r.current_A(), last >= s.first + 14 ? last - 14 : s.first, last);
}

std::vector<Change> changes(const AnalysisInput& in, bool intoRest) {
    std::vector<Change> out;
    const auto& list = in.steps.list;
    const Recording& r = in.recording;
    const auto i = r.current_A();
    const ChannelQuality& q = r.currentQuality();
    const double rated = in.battery.capacity_Ah();
    collectInTwo(list.size(), 4000, out, [&](std::size_t k, std::vector<Change>& to) {
        if (k == 0) return;
        const Step& was = list[k - 1];
        const Step& is = list[k];
        if (was.kind == StepKind::Gap || is.kind == StepKind::Gap ||
            is.kind == StepKind::CvCharge || is.kind == StepKind::Variable ||
            was.kind == StepKind::Variable)
            return;
        if ((is.kind == StepKind::Rest) != intoRest) return;
        Change c;
        c.step = static_cast<int>(k);
        c.from_A = levelAtEnd(r, was);
        c.to_A = levelAtStart(r, is);
        const double jump = c.to_A - c.from_A;
        // A step the log resolves: twenty times its noise and resolution, and a tenth of C/10.
        if (std::abs(jump) < std::max({20 * q.sigma(), 8 * q.resolution, 0.01 * rated}) ||
            std::abs(jump) < 0.05 * std::max(std::abs(c.to_A), std::abs(c.from_A)))
            return;
        // The border of the steps may lie a sample off the jump: look a little around it.
        std::size_t at = is.first;
        const auto near = [&](std::size_t n, double level) {
            return std::abs(i[n] - level) < 0.1 * std::abs(jump) + 3 * q.sigma();
        };
        while (at > was.first && !near(at - 1, c.from_A)) --at;
        while (at < is.last && near(at, c.from_A)) ++at;
        if (at == 0 || at > is.last) return;
        c.onset = at;
        c.before = at - 1;
        // A dense logger sees the edge: its first samples are no longer the old level.
        const double blink_s = edgeLongest_s(r);
        while (c.before > was.first && r.time_s()[at] - r.time_s()[c.before - 1] < blink_s &&
               std::abs(i[c.before] - c.from_A) > 0.01 * std::abs(jump) + 3 * q.sigma())
            --c.before;
        c.settled = at;
        while (c.settled < is.last && !near(c.settled, c.to_A)) ++c.settled;
        if (!near(c.settled, c.to_A)) return;
        // Held: constant power or resistance may drift by a few per cent meanwhile.
        c.last = c.settled;
        while (c.last < is.last && near(c.last + 1, c.to_A)) ++c.last;
        to.push_back(c);
    });
    return out;
}

struct Before {
    double volts = 0;
    double amps = 0;
    double sigma = 0;
    double count = 1;
};

/// The old level's voltage just before the change: the mean of up to five samples, as many as keep
/// its drift under its noise.
Before levelBefore(const AnalysisInput& in, const Change& c) {
    const Recording& r = in.recording;
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const auto i = r.current_A();
    const ChannelQuality& q = r.voltageQuality();
    std::size_t n = 1;
    const std::size_t floor = in.steps.list[static_cast<std::size_t>(c.step) - 1].first;
    while (n < 5 && c.before >= floor + n && t[c.before] - t[c.before - n] <= 10 &&
           std::abs(v[c.before - n] - v[c.before]) < 3 * q.sigma())
        ++n;
    Before b;
    for (std::size_t k = 0; k < n; ++k) {
        b.volts += v[c.before - k] / static_cast<double>(n);
        b.amps += i[c.before - k] / static_cast<double>(n);
    }
    b.sigma = q.ofMean(static_cast<double>(n));
    b.count = static_cast<double>(n);
    return b;
}

/// The fitted response of the voltage at `delay` after the moment of the edge: a line over ln of
/// the time since then, through the rows from a third of the delay to three times it.
ReadAt responseAt(const Recording& r, const Change& c, double edge_s, double delay,
                  double drift_V_s, double leastSigma) {
    std::vector<double> x;
    std::vector<double> y;
    std::size_t before = 0;
    std::size_t behind = 0;
    for (std::size_t k = c.settled; k <= c.last; ++k) {
        const double since = r.time_s()[k] - edge_s;
        if (since <= 0 || since < delay / 3) continue;
        if (since > 3 * delay) {
            // One row beyond closes the stretch of a slow log.
            if (behind > 0 || x.empty()) break;
        }
        (since <= delay ? before : behind) += 1;
        x.push_back(std::log(since / delay));
        y.push_back(r.voltage_V()[k] - drift_V_s * since);
    }
    ReadAt out;
    const bool near = std::ranges::any_of(x, [](double l) { return std::abs(l) < 0.1; });
    if ((before == 0 || behind == 0) && !near) return out;
    if (x.size() >= 3) out = readAt(x, y, 0, x.size() - 1, 0, x.size() >= 12 ? 2 : 1, leastSigma);
    if (!std::isfinite(out.value)) {
        // Two rows: the line between them; one: as it stands.
        const std::size_t k = static_cast<std::size_t>(
            std::ranges::min_element(x, {}, [](double l) { return std::abs(l); }) - x.begin());
        const std::size_t other = k + 1 < x.size() ? k + 1 : k > 0 ? k - 1 : k;
        out.slope = other != k ? (y[other] - y[k]) / (x[other] - x[k]) : 0;
        out.value = y[k] - out.slope * x[k];
        out.uncertainty = std::hypot(leastSigma, 0.3 * std::abs(out.slope * x[k]));
        out.freedom = 1e9;
    }
    return out;
}

/// What the voltage was doing before a change, V/s; it goes on under the answer. 0 where that is
/// less than its noise.
double driftBefore(const AnalysisInput& in, const Change& c) {
    const Recording& r = in.recording;
    const auto t = r.time_s();
    const ChannelQuality& q = r.voltageQuality();
    const Step& was = in.steps.list[static_cast<std::size_t>(c.step) - 1];
    if (was.kind == StepKind::Rest) return 0;
    const std::size_t back = c.before >= was.first + 20 ? c.before - 20 : was.first;
    if (c.before < back + 5) return 0;
    const ReadAt line = readAt(t, r.voltage_V(), back, c.before, t[c.before], 1,
                               std::max(q.noise, 0.2 * q.resolution));
    const bool moves = std::isfinite(line.slope) && std::abs(line.slope) * (t[c.before] - t[back]) >
                                                        3 * std::max(q.sigma(), q.resolution);
    return moves ? line.slope : 0;
}

/// `drift_V_s` is asked for when it is needed: the same at every delay.
template <class Drift>
StepResistance measure(const AnalysisInput& in, const Change& c, const Before& before, double delay,
                       const Drift& drift_V_s) {
    const Recording& r = in.recording;
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const auto i = r.current_A();
    StepResistance out;
    out.nominalDelay_s = delay;
    out.step = c.step;
    out.from_A = c.from_A;
    out.to_A = c.to_A;
    out.at_s = t[c.onset];
    const ChannelQuality& qv = r.voltageQuality();
    const ChannelQuality& qi = r.currentQuality();
    const double interval = std::min(t[c.onset] - t[c.before], 3 * r.usualInterval_s());
    // The edge lies before the first row that shows it; a row in the middle of it tells where.
    const double passed = std::clamp((i[c.onset] - c.from_A) / (c.to_A - c.from_A), 0.0, 1.0);
    const double edge_s =
        c.settled > c.onset ? t[c.onset] : t[c.onset] - 0.5 * interval * std::min(1.0, passed);
    const double least = std::max(qv.noise, 0.2 * qv.resolution);
    double after = qv.sigma();
    double read_V = 0;
    double slope = 0;
    double freedom = 1e9;
    std::size_t k = c.settled;
    if (delay > 0) {
        if (t[c.last] < edge_s + 0.9 * delay) {
            out.why = phrase("the current did not hold for {:.0f} s", delay);
            return out;
        }
        const ReadAt answer = responseAt(r, c, edge_s, delay, drift_V_s(), least);
        if (!std::isfinite(answer.value)) {
            out.why = phrase("the log has no sample near {:.0f} s after the step", delay);
            return out;
        }
        read_V = answer.value;
        after = std::hypot(answer.uncertainty, qv.rounding());
        freedom = answer.freedom;
        slope = answer.slope / delay;  // of ln time, at the delay
        k = std::clamp(r.nearest(edge_s + delay), c.settled, c.last);
        out.delay_s = delay;
    } else {
        read_V = v[k];
        if (k < c.last && t[k + 1] > t[k]) slope = (v[k + 1] - v[k]) / (t[k + 1] - t[k]);
        out.delay_s = t[k] - t[c.onset];
    }
    // The new level of the current, averaged against its noise.
    double amps = 0;
    double n = 0;
    const std::size_t span = delay > 0 ? 12 : 1;
    for (std::size_t m = k >= c.settled + span ? k - span : c.settled;
         m <= std::min(k + span, c.last); ++m)
        amps += i[m], ++n;
    amps /= n;
    const double dI = amps - before.amps;
    const double dV = read_V - before.volts;
    out.resistance_ohm = dV / dI;
    const double timing = rectangle(slope * 0.5 * interval);
    const double gain = rectangle(in.accuracy.voltageGain);
    const double gainI = rectangle(in.accuracy.currentGain);
    const double size = std::abs(out.resistance_ohm);
    // Without noise that dithers it, the rounding of a current stays whole, on both levels.
    const double current = std::hypot(qi.ofMean(n), qi.ofMean(before.count));
    out.uncertainty_ohm =
        quadrature({before.sigma / std::abs(dI), after / std::abs(dI), timing / std::abs(dI),
                    size * gain, size * gainI, size * current / std::abs(dI)});
    out.coverage = coverageFactor(out.uncertainty_ohm,
                                  std::max(timing / std::abs(dI), size * current / std::abs(dI)),
                                  after / std::abs(dI), freedom);
    // A scheduler that shares the logger's clock puts the edge on a row, at an end of its
    // rectangle: the interval holds the whole of that, not 95 % of it.
    const double edge_u = timing / std::abs(dI);
    const double others =
        std::sqrt(std::max(0.0, out.uncertainty_ohm * out.uncertainty_ohm - edge_u * edge_u));
    if (out.uncertainty_ohm > 0)
        out.coverage =
            std::max(out.coverage, std::hypot(1.05 * std::sqrt(3.0) * edge_u, 1.96 * others) /
                                       out.uncertainty_ohm);
    // A second after the edge the shape of the answer and the moment of the edge weigh most: a
    // factor set on one generator and seen on other seeds of it only (docs/methods.md).
    if (delay == 1) out.coverage *= 1.12;
    if (out.resistance_ohm > 0 && out.coverage * out.uncertainty_ohm > out.resistance_ohm) {
        out.why =
            phrase("the step of the current is too small against the log's resolution and noise");
        out.resistance_ohm = kNaN;
    } else if (out.resistance_ohm <= 0) {
        out.why = phrase("the voltage does not answer the current");
        out.resistance_ohm = kNaN;
    }
    return out;
}

/// For every step the last rest of half a minute or more up to and including it, −1 for none.
const std::vector<int>& longRests(const AnalysisInput& in) {
    return in.memo->remember<std::vector<int>>("long rests", [&] {
        std::vector<int> out;
        int last = -1;
        for (std::size_t s = 0; s < in.steps.list.size(); ++s) {
            const Step& step = in.steps.list[s];
            if (step.kind == StepKind::Rest && step.end_s - step.start_s >= 30)
                last = static_cast<int>(s);
            out.push_back(last);
        }
        return out;
    });
}

/// What the state of charge is told from, looked up once for many samples.
struct ChargeWitnesses {
    explicit ChargeWitnesses(const AnalysisInput& in)
        : running(runningCharge_Ah(in)), events(dischargeEvents(in)), rests(longRests(in)) {}
    const std::vector<double>& running;
    const std::vector<Event>& events;
    const std::vector<int>& rests;
};

double stateOfCharge(const AnalysisInput& in, const ChargeWitnesses& witnesses, std::size_t k) {
    const double rated = in.battery.capacity_Ah();
    const auto between = [&](std::size_t a, std::size_t b) {
        return witnesses.running[b] - witnesses.running[a];
    };
    const Chemistry* c = in.chemistry();
    if (c == nullptr) return kNaN;
    const auto& events = witnesses.events;
    for (auto it = std::partition_point(events.begin(), events.end(),
                                        [k](const Event& e) { return e.last < k; });
         it != events.end() && k + 1 >= it->first; ++it) {
        const Event& e = *it;
        // A whole discharge knows its own capacity; a part of one needs the rating.
        const double whole = -e.sum.charge_Ah;
        const double out = k > e.first ? -between(e.first, k) : 0;
        if (e.fullAtStart == Known::Yes && e.reachedFloor == Known::Yes && whole > 0)
            return std::clamp(1 - out / whole, 0.0, 1.0);
        if (e.fullAtStart == Known::Yes && rated > 0) return std::clamp(1 - out / rated, 0.0, 1.0);
        if (std::isfinite(e.startSoc) && e.startSocUncertainty < 0.2 && rated > 0)
            return std::clamp(e.startSoc - out / rated, 0.0, 1.0);
        if (e.reachedFloor == Known::Yes && rated > 0)
            return std::clamp((whole - out) / rated, 0.0, 1.0);
    }
    // Else the rested voltage before, by the usual curve, and what was counted since.
    const auto ended = std::partition_point(in.steps.list.begin(), in.steps.list.end(),
                                            [k](const Step& s) { return s.last <= k; });
    const auto before = ended - in.steps.list.begin();
    const int at = before > 0 ? witnesses.rests[static_cast<std::size_t>(before) - 1] : -1;
    if (at >= 0) {
        const Step& rest = in.steps.list[static_cast<std::size_t>(at)];
        const double soc = c->ocv.soc(in.perCell(rest.endVoltage_V));
        const double since = k > rest.last ? between(rest.last, k) : 0;
        if (rated <= 0 && std::abs(since) > 0) return kNaN;
        return std::clamp(soc + (rated > 0 ? since / rated : 0), 0.0, 1.0);
    }
    return kNaN;
}

}  // namespace

double stateOfCharge(const AnalysisInput& in, std::size_t k) {
    return stateOfCharge(in, ChargeWitnesses(in), k);
}

namespace {

std::vector<StepResistance> findStepResistances(const AnalysisInput& in) {
    std::vector<StepResistance> out;
    if (in.recording.size() < 3) return out;
    auto list = changes(in, false);
    if (list.empty()) list = changes(in, true);
    out.reserve(list.size() * std::size(kDelays));
    const ChargeWitnesses witnesses(in);
    collectInTwo(list.size(), 500, out, [&](std::size_t k, std::vector<StepResistance>& to) {
        const Change& c = list[k];
        const double soc = stateOfCharge(in, witnesses, c.before);
        const double temperature =
            in.recording.hasTemperature() ? in.recording.temperature_C()[c.before] : kNaN;
        const Before before = levelBefore(in, c);
        std::optional<double> drift;
        const auto driftOnce = [&] {
            if (!drift) drift = driftBefore(in, c);
            return *drift;
        };
        for (const double delay : kDelays) {
            StepResistance r = measure(in, c, before, delay, driftOnce);
            r.soc = soc;
            r.temperature_C = temperature;
            to.push_back(std::move(r));
        }
    });
    return out;
}

}  // namespace

const std::vector<StepResistance>& stepResistances(const AnalysisInput& in) {
    return in.memo->remember<std::vector<StepResistance>>("step resistances",
                                                          [&] { return findStepResistances(in); });
}

const StepResistance* longestStep(const AnalysisInput& in) {
    const auto at = in.memo->remember<std::ptrdiff_t>("longest step", [&]() -> std::ptrdiff_t {
        std::ptrdiff_t best = -1;
        const auto& all = stepResistances(in);
        for (std::size_t k = 0; k < all.size(); ++k)
            if (std::isfinite(all[k].resistance_ohm) &&
                (best < 0 || all[k].delay_s > all[static_cast<std::size_t>(best)].delay_s))
                best = static_cast<std::ptrdiff_t>(k);
        return best;
    });
    return at < 0 ? nullptr : &stepResistances(in)[static_cast<std::size_t>(at)];
}

const StepResistance* mostComparable(std::span<const StepResistance> steps, double delay_s) {
    const auto rank = [](const StepResistance& s) {
        const double delay = s.nominalDelay_s == 10  ? 0.0
                             : s.nominalDelay_s == 1 ? 1.0
                             : s.nominalDelay_s == 0 ? 2.0
                                                     : 3.0;
        const double charge =
            std::isfinite(s.soc) ? std::abs(s.soc - 0.5) + (s.soc < 0.2 ? 0.3 : 0) : 0.5;
        // At most a tenth from 0.1 A to 10 A: it decides between steps of like charge.
        const double size = 0.02 * std::log(std::abs(s.to_A - s.from_A) + 1e-9);
        return delay + charge - size;
    };
    const StepResistance* best = nullptr;
    for (const StepResistance& s : steps) {
        if (!std::isfinite(s.resistance_ohm)) continue;
        if (std::isfinite(delay_s) && s.nominalDelay_s != delay_s) continue;
        if (best == nullptr || rank(s) < rank(*best)) best = &s;
    }
    return best;
}

namespace {

/// What is said alike of an edge at every delay.
struct EdgeWords {
    std::string from, to, behind;
};

const std::vector<EdgeWords>& edgeWords(const AnalysisInput& in) {
    return in.memo->remember<std::vector<EdgeWords>>("edge words", [&] {
        const auto& all = stepResistances(in);
        std::vector<EdgeWords> out;
        out.reserve(all.size() / std::size(kDelays));
        collectInTwo(all.size() / std::size(kDelays), 1000, out,
                     [&](std::size_t k, std::vector<EdgeWords>& to) {
                         const StepResistance& s = all[k * std::size(kDelays)];
                         EdgeWords w{shortValue(s.from_A, "A"), shortValue(s.to_A, "A"), {}};
                         if (std::isfinite(s.soc))
                             w.behind += phrase(", {:.0f} % charged", 100 * s.soc);
                         if (std::isfinite(s.temperature_C))
                             w.behind += ", " + shortValue(s.temperature_C, "C");
                         w.behind += '.';
                         to.push_back(std::move(w));
                     });
        return out;
    });
}

void compute(const AnalysisInput& in, std::vector<Reading>& out, const char* name, double delay) {
    const auto& all = stepResistances(in);
    const auto& words = edgeWords(in);
    const std::string atFirst = phrase("At the first sample");
    out.reserve(out.size() + all.size() / std::size(kDelays) + 1);
    collectInTwo(all.size(), 4000, out, [&](std::size_t k, std::vector<Reading>& to) {
        const StepResistance& s = all[k];
        if (s.nominalDelay_s != delay) return;
        Reading r;
        r.name = name;
        r.unit = "ohm";
        r.method = delay == 0 ? "first_sample_after_step" : "fitted_response_at_delay";
        const Step& step = in.steps.list[static_cast<std::size_t>(s.step)];
        r.evidence = {step.start_s, step.end_s, s.step};
        r.value = s.resistance_ohm;
        r.uncertainty = s.uncertainty_ohm;
        r.coverage = s.coverage;
        if (!r.measurable()) {
            r.uncertainty = kNaN;
            r.caveats.push_back(phrase("Not measurable at this step: ") + s.why + ".");
        } else {
            const EdgeWords& edge = words[k / std::size(kDelays)];
            std::string where =
                phrase("{} after the step from {} to {}",
                       s.delay_s > 0 ? durationText(s.delay_s) : atFirst, edge.from, edge.to);
            where += edge.behind;
            r.caveats.push_back(std::move(where));
            if (in.battery.series > 1)
                r.caveats.push_back(phrase("Whole battery with its leads: ") +
                                    shortValue(s.resistance_ohm / in.battery.series, "ohm") +
                                    phrase(" a cell."));
        }
        to.push_back(std::move(r));
    });
}

}  // namespace

void computeResistanceOhmic(const AnalysisInput& in, std::vector<Reading>& out) {
    compute(in, out, "resistance_ohmic", 0);
}
void computeResistance1s(const AnalysisInput& in, std::vector<Reading>& out) {
    compute(in, out, "resistance_1s", 1);
}
void computeResistance10s(const AnalysisInput& in, std::vector<Reading>& out) {
    compute(in, out, "resistance_10s", 10);
}
void computeResistance30s(const AnalysisInput& in, std::vector<Reading>& out) {
    compute(in, out, "resistance_30s", 30);
}

}  // namespace nk
