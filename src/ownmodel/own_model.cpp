#include "own_model.h"

#include <gsl/gsl_multimin.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <functional>
#include <memory>
#include <numeric>

#include "heat_fit.h"
#include "judge.h"
#include "model_fitter.h"
#include "model_log.h"
#include "nickel_log.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

using namespace ownfit;

/// The least of f by the simplex, from `start` with steps; a few hundred evaluations.
std::vector<double> simplex(const std::vector<double>& start, const std::vector<double>& steps,
                            const std::function<double(const std::vector<double>&)>& f) {
    const std::size_t n = start.size();
    gsl_multimin_function wanted{};
    wanted.n = n;
    auto call = f;
    wanted.params = &call;
    wanted.f = [](const gsl_vector* x, void* given) {
        std::vector<double> v(x->size);
        for (std::size_t k = 0; k < v.size(); ++k) v[k] = gsl_vector_get(x, k);
        return (*static_cast<const std::function<double(const std::vector<double>&)>*>(given))(v);
    };
    gsl_vector* x = gsl_vector_alloc(n);
    gsl_vector* step = gsl_vector_alloc(n);
    for (std::size_t k = 0; k < n; ++k) {
        gsl_vector_set(x, k, start[k]);
        gsl_vector_set(step, k, steps[k]);
    }
    gsl_multimin_fminimizer* search =
        gsl_multimin_fminimizer_alloc(gsl_multimin_fminimizer_nmsimplex2, n);
    gsl_multimin_fminimizer_set(search, &wanted, x, step);
    for (int k = 0; k < 60 + 25 * static_cast<int>(n); ++k) {
        if (gsl_multimin_fminimizer_iterate(search) != GSL_SUCCESS) break;
        if (gsl_multimin_fminimizer_size(search) < 3e-3) break;
    }
    std::vector<double> out(n);
    for (std::size_t k = 0; k < n; ++k) out[k] = gsl_vector_get(search->x, k);
    gsl_multimin_fminimizer_free(search);
    gsl_vector_free(x);
    gsl_vector_free(step);
    return out;
}

void learnedBy(OwnModel& m, const Shape& shape, const Eigen::VectorXd& beta) {
    m.scale_Ah = shape.scale_Ah;
    m.correction_V.assign(beta.data(), beta.data() + kCurve);
    m.r0_ohm.assign(beta.data() + kCurve, beta.data() + kCurve + kOhms);
    m.r_ohm = {beta[kCurve + kOhms], beta[kCurve + kOhms + 1]};
    if (m.chemistry->nickel())
        m.nickel.rise_V.assign(beta.data() + kFirstRise, beta.data() + kColumns);
    m.tau_s = {shape.tau1, shape.tau2};
    m.lag_s = shape.lag_s;
    m.lag_Ah_A = shape.lag * shape.lag_s / 3600;
    m.activation_J_mol = shape.activation;
}

/// Where the rested curve meets the floor.
double capacityOf(const OwnModel& m) {
    double low = 0;
    double high = 1.6 * m.scale_Ah;
    for (int k = 0; k < 60; ++k) {
        const double z = 0.5 * (low + high);
        (m.ocv_V(z) > m.chemistry->dischargeFloor_V ? low : high) = z;
    }
    return high;
}

/// What a log from full down to the floor tells of the capacity, and under which load; 0: nothing.
struct Depth {
    double charge_Ah = 0, amps = 0, warmth_C = 25;
};

Depth depthOf(const ModelLog& given, const ThinnedLog& log, const Battery& battery,
              double floor_V) {
    Depth out;
    if (!std::isfinite(log.start_Ah)) return out;
    for (const Step& s : given.steps->list) {
        if (!s.isDischarge() || s.endVoltage_V / battery.cells() > floor_V + 0.1) continue;
        const double missing = log.start_Ah - log.moved_Ah[s.last];
        if (missing < out.charge_Ah) continue;
        out = {missing, std::abs(s.meanCurrent_A), log.temperature(s.last, 25)};
    }
    return out;
}

/// The battery gave less under a lighter load, or more under a heavier one, than it gives today: it
/// was another battery then.
bool anotherCapacity(const Depth& then, const Depth& today) {
    if (!(then.charge_Ah > 0) || !(today.charge_Ah > 0)) return false;
    constexpr double kOther = 0.05;
    const bool lighter = then.amps <= 1.2 * today.amps && then.warmth_C >= today.warmth_C - 5;
    const bool heavier = then.amps >= 0.8 * today.amps && then.warmth_C <= today.warmth_C + 5;
    return (lighter && then.charge_Ah < (1 - kOther) * today.charge_Ah) ||
           (heavier && then.charge_Ah > (1 + kOther) * today.charge_Ah);
}

/// The rating, or the most that one log moves.
double usualCharge(const std::vector<ModelLog>& logs, const Battery& battery) {
    double most = battery.rated_Ah;
    if (most > 0) return most;
    for (const ModelLog& log : logs)
        for (const Step& s : log.steps->list) most = std::max(most, std::abs(s.sum.charge_Ah));
    return std::max(most, 1e-3);
}

/// Blocks that were left out in turn, by time.
void inOrder(LeftOutLog& log) {
    if (std::ranges::is_sorted(log.time_s)) return;
    std::vector<std::size_t> order(log.time_s.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::stable_sort(order, {}, [&](std::size_t k) { return log.time_s[k]; });
    double squares = 0;
    LeftOutLog out;
    for (const std::size_t k : order) {
        out.time_s.push_back(log.time_s[k]);
        out.measured_V.push_back(log.measured_V[k]);
        out.predicted_V.push_back(log.predicted_V[k]);
        squares += std::pow(log.measured_V[k] - log.predicted_V[k], 2);
    }
    out.rms_V = std::sqrt(squares / static_cast<double>(order.size()));
    log = std::move(out);
}

/// Every so manieth row, at most about `most`.
void thin(LeftOutLog& log, std::size_t most) {
    const std::size_t stride = (log.time_s.size() + most - 1) / most;
    if (stride < 2) return;
    for (std::vector<double>* column : {&log.time_s, &log.measured_V, &log.predicted_V}) {
        std::size_t to = 0;
        for (std::size_t k = 0; k < column->size(); k += stride) (*column)[to++] = (*column)[k];
        column->resize(to);
    }
}

}  // namespace

bool OwnModel::wellFormed() const {
    if (chemistry == nullptr || correction_V.size() != static_cast<std::size_t>(kCurve) ||
        r0_ohm.size() != static_cast<std::size_t>(kOhms))
        return false;
    const auto good = [](double x) { return std::isfinite(x); };
    for (const double x : {capacity_Ah, scale_Ah, tau_s[0], tau_s[1], lag_s, heat_J_K, loss_W_K})
        if (!good(x) || !(x > 0)) return false;
    for (const double x : {r_ohm[0], r_ohm[1], lag_Ah_A, activation_J_mol, leftOutRms_V,
                           resistanceShare, chargeShare, fullShare})
        if (!good(x) || x < 0) return false;
    if (chemistry->nickel()) {
        const NickelCharging& n = nickel;
        for (const double x : {n.extra_Ah, n.amps, n.fall_Ah})
            if (!good(x) || !(x > 0)) return false;
        for (const double x : {n.extraSigma_Ah, n.slopeSigma_Ah, n.fallShare})
            if (!good(x) || x < 0) return false;
        if (!good(n.slope_Ah) || n.rise_V.size() != static_cast<std::size_t>(kRise) ||
            !std::ranges::all_of(n.rise_V, good))
            return false;
    } else if (nickel.known()) {
        return false;
    }
    return std::ranges::all_of(correction_V, good) && std::ranges::all_of(r0_ohm, good);
}

double OwnModel::warmthFactor(double temperature_C) const {
    return std::exp(activation_J_mol / kGas_J_molK * (1 / (temperature_C + 273.15) - 1 / 298.15));
}

double OwnModel::ocv_V(double z_Ah) const {
    const double s = level(z_Ah);
    int index = 0;
    double upper = 0;
    hat(kCurveKnots, s, index, upper);
    const auto i = static_cast<std::size_t>(index);
    return base_V(*chemistry, s) + (1 - upper) * correction_V[i] + upper * correction_V[i + 1];
}

double OwnModel::missesAt_V(double z_Ah) const {
    if (leftOutAt_V.size() != std::size(kErrorKnots)) return leftOutRms_V;
    int index = 0;
    double upper = 0;
    hat(kErrorKnots, level(z_Ah), index, upper);
    const auto i = static_cast<std::size_t>(index);
    return (1 - upper) * leftOutAt_V[i] + upper * leftOutAt_V[i + 1];
}

double OwnModel::r0At(double z_Ah, double temperature_C) const {
    int index = 0;
    double upper = 0;
    hat(kResistanceKnots, level(z_Ah), index, upper);
    const auto i = static_cast<std::size_t>(index);
    return ((1 - upper) * r0_ohm[i] + upper * r0_ohm[i + 1]) * warmthFactor(temperature_C);
}

Expected<OwnModel> fitOwnModel(const std::vector<ModelLog>& given, const Battery& battery) {
    const Chemistry* c = battery.chemistryData();
    if (c == nullptr || c->ocv.empty())
        return fail(ErrorKind::InvalidArgument, phrase("The chemistry is not known."), {},
                    phrase("--chemistry with one of the known ones."));
    if (given.empty())
        return fail(ErrorKind::InvalidArgument, phrase("There is no log to learn from."));
    std::vector<ThinnedLog> logs;
    double most_A = 0;
    double deepest = 0;
    double low_C = 1e9;
    double high_C = -1e9;
    const double ambient = battery.hasAmbient() ? battery.ambient_C : 25;
    OwnModel m;
    m.chemistry = c;
    m.series = std::max(1, battery.series);
    m.evidence = {1e9, 0, 0, 0, 1, 0};
    double reach = 0;
    bool atFloor = false;
    std::vector<const ModelLog*> used;
    std::vector<std::size_t> places;
    int met = 0;
    int assumed = 0;  ///< logs that were full, as their peak tells or as is assumed
    if (c->nickel()) m.nickel = learnNickelCharging(given, battery, usualCharge(given, battery));
    Depth today;
    std::size_t others = 0;
    for (const ModelLog& g : given) {
        ThinnedLog log = thinnedLog(g, battery, *c, m.nickel);
        if (log.rows.size() < 20) continue;
        const Depth depth = depthOf(g, log, battery, c->dischargeFloor_V);
        if (!(today.charge_Ah > 0)) today = depth;
        if (anotherCapacity(depth, today)) {
            ++others;
            continue;
        }
        (log.assumedFull ? assumed : met) += std::isfinite(log.start_Ah) ? 1 : 0;
        places.push_back(static_cast<std::size_t>(&g - given.data()));
        used.push_back(&g);
        const auto [least, most] = std::ranges::minmax(log.moved_Ah);
        reach = std::max(reach, most - least);
        for (ModelRow& row : log.rows) {
            row.warmth = log.temperature(row.index, ambient);
            most_A = std::max(most_A, std::abs(row.amps));
            low_C = std::min(low_C, row.warmth);
            high_C = std::max(high_C, row.warmth);
        }
        for (const Step& s : g.steps->list)
            if (s.isDischarge() && s.endVoltage_V / battery.cells() < c->dischargeFloor_V + 0.1)
                atFloor = true;
        logs.push_back(std::move(log));
    }
    if (met > 0)
        for (ThinnedLog& log : logs)
            if (log.assumedFull) log.start_Ah = kNaN;
    for (const ThinnedLog& log : logs)
        if (std::isfinite(log.start_Ah))
            deepest = std::max(deepest, log.start_Ah - std::ranges::min(log.moved_Ah));
    if (c->nickel()) m.chargeShare = 0.01;
    if (c->nickel()) m.fullShare = met > 0 ? 0.01 : assumed > 0 ? 0.04 : 0.08;
    if (logs.empty() || !(most_A > 0))
        return fail(ErrorKind::InvalidArgument,
                    phrase("Nothing can be learned from these logs: no current flows in them."), {},
                    phrase("a charge or discharge of at least twenty rows."));
    const double rated = battery.rated_Ah > 0 ? battery.rated_Ah : std::max(deepest, reach);
    if (reach < 0.1 * rated)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("These logs move {:.0f} % of the charge: too little to learn its capacity.",
                   100 * reach / rated),
            {}, phrase("a log that moves a tenth of it at least."));
    const double further = c->nickel() ? 1.01 : 1.03;
    double scale = atFloor && deepest > 0.3 * rated ? further * deepest : rated;
    const double usual = 0.06 / rated;
    Fitter fitter(std::move(logs), *c, usual);
    std::vector<ThinnedLog>& all = fitter.logs();
    // Starts that no full charge tells: from the first voltage by the chemistry's curve, then
    // searched for.
    Shape shape{scale, 20, 400, c->activation_J_mol, 150, 0.5, {}};
    for (const ThinnedLog& log : all)
        if (!std::isfinite(log.start_Ah)) {
            const double v = log.rows.front().volts - log.rows.front().amps * usual;
            const double full = c->fullSoc;
            shape.starts.push_back(scale * (1 - std::clamp(c->ocv.soc(v) / full, 0.0, 1.0)));
        }
    const auto everything = [](std::size_t, std::size_t) { return true; };
    const bool warmths = high_C - low_C > 8;
    const auto unpack = [&](const std::vector<double>& p) {
        Shape s = shape;
        s.scale_Ah = scale * std::exp(p[0]);
        s.tau1 = std::exp(p[1]);
        s.tau2 = std::exp(p[2]);
        s.lag_s = std::exp(p[3]);
        s.lag = p[4];
        std::size_t k = 5;
        if (warmths) s.activation = 1000 * p[k++];
        for (double& start : s.starts) start = scale * p[k++];
        return s;
    };
    std::vector<double> start{0, std::log(15.0), std::log(600.0), std::log(150.0), 0.5};
    std::vector<double> steps{0.05, 0.7, 0.7, 0.6, 0.5};
    if (warmths) start.push_back(c->activation_J_mol / 1000), steps.push_back(8);
    for (const double z : shape.starts) start.push_back(z / scale), steps.push_back(0.05);
    const auto misses = [&](const std::vector<double>& p) {
        const Shape s = unpack(p);
        if (s.tau1 < 1 || s.tau1 > 200 || s.tau2 < 1.5 * s.tau1 || s.tau2 > 5000 || s.lag_s < 10 ||
            s.lag_s > 3000 || s.lag < 0 || s.lag > 4 || std::abs(p[0]) > 0.5 || s.activation < 0 ||
            s.activation > 80000)
            return 1e12;
        const double stretch = c->nickel() ? 0.005 : 0.05;
        double penalty = p[0] * p[0] / (stretch * stretch);
        penalty += std::pow((s.activation - c->activation_J_mol) / 10000, 2);
        // One load alone cannot tell a surface that lags from a capacity that is larger.
        if (c->nickel()) penalty += std::pow(s.lag / 0.3, 2);
        penalty += fitter.beyond(s) / (0.02 * 0.02);
        return fitter.linear(s, everything).rss + penalty;
    };
    // Two starts: a fast and a slow world.
    std::vector<double> best = simplex(start, steps, misses);
    start[1] = std::log(4.0), start[2] = std::log(200.0), start[3] = std::log(500.0),
    start[4] = 1.2;
    const auto second = simplex(start, steps, misses);
    if (misses(second) < misses(best)) best = second;
    shape = unpack(best);
    const Fitted fit = fitter.linear(shape, everything);
    std::size_t free = 0;
    for (ThinnedLog& log : all)
        if (!std::isfinite(log.start_Ah)) log.start_Ah = shape.starts[free++];

    learnedBy(m, shape, fit.beta);
    m.noise_V = fitter.rms(shape, fit.beta, everything);
    double total = 0;
    for (const double r : m.r0_ohm) total += r;
    if (!(total > 0) && !(m.r_ohm[0] + m.r_ohm[1] > 0))
        return fail(
            ErrorKind::InvalidArgument,
            phrase("No resistance can be learned: the current hardly changes in these logs."), {},
            phrase("a log with a rest, or a charge and a discharge."));

    m.capacity_Ah = capacityOf(m);
    fitHeat(m, all, battery.hasAmbient() ? battery.ambient_C : low_C, rated);

    double misses2[std::size(kErrorKnots)] = {};
    double weights[std::size(kErrorKnots)] = {};
    const auto count = [&](const LeftOutLog& log) {
        for (std::size_t k = 0; k < log.level.size(); ++k) {
            int index = 0;
            double upper = 0;
            hat(kErrorKnots, log.level[k], index, upper);
            const double w = log.weight[k];
            const double e2 = w * std::pow(log.measured_V[k] - log.predicted_V[k], 2);
            misses2[index] += (1 - upper) * e2, weights[index] += (1 - upper) * w;
            misses2[index + 1] += upper * e2, weights[index + 1] += upper * w;
        }
    };
    // Left out: log by log, or block by block of a single one.
    double squares = 0;
    double parts = 0;
    const std::size_t folds = all.size() > 1 ? std::min<std::size_t>(all.size(), 6) : 5;
    for (std::size_t f = 0; f < folds; ++f) {
        const auto out = [&](std::size_t log, std::size_t row) {
            if (all.size() > 1) return log % folds == f;
            return row * 15 / all[0].rows.size() % folds == f;
        };
        const auto in = [&](std::size_t log, std::size_t row) { return !out(log, row); };
        const Fitted other = fitter.linear(shape, in);
        const double e = fitter.rms(shape, other.beta, out);
        squares += e * e;
        parts += 1;
        if (all.size() > 1) {
            OwnModel blind = m;
            learnedBy(blind, shape, other.beta);
            blind.capacity_Ah = capacityOf(blind);
            for (LeftOutLog& log : fitter.told(shape, other.beta, out)) {
                count(log);
                judgeStep(blind, *used[log.log], all[log.log].start_Ah, log);
                m.leftOut.push_back(std::move(log));
            }
        } else {
            for (LeftOutLog& log : fitter.told(shape, other.beta, out)) {
                count(log);
                if (m.leftOut.empty()) m.leftOut.push_back({});
                LeftOutLog& whole = m.leftOut.front();
                const auto join = [](std::vector<double>& to, const std::vector<double>& more) {
                    to.insert(to.end(), more.begin(), more.end());
                };
                join(whole.time_s, log.time_s);
                join(whole.measured_V, log.measured_V);
                join(whole.predicted_V, log.predicted_V);
            }
        }
    }
    for (LeftOutLog& log : m.leftOut) {
        inOrder(log);
        thin(log, 400);
        log.level.clear();
        log.weight.clear();
        log.log = places[log.log];
    }
    std::ranges::sort(m.leftOut, {}, &LeftOutLog::log);
    m.leftOutRms_V = std::sqrt(squares / parts);
    // Where few rows were left out, the usual error counts as so many.
    constexpr double kUsualRows = 20;
    for (std::size_t k = 0; k < std::size(kErrorKnots); ++k)
        m.leftOutAt_V.push_back(
            std::sqrt((misses2[k] + kUsualRows * m.leftOutRms_V * m.leftOutRms_V) /
                      (weights[k] + kUsualRows)));
    // A volt that is wrong by that much under the usual current is this share of the resistance.
    double drop = 0;
    double rows = 0;
    const double mean = total / kOhms + m.r_ohm[0] + m.r_ohm[1];
    for (const ThinnedLog& log : all)
        for (const ModelRow& row : log.rows) {
            drop += std::abs(row.amps) * mean;
            rows += 1;
        }
    m.resistanceShare = std::clamp(m.leftOutRms_V / std::max(drop / rows, 1e-6) * 0.5, 0.01, 0.5);

    for (const ThinnedLog& log : all)
        for (const ModelRow& row : log.rows) {
            const double level = m.level(log.start_Ah + row.z_from_start);
            m.evidence.soc_low = std::min(m.evidence.soc_low, level);
            m.evidence.soc_high = std::max(m.evidence.soc_high, level);
            if (std::abs(row.amps) > 0.02 * rated) {
                m.evidence.c_low = std::min(m.evidence.c_low, std::abs(row.amps) / rated);
                m.evidence.c_high = std::max(m.evidence.c_high, std::abs(row.amps) / rated);
            }
        }
    m.evidence.c_low = std::min(m.evidence.c_low, m.evidence.c_high);
    m.evidence.t_low_C = low_C;
    m.evidence.t_high_C = high_C;
    if (!m.heatKnown)
        m.caveats.push_back(
            phrase("Its warmth was not logged well enough: usual figures of heat."));
    if (others > 0)
        m.caveats.push_back(
            phrase("{} logs were left out: the battery held another charge then.", others));
    if (m.leftOutRms_V > 0.025)
        m.caveats.push_back(phrase("Rough: it misses what it did not see by {:.0f} mV a cell.",
                                   1000 * m.leftOutRms_V));
    if (c->nickel() && met == 0)
        m.caveats.push_back(
            phrase("No charge in these logs shows its peak: what is full here is a guess."));
    if (m.evidence.soc_low > 0.15 || !atFloor)
        m.caveats.push_back(
            phrase("No log goes down to the floor: the capacity is carried on by the "
                   "chemistry's usual curve."));
    return m;
}

}  // namespace nk
