#include "charge_left.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "analysis/finish/relaxation.h"
#include "analysis/finish/stop_moment.h"
#include "analysis/finish/taper.h"
#include "analysis/resistance/current_step.h"
#include "quantity/format.h"

namespace nk {

namespace {

/// Bins of a late taper: charge before the stop (negative), current, voltage, samples.
struct Tail {
    std::vector<double> q_Ah, i_A, v_V, weight;
    double from_s = 0, to_s = 0;
    double end_A = 0;            ///< over floor and offset, at the stop
    double endUncertainty = 0;   ///< standard, of the line read at the stop
    double zero_A = 0;           ///< offset and floor that were taken off
    double zeroUncertainty = 0;  ///< standard
    double sigma_A = 0, sigma_V = 0;
};

/// The mean current of the log's rests: what the display adds. Known to the scatter of the rests
/// where that dithers, else to a rounding.
void zeroOf(const AnalysisInput& in, Tail& tail) {
    const ChannelQuality& q = in.recording.currentQuality();
    const double limit = in.accuracy.currentOffsetSteps * q.resolution;
    const auto& [sum, n] = in.memo->remember<std::pair<double, double>>("rest current", [&] {
        std::pair<double, double> all{0, 0};
        const auto i = in.recording.current_A();
        for (const Step& s : in.steps.list) {
            if (s.kind != StepKind::Rest || s.last < s.first + 4) continue;
            const std::size_t stride = std::max<std::size_t>(1, (s.last - s.first) / 500);
            for (std::size_t k = s.first + 1; k < s.last; k += stride)
                all.first += i[k], ++all.second;
        }
        return all;
    });
    const bool dithers = q.noise >= 0.4 * q.resolution;
    if (n >= 4 && std::abs(sum / n) <= limit + 2 * q.sigma() / std::sqrt(n)) {
        tail.zero_A = sum / n;
        tail.zeroUncertainty =
            std::hypot(q.noise / std::sqrt(std::min(n, 50.0)),
                       dithers ? 0.1 * q.resolution : quantisation(q.resolution));
    } else {
        tail.zeroUncertainty = rectangle(limit);
    }
}

Tail tailOf(const AnalysisInput& in, const Step& step, double floor_A) {
    Tail tail;
    const Recording& r = in.recording;
    const auto t = r.time_s();
    const auto c = r.current_A();
    const auto v = r.voltage_V();
    zeroOf(in, tail);
    tail.zero_A += floor_A;
    const StopMoment stop = stopOf(r, step);
    const std::size_t n = stop.last - step.first + 1;
    const std::size_t bin = std::max<std::size_t>(1, n / 250);
    // Charge counted backwards from the stop.
    std::vector<double> q(n);
    const double last = c[stop.last] - tail.zero_A;
    q[n - 1] = -last * (stop.at_s - t[stop.last]) / 3600;
    for (std::size_t k = n - 1; k-- > 0;) {
        const std::size_t m = step.first + k;
        q[k] = q[k + 1] - (0.5 * (c[m] + c[m + 1]) - tail.zero_A) * (t[m + 1] - t[m]) / 3600;
    }
    for (std::size_t k = 0; k + bin <= n; k += bin) {
        double sq = 0, si = 0, sv = 0;
        for (std::size_t m = k; m < k + bin; ++m)
            sq += q[m], si += c[step.first + m] - tail.zero_A, sv += v[step.first + m];
        const auto w = static_cast<double>(bin);
        tail.q_Ah.push_back(sq / w), tail.i_A.push_back(si / w), tail.v_V.push_back(sv / w);
        tail.weight.push_back(w);
    }
    const auto each = static_cast<double>(bin);
    const ChannelQuality& qi = r.currentQuality();
    const ChannelQuality& qv = r.voltageQuality();
    const auto sigma = [&](const ChannelQuality& x) {
        return std::hypot(
            x.noise / std::sqrt(each),
            quantisation(x.resolution) / (x.noise >= 0.5 * x.resolution ? std::sqrt(each) : 1.0));
    };
    tail.sigma_A = std::max(sigma(qi), 1e-9);
    tail.sigma_V = std::max(sigma(qv), 1e-9);
    tail.from_s = t[step.first];
    tail.to_s = stop.at_s;
    return tail;
}

struct Fit {
    Eigen::VectorXd a;
    Eigen::MatrixXd covariance;
    double freedom = 0;
    std::size_t first = 0;
    bool good = false;
};

/// Polynomial of `order` in the charge through the bins from `first` on; residuals that follow one
/// another widen the covariance by (1 + ρ)/(1 − ρ).
Fit through(const Tail& tail, std::size_t first, int order) {
    Fit out;
    const std::size_t n = tail.q_Ah.size() - first;
    const Eigen::Index m = order + 1;
    if (n < static_cast<std::size_t>(m) + 3) return out;
    const double scale = std::max(-tail.q_Ah[first], 1e-12);
    Eigen::MatrixXd x(static_cast<Eigen::Index>(n), m);
    Eigen::VectorXd y(static_cast<Eigen::Index>(n));
    for (std::size_t k = 0; k < n; ++k) {
        double power = 1;
        for (Eigen::Index p = 0; p < m; ++p, power *= tail.q_Ah[first + k] / scale)
            x(static_cast<Eigen::Index>(k), p) = power;
        y(static_cast<Eigen::Index>(k)) = tail.i_A[first + k];
    }
    const Eigen::MatrixXd inverse = (x.transpose() * x).inverse();
    if (!inverse.allFinite()) return out;
    out.a = inverse * (x.transpose() * y);
    const Eigen::VectorXd residual = y - x * out.a;
    out.freedom = static_cast<double>(n) - static_cast<double>(m);
    double follow = 0;
    for (Eigen::Index k = 1; k < residual.size(); ++k) follow += residual(k) * residual(k - 1);
    const double square = residual.squaredNorm();
    const double rho = square > 0 && n > 6 ? std::clamp(follow / square, 0.0, 0.8) : 0;
    const double variance =
        std::max(square / out.freedom, tail.sigma_A * tail.sigma_A) * (1 + rho) / (1 - rho);
    out.covariance = inverse * variance;
    double power = 1;
    for (Eigen::Index p = 0; p < m; ++p, power *= scale) {
        out.a(p) /= power;
        double other = 1;
        for (Eigen::Index s = 0; s < m; ++s, other *= scale) out.covariance(p, s) /= power * other;
    }
    out.first = first;
    out.good = out.a.allFinite();
    return out;
}

/// First bin of the part that lies under `ratio` times the end current, and rises backwards.
std::size_t under(const Tail& tail, double ratio, double end_A) {
    std::size_t first = tail.q_Ah.size() - 1;
    std::size_t above = 0;
    while (first > 0 && above < 2) {
        above = tail.i_A[first - 1] > ratio * end_A + 2 * tail.sigma_A ? above + 1 : 0;
        --first;
    }
    return std::min(tail.q_Ah.size() - 1, first + above);
}

/// Slope of voltage over current in the taper: minus the regulator's resistance.
struct Regulator {
    double ohm = 0, uncertainty_ohm = 0;
    bool soft = false;
};
Regulator regulatorOf(const Tail& tail, std::size_t first, double unaveraged_V) {
    Regulator out;
    double sw = 0, si = 0, sv = 0, sii = 0, siv = 0, svv = 0;
    double least = INFINITY;
    double most = 0;
    for (std::size_t k = first; k < tail.q_Ah.size(); ++k) {
        const double i = tail.i_A[k];
        const double v = tail.v_V[k] - tail.v_V.back();
        sw += 1, si += i, sv += v, sii += i * i, siv += i * v, svv += v * v;
        least = std::min(least, i), most = std::max(most, i);
    }
    const double det = sw * sii - si * si;
    if (sw < 6 || det <= 1e-12 * sw * sii || most <= least) return out;
    out.ohm = -(sw * siv - si * sv) / det;
    const double offset = (sv + out.ohm * si) / sw;
    const double misfit = std::max(0.0, svv - offset * sv + out.ohm * siv);
    const double sigma = std::max(std::sqrt(misfit / std::max(1.0, sw - 2)), tail.sigma_V);
    // Rounding that does not dither cannot be averaged over the range.
    out.uncertainty_ohm = std::hypot(sigma * std::sqrt(sw / det), unaveraged_V / (most - least));
    out.soft = out.ohm > 2.5 * out.uncertainty_ohm;
    return out;
}

/// What divides voltage by current in the slow taper: from the rest that follows, or a guess from
/// the quick resistances of the log.
struct SlowResistance {
    double ohm = kNaN, uncertainty_ohm = kNaN;
};
SlowResistance slowResistance(const AnalysisInput& in, int step, double end_A) {
    SlowResistance out;
    const auto& list = in.steps.list;
    const auto k = static_cast<std::size_t>(step);
    const auto t = in.recording.time_s();
    const ChannelQuality& q = in.recording.voltageQuality();
    if (k + 1 < list.size() && list[k + 1].kind == StepKind::Rest &&
        t[list[k + 1].last] - t[list[k + 1].first] >= 600) {
        if (const auto rest = relaxationAt(in, k + 1)) {
            double end_V = 0;
            const std::size_t few = std::min<std::size_t>(8, list[k].last - list[k].first);
            for (std::size_t m = list[k].last - few; m < list[k].last; ++m)
                end_V += in.recording.voltage_V()[m] / static_cast<double>(few);
            out.ohm = (end_V - rest->rested_V) / end_A;
            out.uncertainty_ohm = std::hypot(rest->uncertainty_V, 0.5 * q.resolution) / end_A;
            if (out.ohm > 2 * out.uncertainty_ohm) return out;
        }
    }
    if (const StepResistance* s = longestStep(in)) {
        // Diffusion adds to what thirty seconds show: half to one and a half times as much.
        out.ohm = 1.7 * s->resistance_ohm;
        out.uncertainty_ohm = 0.45 * s->resistance_ohm;
    }
    return out;
}

/// Charge from q = 0 until the curve has fallen to `until_A`.
double carriedOn(const Fit& fit, double until_A) {
    if (fit.a(1) >= 0) return kNaN;
    const double over = fit.a(0) - until_A;
    if (over <= 0) return 0;
    if (fit.a.size() == 2) return over / -fit.a(1);
    // over + b·q + c·q² = 0, the first root.
    const double b = fit.a(1);
    const double c = fit.a(2);
    const double inside = b * b - 4 * c * over;
    return inside > 0 ? 2 * over / (-b + std::sqrt(inside)) : kNaN;
}

// How a tail goes on beyond what was logged is the cell's own: shares of the line's answer, for a
// 95 % interval. Set on charges of full-order cells of nine published sets with heat, 0.2 to 2C, 5
// to 40 °C, those of even seeds; judged on the odd ones (docs/methods.md).
constexpr double kPlain = 0.06;
constexpr double kEarly = 0.15;   ///< for each C/20 that still flows at the stop
constexpr double kCold = 0.24;    ///< more for each C/20 at 5 °C
constexpr double kMostEarly = 4;  ///< C/5
constexpr double kBend = 0.6;     ///< of what a parabola that goes on longer adds
constexpr double kBendDoubt = 0.6;
constexpr double kFaster = 0.8;  ///< of what a fall that quickens takes off
constexpr double kFasterDoubt = 0.5;

/// How far from 25 °C towards 5 °C the end of the step was, 0 … 1.
double coldOf(const AnalysisInput& in, const Step& step) {
    constexpr double kWarm_C = 25, kSpan_K = 20, kUnknown = 0.3;
    double t = in.battery.ambient_C;
    if (in.recording.hasTemperature()) t = in.recording.temperature_C()[step.last];
    return std::isfinite(t) ? std::clamp((kWarm_C - t) / kSpan_K, 0.0, 1.2) : kUnknown;
}

ChargeLeft study(const AnalysisInput& in, int index) {
    ChargeLeft out;
    const Step& step = in.steps.list[static_cast<std::size_t>(index)];
    out.from_s = step.start_s, out.to_s = step.end_s;
    const std::string tooShort = phrase(
        "Not measurable from this log: the constant-voltage part is too short or its current does "
        "not fall. Let the charge go on longer, or log faster.");
    if (step.last < step.first + 8) {
        out.why = tooShort;
        return out;
    }
    const auto& taper = taperOf(in, index);
    const double floor = taper ? taper->floor_A : 0;
    Tail tail = tailOf(in, step, floor);
    const std::size_t n = tail.q_Ah.size();
    if (n < 8) {
        out.why = tooShort;
        return out;
    }
    // The current at the stop, first roughly, then from the line itself.
    double end = 0;
    const std::size_t few = std::min<std::size_t>(5, n / 3);
    for (std::size_t k = n - few; k < n; ++k) end += tail.i_A[k] / static_cast<double>(few);
    double top = 0;
    for (std::size_t k = 0; k < std::min<std::size_t>(n, 5); ++k) top = std::max(top, tail.i_A[k]);
    end = std::max(end, 0.5 * tail.sigma_A);
    if (top < 1.12 * end || top - end < 4 * tail.sigma_A) {
        out.why = tooShort;
        return out;
    }
    // Enough of the tail that the line stands out of scatter and resolution.
    const double scatter = tail.sigma_A / std::sqrt(12.0);
    const double ratio = std::clamp(1 + 40 * scatter / end, 1.7, 6.0);
    std::size_t first = under(tail, ratio, end);
    if (n - first < 12) first = n - std::min<std::size_t>(n, 12);
    const Fit line = through(tail, first, 1);
    if (!line.good || !(line.a(1) < 0)) {
        out.why = tooShort;
        return out;
    }
    const double until = in.battery.rated_Ah > 0 ? in.battery.rated_Ah / 1000 : 0;
    const double straight = carriedOn(line, until);
    // Rivals: a shorter line, a parabola through more of the tail.
    double rival = 0;
    const std::size_t shorter = under(tail, 0.5 * (1 + ratio), end);
    if (n - shorter >= 8 && shorter > first) {
        const Fit other = through(tail, shorter, 1);
        if (other.good && other.a(1) < 0) {
            // Only what is more than its own scatter counts as a rival.
            const double scatterOf =
                carriedOn(other, until) * std::sqrt(other.covariance(1, 1)) / -other.a(1);
            rival = std::abs(carriedOn(other, until) - straight) - 0.7 * scatterOf;
        }
    }
    const Fit bent = through(tail, under(tail, 1.8 * ratio, end), 2);
    const double other = bent.good ? carriedOn(bent, until) : kNaN;
    // One that bends away from nothing goes on longer by nobody knows how much: by half.
    const double apart = bent.good && !(other < 3 * straight) ? 0.5
                         : bent.good ? std::clamp(other / straight - 1, -0.25, 0.6)
                                     : 0.0;
    // What scatter alone would bend it.
    const double chance =
        bent.good && bent.a(1) < 0 ? std::sqrt(bent.covariance(1, 1)) / -bent.a(1) : 0;
    const bool bends = std::abs(apart) > std::min(chance, 0.6);
    double value = bends ? straight * (1 + (apart < 0 ? kFaster : kBend) * apart) : straight;
    const double capacity = in.battery.capacity_Ah();
    const double early =
        capacity > 0 ? std::min(kMostEarly, 20 * line.a(0) / capacity) : 0.5 * kMostEarly;
    double doubt = straight * quadrature({kPlain, kEarly * early, kCold * early * coldOf(in, step),
                                          (apart < 0 ? kFasterDoubt : kBendDoubt) * apart});
    doubt = std::max(doubt, rival);
    if (top < 2 * end)
        out.caveats.push_back(
            phrase("The current did not get under half of its first value: carried on from what "
                   "there is, with a wide uncertainty."));
    // On a flat curve with a steep head the surface of the particles runs ahead of their inside the
    // more, the larger the current: an early stop tells little.
    const Chemistry* chemistry = in.chemistry();
    if (chemistry != nullptr && chemistry->steepHead() && in.battery.capacity_Ah() > 0) {
        const double ahead = std::min(1.0, 2.2 * line.a(0) / in.battery.capacity_Ah());
        value *= 1 + 0.05 * ahead;
        doubt = std::hypot(doubt, 1.5 * ahead * straight);
    }
    // A regulator that gives way shares the fall with the cell.
    const ChannelQuality& qv = in.recording.voltageQuality();
    const Regulator regulator =
        regulatorOf(tail, under(tail, 6, end),
                    (qv.noise >= 0.5 * qv.resolution ? 0.3 : 1.0) * quantisation(qv.resolution));
    double shared = 0;
    double sharedUncertainty = 0;
    if (regulator.uncertainty_ohm > 0) {
        const SlowResistance slow = slowResistance(in, index, line.a(0));
        if (regulator.soft && !std::isfinite(slow.ohm)) {
            out.why = phrase(
                "Not measurable from this log: the charger's voltage rises while the current "
                "falls, and without a rest after it the battery's part in that is not known. Log "
                "ten minutes of rest.");
            return out;
        }
        if (std::isfinite(slow.ohm) && slow.ohm > 0) {
            shared = regulator.soft ? regulator.ohm / slow.ohm : 0;
            const double relative = std::min(1.0, slow.uncertainty_ohm / slow.ohm);
            const double unseen =
                regulator.soft
                    ? regulator.uncertainty_ohm
                    : std::min(regulator.uncertainty_ohm,
                               std::max(0.0, regulator.ohm) + 0.5 * regulator.uncertainty_ohm);
            sharedUncertainty = std::hypot(shared * relative, unseen / slow.ohm);
        }
        if (regulator.soft) {
            out.regulator_ohm = regulator.ohm;
            out.caveats.push_back(phrase(
                "The charger's voltage rose as the current fell, like behind {}; counted for "
                "the voltage of the stop held still.",
                shortValue(regulator.ohm, "ohm")));
        }
    }
    out.left_Ah = value / (1 + shared);
    // Covariance of the line read at the stop: Q = (a0 − until)/(−a1).
    const double slope = -line.a(1);
    const double fit =
        std::sqrt(std::max(0.0, line.covariance(0, 0) / (slope * slope) +
                                    straight * straight * line.covariance(1, 1) / (slope * slope) +
                                    2 * straight * line.covariance(0, 1) / (slope * slope)));
    const StopMoment stop = stopOf(in.recording, step);
    const double moment = rectangle(line.a(0) * stop.halfWidth_s / 3600);
    const double zero = tail.zeroUncertainty / slope;
    out.uncertainty_Ah =
        quadrature({fit, doubt / std::sqrt(3.0), moment, zero, out.left_Ah * sharedUncertainty,
                    rectangle(in.accuracy.currentGain * out.left_Ah)});
    const double rectangles = std::max({doubt / std::sqrt(3.0), moment, zero});
    out.coverage = coverageFactor(out.uncertainty_Ah, rectangles, fit, line.freedom);
    const auto t = in.recording.time_s();
    out.from_s = t[std::min(
        in.recording.size() - 1,
        step.first + first * std::max<std::size_t>(1, (stop.last - step.first + 1) / 250))];
    out.to_s = stop.at_s;
    if (out.coverage * out.uncertainty_Ah > out.left_Ah &&
        out.coverage * out.uncertainty_Ah > 0.02 * in.battery.capacity_Ah()) {
        out.left_Ah = out.uncertainty_Ah = kNaN;
        out.why = phrase(
            "Not measurable from this log: the tail is too noisy or too coarse to be carried on. "
            "Log with a finer current, or let the charge go on longer.");
        return out;
    }
    if (taper && taper->floor_A > 0)
        out.caveats.push_back(phrase(
            "The current settles on a floor of {}, a leak or a balancer; charge is counted down to "
            "that.",
            shortValue(taper->floor_A, "A")));
    if (step.endedBy == EndedBy::EndOfLog)
        out.caveats.push_back(phrase("Counted from the end of the log."));
    return out;
}

}  // namespace

const ChargeLeft& chargeLeftOf(const AnalysisInput& in, int step) {
    return in.memo->remember<ChargeLeft>("charge left " + std::to_string(step),
                                         [&] { return study(in, step); });
}

}  // namespace nk
