#include "staircase.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// A normal distribution with its share of the whole.
struct Part {
    double weight, mean, sigma;
};

double below(const Part& p, double x) {
    if (!(p.sigma > 0)) return x >= p.mean ? 1 : 0;
    return 0.5 * std::erfc((p.mean - x) / (p.sigma * std::numbers::sqrt2));
}

class Mixture {
  public:
    void add(Part part) { parts_.push_back(part); }

    double mean() const {
        double sum = 0;
        for (const Part& p : parts_) sum += p.weight * p.mean;
        return sum / whole();
    }
    double share(double x) const {
        double sum = 0;
        for (const Part& p : parts_) sum += p.weight * below(p, x);
        return sum / whole();
    }
    double quantile(double q) const {
        double lo = parts_.front().mean, hi = lo;
        for (const Part& p : parts_) {
            lo = std::min(lo, p.mean - 9 * p.sigma);
            hi = std::max(hi, p.mean + 9 * p.sigma);
        }
        constexpr int kHalvings = 60;
        for (int i = 0; i < kHalvings; ++i) {
            const double mid = 0.5 * (lo + hi);
            (share(mid) < q ? lo : hi) = mid;
        }
        return 0.5 * (lo + hi);
    }

  private:
    double whole() const {
        double sum = 0;
        for (const Part& p : parts_) sum += p.weight;
        return sum;
    }
    std::vector<Part> parts_;
};

/// Least squares of y = c + g·S(k) for one shrinking factor.
struct Line {
    double c, g, rest;             ///< rest: sum of squared residuals
    double varC, varG, cov, size;  ///< of unit noise; size: √det XᵀX
};

Line lineFor(const std::vector<double>& y, double shrink) {
    const auto n = static_cast<double>(y.size());
    double sum = 0, squares = 0, sumY = 0, product = 0, s = 0, step = 1;
    std::vector<double> at;
    for (const double v : y) {
        at.push_back(s);
        sum += s;
        squares += s * s;
        sumY += v;
        product += s * v;
        s += step;
        step *= shrink;
    }
    const double det = n * squares - sum * sum;
    Line out{};
    out.g = (n * product - sum * sumY) / det;
    out.c = (sumY - out.g * sum) / n;
    for (std::size_t k = 0; k < y.size(); ++k)
        out.rest += std::pow(y[k] - out.c - out.g * at[k], 2);
    out.varC = squares / det;
    out.varG = n / det;
    out.cov = -sum / det;
    out.size = std::sqrt(det);
    return out;
}

void fit(Staircase& out, double rated, double gain) {
    std::vector<double> y;
    for (const HistoryPoint* p : out.stairs) y.push_back(p->reading.value / rated);
    constexpr double kUsualRepeat = 0.004, kRepeatFactor = 2;
    Mixture next, settles;
    const auto n = static_cast<double>(y.size());
    for (int i = 0; i <= 45; ++i) {
        const double shrink = 0.05 + 0.02 * i;
        const Line line = lineFor(y, shrink);
        const double late = std::pow(shrink, n - 1), all = 1 / (1 - shrink);
        const double spread =
            std::sqrt(std::max(0.0, line.varC + 2 * all * line.cov + all * all * line.varG));
        for (int j = -8; j <= 8; ++j) {
            const double repeat = kUsualRepeat * std::pow(kRepeatFactor, 0.375 * j);
            const double prior = std::exp(-0.5 * std::pow(0.375 * j, 2));
            const double weight = prior * std::pow(repeat / kUsualRepeat, 2 - n) *
                                  std::exp(-0.5 * line.rest / (repeat * repeat)) / line.size;
            next.add({weight, line.g * late, repeat * late * std::sqrt(line.varG)});
            settles.add({weight, line.c + all * line.g, repeat * spread});
        }
    }
    out.probability = 1 - next.share(gain);
    out.next_Ah = next.mean() * rated;
    out.nextLow_Ah = next.quantile(0.025) * rated;
    out.nextHigh_Ah = next.quantile(0.975) * rated;
    out.settles_Ah = settles.quantile(0.5) * rated;
    out.settlesLow_Ah = settles.quantile(0.025) * rated;
    out.settlesHigh_Ah = settles.quantile(0.975) * rated;
}

/// A discharge under both its neighbours by more than a cycle's worth was no stair: a load nobody
/// logged, or a charge that was not full.
void setAside(Staircase& out, double least_Ah) {
    auto& s = out.stairs;
    for (std::size_t k = 1; k + 1 < s.size();) {
        const double v = s[k]->reading.value;
        if (v < s[k - 1]->reading.value - least_Ah && v < s[k + 1]->reading.value - least_Ah) {
            out.aside.push_back(
                phrase("{}: {}, less than the discharges before and after it. A load that was not "
                       "logged, or a charge that was not full.",
                       s[k]->title, shortValue(v, "Ah")));
            s.erase(s.begin() + static_cast<std::ptrdiff_t>(k));
        } else {
            ++k;
        }
    }
}

}  // namespace

std::optional<Staircase> staircaseOf(const std::vector<const HistoryPoint*>& whole, double rated_Ah,
                                     const StaircaseRules& rules) {
    if (whole.empty() || !(rated_Ah > 0) || whole.back()->comparable.empty()) return std::nullopt;
    Staircase out;
    for (auto it = whole.rbegin(); it != whole.rend(); ++it) {
        if (!out.stairs.empty() && !(out.stairs.back()->at_s - (*it)->at_s <= rules.longestGap_s))
            break;
        if ((*it)->comparable == whole.back()->comparable && std::isfinite((*it)->reading.value))
            out.stairs.push_back(*it);
    }
    std::ranges::reverse(out.stairs);
    setAside(out, rules.gain * rated_Ah);
    if (out.stairs.size() < 2) return std::nullopt;
    // Long runs: the last stairs tell what comes next, the first ones only that it once was lower.
    constexpr std::size_t kMost = 30;
    if (out.stairs.size() > kMost) out.stairs.erase(out.stairs.begin(), out.stairs.end() - kMost);
    fit(out, rated_Ah, rules.gain);
    out.targetReached = out.stairs.back()->reading.low >= rules.target * rated_Ah;
    out.worthAnother = !out.targetReached && out.probability >= 0.5;
    return out;
}

}  // namespace nk
