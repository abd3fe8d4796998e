#include "fade_fit.h"

#include <gsl/gsl_cdf.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numeric>

namespace nk {

namespace {

/// Beyond this many rows neighbours are averaged: a law has no more to tell than that.
constexpr std::size_t kMostRows = 1500;
/// A condition earns its place by lowering Akaike's criterion by this.
constexpr double kEarned = 6;

struct Rows {
    Eigen::VectorXd u, y;
    Eigen::MatrixXd z;  ///< conditions, without their medians
    double floor = 0;   ///< variance of rounding
};

double medianOf(std::vector<double> v) {
    const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::ranges::nth_element(v, middle);
    if (v.size() % 2 == 1) return *middle;
    return 0.5 * (*middle + *std::max_element(v.begin(), middle));
}

struct Fit {
    double rss = 0;
    Eigen::VectorXd beta;
    Eigen::MatrixXd inverse;  ///< (XᵀX)⁻¹
    bool good = false;
};

Fit leastSquares(const Rows& rows, FadeLaw law, double shape, bool conditions) {
    const Eigen::Index n = rows.u.size();
    const Eigen::Index p = law == FadeLaw::TwoSlopes ? 3 : 2;
    const Eigen::Index q = conditions ? rows.z.cols() : 0;
    Eigen::MatrixXd x(n, p + q);
    for (Eigen::Index k = 0; k < n; ++k) {
        const auto h = fadeBasis(law, shape, rows.u[k]);
        for (Eigen::Index j = 0; j < p; ++j) x(k, j) = h[static_cast<std::size_t>(j)];
        for (Eigen::Index j = 0; j < q; ++j) x(k, p + j) = rows.z(k, j);
    }
    Fit out;
    const Eigen::MatrixXd normal = x.transpose() * x;
    const Eigen::LDLT<Eigen::MatrixXd> solver(normal);
    if (solver.info() != Eigen::Success || !(solver.rcond() > 1e-14)) return out;
    out.beta = solver.solve(x.transpose() * rows.y);
    out.inverse = solver.solve(Eigen::MatrixXd::Identity(p + q, p + q));
    out.rss = (rows.y - x * out.beta).squaredNorm() + rows.floor * static_cast<double>(n);
    out.good = std::isfinite(out.rss);
    return out;
}

struct LawShape {
    FadeLaw law;
    double low, high;
    int parameters;  ///< with the noise
};
constexpr LawShape kLaws[] = {{FadeLaw::Linear, 0, 0, 3},
                              {FadeLaw::SquareRoot, 0, 0, 3},
                              {FadeLaw::SquareRootAndLinear, 0, 1, 4},
                              {FadeLaw::Power, 0.2, 4, 4},
                              {FadeLaw::TwoSlopes, 0.05, 0.95, 5}};

struct Tried {
    double shape = 0;
    Fit fit;
};

/// Fits over a grid of shapes that closes in on where the likelihood is. `points`: rows that count
/// as independent.
std::vector<Tried> tryShapes(const Rows& rows, const LawShape& law, double points,
                             bool conditions) {
    std::vector<Tried> out;
    if (law.low == law.high) {
        Tried only{law.low, leastSquares(rows, law.law, law.low, conditions)};
        if (only.fit.good) out.push_back(std::move(only));
        return out;
    }
    double low = law.low;
    double high = law.high;
    constexpr int kGrid = 41;
    for (int round = 0; round < 7; ++round) {
        out.clear();
        for (int k = 0; k < kGrid; ++k) {
            const double shape = low + (high - low) * k / (kGrid - 1);
            Tried tried{shape, leastSquares(rows, law.law, shape, conditions)};
            if (tried.fit.good) out.push_back(std::move(tried));
        }
        if (out.empty()) return out;
        double best = out.front().fit.rss;
        for (const Tried& t : out) best = std::min(best, t.fit.rss);
        double from = kNaN;
        double to = kNaN;
        std::size_t inside = 0;
        for (const Tried& t : out) {
            if (0.5 * points * std::log(t.fit.rss / best) > 8) continue;
            if (!std::isfinite(from)) from = t.shape;
            to = t.shape;
            ++inside;
        }
        if (inside > kGrid / 2 || round == 6) break;
        const double step = (high - low) / (kGrid - 1);
        low = std::max(law.low, from - step);
        high = std::min(law.high, to + step);
    }
    return out;
}

/// How many neighbours count as one, from residuals in the order of the axis.
double correlationTime(const Eigen::VectorXd& r) {
    const Eigen::Index n = r.size();
    const double whole = r.squaredNorm();
    if (n < 12 || !(whole > 0)) return 1;
    const double chance = 1 / std::sqrt(static_cast<double>(n));
    double sum = 1;
    for (Eigen::Index lag = 1; lag < n / 4; ++lag) {
        const double c = r.head(n - lag).dot(r.tail(n - lag)) / whole;
        if (c < (lag == 1 ? 2.2 : 1.0) * chance) break;
        sum += 2 * c;
    }
    return std::min(sum, static_cast<double>(n) / 8);
}

/// The part of residuals that chance does not make, as a random walk over the whole axis: what the
/// means of blocks scatter beyond their own noise. A line through such a walk leaves a fifteenth of
/// its variance.
double walkOf(const Eigen::VectorXd& r) {
    const Eigen::Index n = r.size();
    constexpr Eigen::Index kBlocks = 8;
    constexpr double kLeftByALine = 15;
    if (n < 3 * kBlocks) return 0;
    // Noise from neighbours, which a slow walk hardly moves.
    const double noise2 = (r.tail(n - 1) - r.head(n - 1)).squaredNorm() / (2.0 * (n - 1));
    double square = 0;
    for (Eigen::Index b = 0; b < kBlocks; ++b) {
        const Eigen::Index from = b * n / kBlocks;
        const double mean = r.segment(from, (b + 1) * n / kBlocks - from).mean();
        square += mean * mean / kBlocks;
    }
    const double slow2 = square - noise2 * kBlocks / static_cast<double>(n);
    return slow2 > 0 ? std::sqrt(kLeftByALine * slow2) : 0;
}

/// The line through the last two fifths of the rows (five at least), less what conditions explain.
void rivalLine(const Rows& rows, const Eigen::VectorXd* beta, FadeModel& model) {
    const Eigen::Index n = rows.u.size();
    constexpr double kLate = 0.4;
    constexpr Eigen::Index kFewest = 5;
    const double last = rows.u[n - 1];
    Eigen::Index from = n;
    while (from > 0 &&
           (n - from < kFewest || rows.u[from - 1] >= last - kLate * (last - rows.u[0])))
        --from;
    const Eigen::Index count = n - from;
    if (count < kFewest) return;
    double su = 0, sy = 0, suu = 0, suy = 0, syy = 0;
    for (Eigen::Index k = from; k < n; ++k) {
        double y = rows.y[k] - rows.y[n - 1];
        if (beta != nullptr)
            for (Eigen::Index c = 0; c < rows.z.cols(); ++c)
                y -= (*beta)[beta->size() - rows.z.cols() + c] * rows.z(k, c);
        const double u = rows.u[k] - last;
        su += u, sy += y, suu += u * u, suy += u * y, syy += y * y;
    }
    const auto m = static_cast<double>(count);
    const double det = m * suu - su * su;
    if (!(det > 0)) return;
    const double slope = (m * suy - su * sy) / det;
    const double level = (sy - slope * su) / m;
    const double s2 = std::max(0.0, syy - level * sy - slope * suy) / std::max(1.0, m - 2);
    model.rival = rows.y[n - 1] + level;
    model.rivalSlope = slope / model.scale;
    model.rivalUncertainty = std::sqrt(s2 * suu / det);
    model.rivalSlopeUncertainty = std::sqrt(s2 * m / det) / model.scale;
}

Rows makeRows(const FadeSeries& series, double origin, double scale) {
    const std::size_t n = series.at.size();
    const std::size_t each = (n + kMostRows - 1) / kMostRows;
    const std::size_t count = (n + each - 1) / each;
    Rows out;
    out.u = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(count));
    out.y = out.u;
    const auto q = static_cast<Eigen::Index>(series.conditions.size());
    out.z = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(count), q);
    std::vector<double> medians;
    for (const auto& c : series.conditions) medians.push_back(medianOf(c));
    for (std::size_t k = 0; k < count; ++k) {
        const std::size_t to = std::min(n, (k + 1) * each);
        const auto row = static_cast<Eigen::Index>(k);
        const double share = 1.0 / static_cast<double>(to - k * each);
        for (std::size_t i = k * each; i < to; ++i) {
            out.u[row] += share * (series.at[i] - origin) / scale;
            out.y[row] += share * series.value[i];
            for (Eigen::Index c = 0; c < q; ++c)
                out.z(row, c) += share * (series.conditions[static_cast<std::size_t>(c)][i] -
                                          medians[static_cast<std::size_t>(c)]);
        }
    }
    const double level = std::abs(series.value.front());
    const double step = std::max(series.resolution, 1e-9 * level);
    out.floor = step * step / 12 / static_cast<double>(each);
    return out;
}

double aicc(double rss, double points, int parameters) {
    return points * std::log(rss / points) + 2.0 * parameters +
           2.0 * parameters * (parameters + 1) / (points - parameters - 1);
}

/// Knees where the rows allow three before and a twelfth of them after: what bends later cannot be
/// told from chance.
LawShape within(const LawShape& law, const Rows& rows) {
    if (law.law != FadeLaw::TwoSlopes) return law;
    LawShape out = law;
    out.low = rows.u[2];
    out.high = rows.u[rows.u.size() - std::max<Eigen::Index>(3, rows.u.size() / 12)];
    return out;
}

}  // namespace

std::array<double, 3> fadeBasis(FadeLaw law, double shape, double u) {
    u = std::max(u, 0.0);
    switch (law) {
        case FadeLaw::Linear:
            return {1, u, 0};
        case FadeLaw::SquareRoot:
            return {1, std::sqrt(u), 0};
        case FadeLaw::SquareRootAndLinear:
            return {1, shape * std::sqrt(u) + (1 - shape) * u, 0};
        case FadeLaw::Power:
            return {1, std::pow(u, shape), 0};
        case FadeLaw::TwoSlopes:
            return {1, u, std::max(0.0, u - shape)};
    }
    return {};
}

void fitLaws(const FadeSeries& series, double first, FadeResult& out) {
    const std::size_t n = series.at.size();
    if (n < 5) return;
    FadeModel& model = out.model;
    model.rising = series.rising;
    model.first = first;
    model.last = series.at.back();
    model.origin = std::min(first, 0.0);
    model.scale = model.last - model.origin;
    Rows rows = makeRows(series, model.origin, model.scale);
    const auto count = static_cast<double>(rows.u.size());

    struct Whole {
        LawShape law;
        std::vector<Tried> tried;
        double best = 0;
        std::size_t at = 0;
    };
    const auto fitAll = [&](bool conditions, double points) {
        std::vector<Whole> all;
        for (const LawShape& law : kLaws) {
            const int parameters =
                law.parameters + (conditions ? static_cast<int>(rows.z.cols()) : 0);
            if (points - parameters - 1 < 0.5) continue;
            if (law.law == FadeLaw::TwoSlopes && rows.u.size() < 8) continue;
            Whole whole{within(law, rows), {}, 0, 0};
            whole.law.parameters = parameters;
            whole.tried = tryShapes(rows, whole.law, points, conditions);
            if (whole.tried.empty()) continue;
            for (std::size_t k = 0; k < whole.tried.size(); ++k)
                if (whole.tried[k].fit.rss < whole.tried[whole.at].fit.rss) whole.at = k;
            whole.best = aicc(whole.tried[whole.at].fit.rss, points, parameters);
            all.push_back(std::move(whole));
        }
        std::ranges::sort(all, {}, &Whole::best);
        return all;
    };
    bool conditions = false;
    std::vector<Whole> all = fitAll(false, count);
    if (all.empty()) return;
    if (rows.z.cols() > 0) {
        auto with = fitAll(true, count);
        if (!with.empty() && with.front().best < all.front().best - kEarned) {
            // Warmth changes a share of what is left, not a figure of ampere-hours: the effect
            // shrinks with the curve.
            const Tried& best = with.front().tried[with.front().at];
            const auto curve = [&](double u) {
                const auto h = fadeBasis(with.front().law.law, best.shape, u);
                double y = 0;
                for (Eigen::Index j = 0; j < (with.front().law.law == FadeLaw::TwoSlopes ? 3 : 2);
                     ++j)
                    y += best.fit.beta[j] * h[static_cast<std::size_t>(j)];
                return y;
            };
            const double begin = curve(rows.u[0]);
            for (Eigen::Index k = 0; k < rows.z.rows(); ++k)
                rows.z.row(k) *= curve(rows.u[k]) / begin;
            all = fitAll(true, count);
            conditions = true;
        }
    }
    // Neighbours that agree: fewer points, another weighing of the same fits.
    const auto residuals = [&](const Whole& whole) {
        const Tried& best = whole.tried[whole.at];
        Eigen::VectorXd r = rows.y;
        for (Eigen::Index k = 0; k < r.size(); ++k) {
            const auto h = fadeBasis(whole.law.law, best.shape, rows.u[k]);
            for (Eigen::Index j = 0; j < (whole.law.law == FadeLaw::TwoSlopes ? 3 : 2); ++j)
                r[k] -= best.fit.beta[j] * h[static_cast<std::size_t>(j)];
            if (conditions)
                for (Eigen::Index c = 0; c < rows.z.cols(); ++c)
                    r[k] -= best.fit.beta[best.fit.beta.size() - rows.z.cols() + c] * rows.z(k, c);
        }
        return r;
    };
    const Eigen::VectorXd left = residuals(all.front());
    out.correlation = correlationTime(left);
    constexpr double kLeastWalk = 0.002;
    model.walk = std::max(kLeastWalk * std::abs(rows.y[0]), walkOf(left));
    rivalLine(rows, conditions ? &all.front().tried[all.front().at].fit.beta : nullptr, model);
    double points = count;
    if (out.correlation > 1) {
        points = std::max(6.0, count / out.correlation);
        auto again = fitAll(conditions, points);
        if (!again.empty()) all = std::move(again);
    }
    const double inflation = count / points;

    double sum = 0;
    for (const Whole& w : all) sum += std::exp(-0.5 * (w.best - all.front().best));
    for (const Whole& w : all) {
        const double weight = std::exp(-0.5 * (w.best - all.front().best)) / sum;
        LawFit fit;
        fit.law = w.law.law;
        fit.aicc = w.best;
        fit.weight = weight;
        fit.shape = w.law.law == FadeLaw::TwoSlopes
                        ? model.origin + model.scale * w.tried[w.at].shape
                    : w.law.low < w.law.high ? w.tried[w.at].shape
                                             : kNaN;
        out.laws.push_back(fit);
        if (weight < 1e-4) continue;
        const double lowest = w.tried[w.at].fit.rss;
        std::vector<double> likely;
        for (const Tried& t : w.tried) {
            double l = std::exp(-0.5 * points * std::log(t.fit.rss / lowest));
            if (w.law.law == FadeLaw::TwoSlopes) {
                // A knee turns down: what turns up is no knee.
                const double bend = (series.rising ? 1 : -1) * t.fit.beta[2];
                const double s2 = t.fit.rss / std::max(1.0, count - w.law.parameters) * inflation;
                l *= gsl_cdf_tdist_P(bend / std::sqrt(s2 * t.fit.inverse(2, 2)),
                                     std::max(1.0, points - w.law.parameters));
            }
            likely.push_back(l);
        }
        const double whole = std::accumulate(likely.begin(), likely.end(), 0.0);
        if (!(whole > 0)) continue;
        for (std::size_t k = 0; k < w.tried.size(); ++k) {
            if (likely[k] < 1e-6 * whole) continue;
            const Tried& t = w.tried[k];
            FadeComponent c;
            c.law = w.law.law;
            c.shape = t.shape;
            c.weight = weight * likely[k] / whole;
            c.size = w.law.law == FadeLaw::TwoSlopes ? 3 : 2;
            c.freedom = std::max(1.0, points - w.law.parameters + 1);
            const double s2 = t.fit.rss / std::max(1.0, count - w.law.parameters + 1) * inflation;
            for (int i = 0; i < c.size; ++i) {
                c.beta[static_cast<std::size_t>(i)] = t.fit.beta[i];
                for (int j = 0; j < c.size; ++j)
                    c.covariance[static_cast<std::size_t>(3 * i + j)] = s2 * t.fit.inverse(i, j);
            }
            model.parts.push_back(c);
        }
    }
    double total = 0;
    for (const FadeComponent& c : model.parts) total += c.weight;
    if (!(total > 0)) {
        model.parts.clear();
        return;
    }
    for (FadeComponent& c : model.parts) c.weight /= total;

    const Whole& best = all.front();
    out.noise =
        std::sqrt(best.tried[best.at].fit.rss / std::max(1.0, count - best.law.parameters + 1));
    out.effects.assign(series.conditions.size(), 0.0);
    if (conditions)
        for (std::size_t c = 0; c < out.effects.size(); ++c)
            out.effects[c] =
                best.tried[best.at].fit.beta[best.tried[best.at].fit.beta.size() - rows.z.cols() +
                                             static_cast<Eigen::Index>(c)];

    // A knee: two slopes beat every smooth law beyond chance, and the second is the steeper.
    for (const Whole& w : all) {
        if (w.law.law != FadeLaw::TwoSlopes) continue;
        double others = kNaN;
        for (const Whole& o : all)
            if (o.law.law != FadeLaw::TwoSlopes && !(others < o.best)) others = o.best;
        const auto& beta = w.tried[w.at].fit.beta;
        const double before = (series.rising ? 1 : -1) * beta[1];
        const double bend = (series.rising ? 1 : -1) * beta[2];
        if (!(w.best < others - 6) || !(bend > 0.3 * std::max(before, 0.0))) break;
        out.kneeSuspected = true;
        out.slopeRatio = before > 0 ? (before + bend) / before : kNaN;
        double under = 0;
        double mass = 0;
        for (const FadeComponent& c : model.parts)
            if (c.law == FadeLaw::TwoSlopes) mass += c.weight;
        for (const FadeComponent& c : model.parts) {
            if (c.law != FadeLaw::TwoSlopes) continue;
            under += c.weight / mass;
            const double place = model.origin + model.scale * c.shape;
            if (!std::isfinite(out.kneeLow) && under >= 0.025) out.kneeLow = place;
            if (!std::isfinite(out.knee) && under >= 0.5) out.knee = place;
            if (!std::isfinite(out.kneeHigh) && under >= 0.975) out.kneeHigh = place;
        }
    }
}

std::vector<std::size_t> oddRows(std::span<const double> value) {
    const std::size_t n = value.size();
    std::vector<std::size_t> out;
    if (n < 7) return out;
    std::vector<double> distance(n), size(n);
    for (std::size_t k = 0; k < n; ++k) {
        const std::size_t reach = std::min({std::size_t{5}, k, n - 1 - k});
        std::vector<double> near;
        if (reach == 0) {
            // At the very ends the line through the neighbours inwards says where the end should
            // be.
            const auto inwards = [&](std::size_t j) { return value[k == 0 ? j : n - 1 - j]; };
            std::vector<double> steps;
            for (std::size_t j = 1; j < 5; ++j) steps.push_back(inwards(j + 1) - inwards(j));
            const double step = medianOf(steps);
            for (std::size_t j = 1; j <= 4; ++j)
                near.push_back(inwards(j) - static_cast<double>(j) * step);
        } else {
            near.assign(value.begin() + static_cast<std::ptrdiff_t>(k - reach),
                        value.begin() + static_cast<std::ptrdiff_t>(k + reach + 1));
        }
        distance[k] = value[k] - medianOf(near);
        size[k] = std::abs(distance[k]);
    }
    const double sigma = 1.4826 * medianOf(size);
    for (std::size_t k = 0; k < n; ++k) {
        const bool edge = k == 0 || k + 1 == n;
        const double limit = std::max((edge ? 8 : 5) * sigma, (edge ? 0.03 : 0.005) * value[k]);
        if (size[k] > limit) out.push_back(k);
    }
    if (4 * out.size() > n) out.clear();
    return out;
}

std::vector<std::size_t> runningIn(std::span<const double> value, std::span<const char> use) {
    std::vector<std::size_t> rows;
    for (std::size_t k = 0; k < value.size(); ++k)
        if (use[k]) rows.push_back(k);
    const std::size_t n = rows.size();
    std::vector<std::size_t> out;
    if (n < 15) return out;
    // Means of five; the highest within the first third against the first.
    std::vector<double> jumps;
    for (std::size_t k = 1; k < n; ++k)
        jumps.push_back(std::abs(value[rows[k]] - value[rows[k - 1]]));
    const double sigma = 1.4826 * medianOf(jumps) / std::sqrt(2.0);
    const std::size_t width = std::min<std::size_t>(5, n / 5);
    const auto mean = [&](std::size_t from) {
        double sum = 0;
        for (std::size_t k = from; k < from + width; ++k) sum += value[rows[k]];
        return sum / static_cast<double>(width);
    };
    std::size_t top = 0;
    for (std::size_t k = 0; k + width <= n; ++k)
        if (mean(k) > mean(top)) top = k;
    if (top == 0 || top > n / 3) return out;
    const double chance = 5.5 * sigma * std::sqrt(2.0 / static_cast<double>(width));
    if (mean(top) - mean(0) < std::max(chance, 0.003 * mean(0))) return out;
    for (std::size_t k = 0; k < top; ++k) out.push_back(rows[k]);
    return out;
}

}  // namespace nk
