#include "taper.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/decay.h"
#include "analysis/finish/charge_left.h"
#include "quantity/format.h"
#include "quantity/two_threads.h"

namespace nk {

double TaperFit::current_A(double t_s) const {
    return floor_A + amplitude_A * std::exp(-(t_s - start_s) / tau_s);
}

namespace {

struct Points {
    std::vector<double> t, i;  ///< binned
    double weight = 1;         ///< samples in a bin
    double sum = 0;            ///< of i
    double first_s = 0;
};

Points binned(const Recording& r, std::size_t first, std::size_t last) {
    Points p;
    const auto t = r.time_s();
    const auto c = r.current_A();
    p.first_s = t[first];
    const std::size_t bin = std::max<std::size_t>(1, (last - first + 1) / 80);
    for (std::size_t k = first; k + bin <= last + 1; k += bin) {
        double st = 0;
        double sc = 0;
        for (std::size_t n = k; n < k + bin; ++n) st += t[n], sc += c[n];
        p.t.push_back(st / static_cast<double>(bin) - p.first_s);
        p.i.push_back(sc / static_cast<double>(bin));
    }
    p.weight = static_cast<double>(bin);
    for (const double i : p.i) p.sum += i;
    return p;
}

struct Linear {
    double amplitude = 0, floor = 0, misfit = 0;
};

/// For a given time constant amplitude and floor follow linearly (variable projection, Golub and
/// Pereyra, SIAM J. Numer. Anal. 10 (1973) 413–432). The floor is never negative.
Linear solve(const Points& p, Decay& decay, double tau, bool withFloor) {
    decay.at(tau);
    const auto [se, see, sei] = decay.sums(p.i);
    const auto sw = static_cast<double>(p.t.size());
    const double si = p.sum;
    Linear out;
    const double det = sw * see - se * se;
    if (withFloor && det > 1e-12 * sw * see) {
        out.amplitude = (sw * sei - se * si) / det;
        out.floor = (see * si - se * sei) / det;
    }
    if (!withFloor || out.floor < 0 || det <= 1e-12 * sw * see) {
        out.floor = 0;
        out.amplitude = sei / see;
    }
    out.misfit = p.weight * decay.misfit(p.i, out.floor, out.amplitude);
    return out;
}

struct Best {
    double tau = 0, spread = 0;
    Linear linear;
};

/// Golden-section search over ln τ, and the curvature of the misfit as its uncertainty.
Best search(const Points& p, bool withFloor, double sigma2) {
    Decay decay(p.t);
    const double span = std::max(p.t.back() - p.t.front(), 1e-6);
    double low = std::log(span / 200);
    double high = std::log(span * 50);
    // A coarse scan first: the misfit may have more than one valley.
    double best = 1e300;
    double at = low;
    for (int k = 0; k <= 12; ++k) {
        const double x = low + (high - low) * k / 12;
        const double m = solve(p, decay, std::exp(x), withFloor).misfit;
        if (m < best) best = m, at = x;
    }
    const double cell = (high - low) / 12;
    low = at - cell;
    high = at + cell;
    constexpr double kGolden = 0.6180339887498949;
    double a = high - kGolden * (high - low);
    double b = low + kGolden * (high - low);
    double fa = solve(p, decay, std::exp(a), withFloor).misfit;
    double fb = solve(p, decay, std::exp(b), withFloor).misfit;
    for (int k = 0; k < 11; ++k) {
        if (fa < fb) {
            high = b, b = a, fb = fa;
            a = high - kGolden * (high - low);
            fa = solve(p, decay, std::exp(a), withFloor).misfit;
        } else {
            low = a, a = b, fa = fb;
            b = low + kGolden * (high - low);
            fb = solve(p, decay, std::exp(b), withFloor).misfit;
        }
    }
    Best out;
    // The valley is round there: its lowest point is a parabola's.
    double x = 0.5 * (low + high);
    const double reach = std::max(high - low, 1e-3);
    const double left = solve(p, decay, std::exp(x - reach), withFloor).misfit;
    const double middle = solve(p, decay, std::exp(x), withFloor).misfit;
    const double right = solve(p, decay, std::exp(x + reach), withFloor).misfit;
    const double round = left + right - 2 * middle;
    if (round > 0) x += std::clamp(0.5 * (left - right) / round, -1.0, 1.0) * reach;
    out.tau = std::exp(x);
    out.linear = solve(p, decay, out.tau, withFloor);
    const double h = 0.02;
    const double curvature =
        (solve(p, decay, std::exp(x + h), withFloor).misfit +
         solve(p, decay, std::exp(x - h), withFloor).misfit - 2 * out.linear.misfit) /
        (h * h);
    // Half of the misfit's second derivative is the information on ln τ.
    const double dof = std::max(1.0, static_cast<double>(p.t.size()) - 3);
    const double scale = std::max(sigma2, out.linear.misfit / dof);
    out.spread = curvature > 0 ? out.tau * std::sqrt(2 * scale / curvature) : out.tau;
    return out;
}

/// Whether from `from_s` to sample `last` the current falls clearly more than by `expected_A`, and
/// by so much that no floor of `floor_A` is near.
bool fallsFaster(const Recording& r, std::size_t last, double from_s, double expected_A,
                 double floor_A) {
    const auto t = r.time_s();
    const auto c = r.current_A();
    const auto at = static_cast<std::size_t>(std::ranges::lower_bound(t, from_s) - t.begin());
    if (at < 1 || at + 4 > last) return false;
    // Means of as many samples about the one end as before the other.
    const std::size_t few = std::max<std::size_t>(2, (last - at) / 6);
    if (at < few) return false;
    double before = 0;
    double behind = 0;
    for (std::size_t k = 0; k < few; ++k)
        before += c[at - few / 2 + k], behind += c[last - few + 1 + k];
    const auto n = static_cast<double>(few);
    const ChannelQuality& q = r.currentQuality();
    const double scatter = 3 * q.sigma() / std::sqrt(n) + 0.3 * q.resolution;
    const double fall = (before - behind) / n;
    return fall > 1.25 * expected_A + scatter && fall > 0.1 * floor_A;
}

}  // namespace

std::optional<TaperFit> fitTaper(const Recording& r, const Step& step) {
    if (step.last < step.first + 8) return std::nullopt;
    const auto t = r.time_s();
    const auto c = r.current_A();
    const std::size_t n = step.last - step.first + 1;
    const std::size_t head = std::min<std::size_t>(5, n / 8 + 1);
    double start = 0;
    for (std::size_t k = step.first; k < step.first + head; ++k)
        start += c[k] / static_cast<double>(head);
    if (start <= 0) return std::nullopt;
    TaperFit fit;
    // Relaxation makes the beginning steeper: only the part under half of the first current.
    std::size_t first = step.first;
    std::size_t below = 0;
    for (std::size_t k = step.first; k <= step.last; ++k) {
        below = c[k] < 0.5 * start ? below + 1 : 0;
        if (below == 1) first = k;
        if (below >= 3) break;
    }
    if (below < 3 || step.last < first + 8) {
        first = step.first + n / 2;
        fit.wholeTail = true;
    }
    if (step.last < first + 6) return std::nullopt;
    // A last sample on which the charger has let go already is no taper.
    std::size_t last = step.last;
    while (last > first + 6 && c[last] < 0.6 * c[last - 1] - 3 * r.currentQuality().noise) --last;
    const Points p = binned(r, first, last);
    if (p.t.size() < 6) return std::nullopt;
    const double noise = std::max(r.currentQuality().sigma(), 1e-9);
    const Best with = search(p, true, noise * noise);
    const Best without = search(p, false, noise * noise);
    const double dof = std::max(1.0, static_cast<double>(p.t.size()) - 3);
    const double scale = std::max(noise * noise, with.linear.misfit / dof);
    // A floor is taken only where it explains much more (F test, about 99.9 %) and the tail is long
    // enough to show one.
    const double gain = (without.linear.misfit - with.linear.misfit) / scale;
    const double span = t[last] - t[first];
    // A floor must be seen, not guessed: the current has come close to it, and falls no faster at
    // the end than it would above one. The slow end of diffusion looks like a floor until then.
    const auto over = [&](double t_s) {
        return with.linear.amplitude * std::exp(-(t_s - p.first_s) / with.tau);
    };
    const double end_s = t[last];
    const bool floor = gain > 12 && with.linear.floor > 0 && with.linear.amplitude > 0 &&
                       over(end_s) < 0.3 * with.linear.floor &&
                       !fallsFaster(r, last, end_s - span / 8, over(end_s - span / 8) - over(end_s),
                                    with.linear.floor);
    const Best& best = floor ? with : without;
    if (best.linear.amplitude <= 0 || best.tau > 20 * span) return std::nullopt;
    fit.start_s = p.first_s;
    fit.end_s = t[last];
    fit.amplitude_A = best.linear.amplitude;
    fit.tau_s = best.tau;
    fit.floor_A = best.linear.floor;
    fit.tauUncertainty_s = best.spread;
    fit.residual_A =
        std::sqrt(best.linear.misfit / std::max(1.0, static_cast<double>(last - first)));
    fit.single = best.linear.misfit / dof < 6 * noise * noise;
    // Slow relaxation bends the tail: its later half is nearer to how it goes on, and to the floor
    // it comes down to.
    const std::size_t middle = first + (last - first) / 2;
    if (last - middle >= 12) {
        const Points later = binned(r, middle, last);
        const Best half = search(later, floor, noise * noise);
        const bool told =
            floor
                ? half.spread < 0.3 * half.tau && half.linear.floor > 0 && half.linear.amplitude > 0
                : half.spread < 0.05 * half.tau && half.tau < 5 * (t[last] - later.first_s);
        if (told) {
            fit.tauUncertainty_s =
                std::hypot(half.spread, std::abs(half.tau - best.tau) / std::sqrt(3.0));
            fit.tau_s = half.tau;
            fit.start_s = later.first_s;
            fit.amplitude_A = half.linear.amplitude;
            fit.floor_A = half.linear.floor;
        }
    }
    if (floor) {
        // No floor lies above what flows at the end.
        double end = 0;
        const std::size_t few = std::clamp<std::size_t>((last - first) / 50, 3, 50);
        for (std::size_t k = last + 1 - few; k <= last; ++k) end += c[k] / static_cast<double>(few);
        fit.floor_A = std::clamp(fit.floor_A, 0.0, std::max(end, 0.0));
    }
    return fit;
}

const std::optional<TaperFit>& taperOf(const AnalysisInput& in, int step) {
    return in.memo->remember<std::optional<TaperFit>>("taper " + std::to_string(step), [&] {
        return fitTaper(in.recording, in.steps.list[static_cast<std::size_t>(step)]);
    });
}

namespace {

/// What went in since the start of a charge, the step itself and the charge steps right before it,
/// at each of the step's samples.
class ChargeSince {
  public:
    ChargeSince(const AnalysisInput& in, int cvStep) : in_(in) {
        const auto& list = in.steps.list;
        auto k = static_cast<std::size_t>(cvStep);
        while (k > 0 && list[k - 1].isCharge()) --k;
        from_ = list[k].countFrom;
        to_ = std::max(list[static_cast<std::size_t>(cvStep)].countTo, from_);
        first_ = std::clamp(list[static_cast<std::size_t>(cvStep)].first, from_, to_);
        const auto t = in.recording.time_s();
        const auto i = in.recording.current_A();
        double sum_As = 0;
        const auto interval = [&](std::size_t n) {
            return 0.5 * (i[n] + i[n + 1]) * (t[n + 1] - t[n]);
        };
        for (std::size_t n = from_; n < first_; ++n) sum_As += interval(n);
        sums_As_.reserve(to_ - first_ + 1);
        sums_As_.push_back(sum_As);
        for (std::size_t n = first_; n < to_; ++n) sums_As_.push_back(sum_As += interval(n));
    }
    /// Ah at the sample nearest to a time within the step.
    double until(double time_s) const {
        const std::size_t n = std::clamp(in_.recording.nearest(time_s), first_, to_);
        return sums_As_[n - first_] / 3600;
    }

  private:
    const AnalysisInput& in_;
    std::size_t from_ = 0, first_ = 0, to_ = 0;
    std::vector<double> sums_As_;
};

template <class Fill>
void eachTaper(const AnalysisInput& in, std::vector<Reading>& out, const char* name,
               const char* unit, const char* method, Fill fill) {
    const auto& list = in.steps.list;
    collectInTwo(list.size(), 500, out, [&](std::size_t k, std::vector<Reading>& to) {
        if (list[k].kind != StepKind::CvCharge) return;
        Reading r;
        r.name = name;
        r.unit = unit;
        r.method = method;
        r.evidence = {list[k].start_s, list[k].end_s, static_cast<int>(k)};
        const auto& fit = taperOf(in, static_cast<int>(k));
        if (!fit) {
            r.caveats.push_back(phrase(
                "Not measurable from this log: the constant-voltage part is too short or its "
                "current does not fall. Let the charge go on longer, or log faster."));
        } else {
            r.evidence.from_s = fit->start_s;
            r.evidence.to_s = fit->end_s;
            fill(*fit, k, r);
            if (fit->wholeTail)
                r.caveats.push_back(phrase(
                    "The current did not get under half of its first value: fitted to the second "
                    "half of what there is, with a wide uncertainty."));
            if (!fit->single)
                r.caveats.push_back(phrase(
                    "One exponential does not describe this tail within its noise; the range "
                    "covers other readings of it."));
            if (fit->floor_A > 0)
                r.caveats.push_back(
                    phrase("The current settles on a floor of {}, a leak or a balancer; "
                           "charge is counted down to that.",
                           shortValue(fit->floor_A, "A")));
        }
        to.push_back(std::move(r));
    });
}

}  // namespace

void computeTaperTimeConstant(const AnalysisInput& in, std::vector<Reading>& out) {
    eachTaper(in, out, "taper_time_constant", "s", "exponential_late_tail",
              [](const TaperFit& fit, std::size_t, Reading& r) {
                  r.value = fit.tau_s;
                  r.uncertainty = fit.tauUncertainty_s;
              });
}

namespace {

CutoffRow cutoffAt(const AnalysisInput& in, int cvStep, const std::optional<TaperFit>& fit,
                   const ChargeSince& charge, double current_A) {
    const Step& step = in.steps.list[static_cast<std::size_t>(cvStep)];
    const auto t = in.recording.time_s();
    const auto c = in.recording.current_A();
    const double noise = in.recording.currentQuality().noise;
    CutoffRow row;
    row.current_A = current_A;
    // Enough samples on both sides that noise does not pass for the crossing.
    const double ratio = current_A > 0 ? 10 * noise / current_A : 0;
    const auto need = static_cast<std::size_t>(std::clamp(ratio * ratio, 1.0, 60.0));
    std::size_t below = 0;
    double crossing = kNaN;
    for (std::size_t k = step.first; k <= step.last; ++k) {
        below = c[k] <= current_A ? below + 1 : 0;
        if (below == need) {
            crossing = t[k + 1 - need];
            break;
        }
    }
    if (std::isfinite(crossing)) {
        row.time_s = crossing;
        row.charge_Ah = charge.until(crossing);
        row.uncertainty_Ah = std::hypot(rectangle(in.accuracy.currentGain * row.charge_Ah),
                                        current_A * in.recording.usualInterval_s() / 3600);
    } else if (fit && current_A > fit->floor_A * 1.02) {
        row.extrapolated = true;
        row.time_s =
            fit->start_s + fit->tau_s * std::log(fit->amplitude_A / (current_A - fit->floor_A));
        const double over = fit->amplitude_A * std::exp(-(fit->end_s - fit->start_s) / fit->tau_s);
        const double gained = (over - (current_A - fit->floor_A)) * fit->tau_s / 3600 +
                              fit->floor_A * std::max(0.0, row.time_s - fit->end_s) / 3600;
        row.charge_Ah = charge.until(fit->end_s) + std::max(0.0, gained);
        const ChargeLeft& left = chargeLeftOf(in, cvStep);
        row.uncertainty_Ah = std::hypot(std::isfinite(left.left_Ah) && left.left_Ah > 0
                                            ? gained * left.uncertainty_Ah / left.left_Ah
                                            : 0.5 * gained,
                                        rectangle(in.accuracy.currentGain * row.charge_Ah));
    } else {
        row.reachable = false;
    }
    return row;
}

}  // namespace

CutoffRow cutoffAt(const AnalysisInput& in, int cvStep, const std::optional<TaperFit>& fit,
                   double current_A) {
    return cutoffAt(in, cvStep, fit, ChargeSince(in, cvStep), current_A);
}

std::vector<CutoffRow> cutoffTable(const AnalysisInput& in, int cvStep) {
    std::vector<CutoffRow> rows;
    if (in.battery.capacity_Ah() <= 0 || cvStep < 0 ||
        cvStep >= static_cast<int>(in.steps.list.size()))
        return rows;
    const auto& fit = taperOf(in, cvStep);
    const ChargeSince charge(in, cvStep);
    for (const int denominator : {5, 10, 20, 30, 50}) {
        rows.push_back(cutoffAt(in, cvStep, fit, charge, in.battery.capacity_Ah() / denominator));
        rows.back().denominator = denominator;
    }
    return rows;
}

}  // namespace nk
