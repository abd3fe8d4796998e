// The linear part of the fit of a battery's own model: for given time constants, scale, lag and
// starts the curve and the resistances follow by regularised least squares. Of own_model.cpp alone.
#pragma once

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <vector>

#include "model_log.h"

namespace nk::ownfit {

inline constexpr double kCurveKnots[] = {0,    0.02, 0.05, 0.08, 0.12, 0.17, 0.23, 0.3,  0.37, 0.44,
                                         0.51, 0.58, 0.65, 0.72, 0.79, 0.85, 0.9,  0.94, 0.97, 1.0};
inline constexpr int kCurve = static_cast<int>(std::size(kCurveKnots));
inline constexpr double kResistanceKnots[] = {0, 0.08, 0.2, 0.5, 0.8, 1.0};
inline constexpr double kErrorKnots[] = {0, 0.06, 0.2, 0.4, 0.6, 0.8, 0.92, 0.97, 1.0};
inline constexpr int kOhms = static_cast<int>(std::size(kResistanceKnots));
inline constexpr int kFirstRise = kCurve + kOhms + 2;  ///< first of a nickel charge's rise
inline constexpr int kColumns = kFirstRise + kRise;
inline constexpr double kGas_J_molK = 8.314;

/// Shares of the two knots around s.
template <std::size_t N>
void hat(const double (&knots)[N], double s, int& index, double& upper) {
    s = std::clamp(s, knots[0], knots[N - 1]);
    index = 0;
    while (index + 2 < static_cast<int>(N) && knots[index + 1] < s) ++index;
    upper = (s - knots[index]) / (knots[index + 1] - knots[index]);
}

inline double base_V(const Chemistry& c, double level) {
    const double full = c.fullSoc;
    const double s = std::clamp(level, 0.0, 1.0) * full;
    double v = c.ocv.voltage_V(s);
    if (level > 1) v += (level - 1) * full * std::max(0.3, c.ocv.slope_V(full));
    if (level < 0) v += level * full * std::max(1.0, c.ocv.slope_V(0.002));
    return v;
}

/// RC states of unit resistance (V for 1 ohm) at the rows, for a time constant: between rows the
/// mean current flows (behind a change of it every row of a minute is kept, so nothing is lost).
inline std::vector<double> rcStates(const ThinnedLog& log, double tau) {
    std::vector<double> out;
    out.reserve(log.rows.size());
    double x = 0;
    double lastDt = -1;
    double keep = 1;
    for (const ModelRow& row : log.rows) {
        if (row.dt_s != lastDt) {
            lastDt = row.dt_s;
            keep = std::exp(-row.dt_s / tau);
        }
        x = x * keep + row.mean_A * (1 - keep);
        out.push_back(x);
    }
    return out;
}

struct Shape {
    double scale_Ah, tau1, tau2, activation;
    double lag_s, lag;  ///< of the level that the terminals see: its time, and Ah per A over it
    std::vector<double> starts;  ///< of the logs whose start is searched for
};

struct Fitted {
    Eigen::VectorXd beta;
    double rss = 1e300;
    double count = 0;
};

class Fitter {
  public:
    Fitter(std::vector<ThinnedLog> logs, const Chemistry& c, double usual_ohm)
        : logs_(std::move(logs)), c_(c), usual_ohm_(usual_ohm) {
        double sum = 0;
        double count = 0;
        for (const ThinnedLog& log : logs_)
            if (std::isfinite(log.hold_V)) sum += log.hold_V, count += 1;
        if (count > 0) top_V_ = sum / count;
        // Where the chemistry's curve rises least between two knots, carried over all of it: so
        // much the straight correction may fall.
        constexpr int kParts = 8;
        for (int k = 0; k + 1 < kCurve; ++k) {
            const double width = (kCurveKnots[k + 1] - kCurveKnots[k]) / kParts;
            double least = 1e9;
            for (int n = 0; n < kParts; ++n)
                least = std::min(least, base_V(c_, kCurveKnots[k] + (n + 1) * width) -
                                            base_V(c_, kCurveKnots[k] + n * width));
            least_[static_cast<std::size_t>(k)] = kParts * least;
        }
    }

    std::vector<ThinnedLog>& logs() { return logs_; }

    /// Linear fit for a shape over the rows that `use` takes.
    Fitted linear(const Shape& shape, const std::function<bool(std::size_t, std::size_t)>& use) {
        Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(kColumns, kColumns);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(kColumns);
        double squares = 0;
        Fitted out;
        each(shape, [&](std::size_t log, std::size_t row, const double* values, const int* columns,
                        int count, double y) {
            if (!use(log, row)) return;
            const double sigma = logs_[log].rows[row].sigma_V;
            const double weight = 1 / (sigma * sigma);
            for (int i = 0; i < count; ++i) {
                right[columns[i]] += weight * values[i] * y;
                for (int j = 0; j < count; ++j)
                    normal(columns[i], columns[j]) += weight * values[i] * values[j];
            }
            squares += weight * y * y;
            out.count += 1;
        });
        // Neighbouring residuals agree: a few hundred independent rows at the most.
        const double thin = std::min(1.0, 400 / std::max(out.count, 1.0));
        normal *= thin;
        right *= thin;
        squares *= thin;
        const auto prior = [&](int a, int b, double sigma) {
            const double w = 1 / (sigma * sigma);
            normal(a, a) += w;
            if (b < 0) return;
            normal(b, b) += w;
            normal(a, b) -= w;
            normal(b, a) -= w;
        };
        for (int k = 0; k < kCurve; ++k) {
            // The foot of a nickel curve is nobody's table: free to fall.
            const bool foot = c_.nickel() && kCurveKnots[k] < 0.1;
            prior(k, -1, foot ? 0.3 : 0.06);
            if (k > 0)
                prior(k, k - 1,
                      (foot ? 0.1 : 0.004) + 0.15 * (kCurveKnots[k] - kCurveKnots[k - 1]));
        }
        // Full is where no current flows any more at the voltage that was held: so ends the curve.
        if (std::isfinite(top_V_)) {
            constexpr double kTop_V = 0.0015;
            const double weight = 1 / (kTop_V * kTop_V);
            normal(kCurve - 1, kCurve - 1) += weight;
            right[kCurve - 1] += weight * (top_V_ - base_V(c_, 1));
            squares += weight * std::pow(top_V_ - base_V(c_, 1), 2);
        }
        // A nickel curve falls off a cliff at its end: the floor is where the last of it is.
        if (c_.nickel()) {
            constexpr double kCliff_V = 0.02;
            const double weight = 1 / (kCliff_V * kCliff_V);
            const double fall = c_.dischargeFloor_V - base_V(c_, 0);
            normal(0, 0) += weight;
            right[0] += weight * fall;
            squares += weight * fall * fall;
        }
        for (int k = 0; k < kOhms; ++k) {
            prior(kCurve + k, -1, 20 * usual_ohm_);
            if (k > 0) prior(kCurve + k, kCurve + k - 1, 0.5 * usual_ohm_);
        }
        for (int k = 0; k < 2; ++k) prior(kCurve + kOhms + k, -1, 3 * usual_ohm_);
        for (int k = kFirstRise; k < kColumns; ++k) {
            prior(k, -1, 0.1);
            if (k > kFirstRise) prior(k, k - 1, 0.04);
        }
        out.beta = normal.ldlt().solve(right);
        rising(normal, right, squares, out.beta);
        // Resistances are not negative: projected coordinate descent from the free solution.
        bool any = false;
        for (int k = kCurve; k < kColumns; ++k) any = any || out.beta[k] < 0;
        if (any) {
            for (int k = kCurve; k < kColumns; ++k) out.beta[k] = std::max(0.0, out.beta[k]);
            for (int sweep = 0; sweep < 400; ++sweep) {
                double moved = 0;
                for (int k = 0; k < kColumns; ++k) {
                    const double step = (right[k] - normal.row(k).dot(out.beta)) / normal(k, k);
                    double next = out.beta[k] + step;
                    if (k >= kCurve) next = std::max(0.0, next);
                    moved = std::max(moved, std::abs(next - out.beta[k]));
                    out.beta[k] = next;
                }
                if (moved < 1e-7) break;
            }
        }
        out.rss = squares - 2 * out.beta.dot(right) + out.beta.dot(normal * out.beta);
        return out;
    }
    /// How far the logs whose start is searched for lead beyond full or empty: squares of shares.
    double beyond(const Shape& shape) const {
        double out = 0;
        std::size_t free = 0;
        for (const ThinnedLog& log : logs_) {
            if (std::isfinite(log.start_Ah)) continue;
            const auto [low, high] = std::ranges::minmax(log.rows, {}, &ModelRow::z_from_start);
            const double start = shape.starts[free++];
            const double over = std::max(0.0, -(start + low.z_from_start) / shape.scale_Ah);
            const double under = std::max(0.0, (start + high.z_from_start) / shape.scale_Ah - 1.05);
            out += over * over + under * under;
        }
        return out;
    }
    /// Measured and predicted volts of the rows that `use` takes, log by log.
    std::vector<LeftOutLog> told(const Shape& shape, const Eigen::VectorXd& beta,
                                 const std::function<bool(std::size_t, std::size_t)>& use) {
        std::vector<LeftOutLog> out;
        each(shape, [&](std::size_t log, std::size_t row, const double* values, const int* columns,
                        int n, double y) {
            if (!use(log, row)) return;
            for (int i = 0; i < n; ++i) y -= values[i] * beta[columns[i]];
            if (out.empty() || out.back().log != log) out.emplace_back().log = log;
            const ModelRow& r = logs_[log].rows[row];
            LeftOutLog& l = out.back();
            l.rms_V += y * y;
            l.time_s.push_back(logs_[log].recording->time_s()[r.index]);
            l.measured_V.push_back(r.volts);
            l.predicted_V.push_back(r.volts - y);
            const double start = std::isfinite(logs_[log].start_Ah) ? logs_[log].start_Ah
                                                                    : shape.starts[freeBefore(log)];
            // What is steep is a level that is off, not a voltage.
            l.weight.push_back(std::pow(0.003 / r.sigma_V, 2));
            l.level.push_back(1 - (start + r.z_from_start) / shape.scale_Ah);
        });
        for (LeftOutLog& l : out)
            l.rms_V = std::sqrt(l.rms_V / static_cast<double>(l.time_s.size()));
        return out;
    }
    /// RMS of the residuals of the rows that `use` takes, V a cell.
    double rms(const Shape& shape, const Eigen::VectorXd& beta,
               const std::function<bool(std::size_t, std::size_t)>& use) {
        double sum = 0;
        double count = 0;
        each(shape, [&](std::size_t log, std::size_t row, const double* values, const int* columns,
                        int n, double y) {
            if (!use(log, row)) return;
            for (int i = 0; i < n; ++i) y -= values[i] * beta[columns[i]];
            // What is steep is a level that is off, not a voltage.
            const double weight = std::pow(0.003 / logs_[log].rows[row].sigma_V, 2);
            sum += weight * y * y;
            count += weight;
        });
        return count > 0 ? std::sqrt(sum / count) : 0;
    }

  private:
    /// A rested voltage never falls with the level: where the fit does, two neighbours are held
    /// together and it is solved again.
    void rising(Eigen::MatrixXd& normal, Eigen::VectorXd& right, double& squares,
                Eigen::VectorXd& beta) const {
        constexpr double kHeld_V = 0.0005;
        const double weight = 1 / (kHeld_V * kHeld_V);
        std::array<bool, kCurve> held{};
        for (int pass = 0; pass < 8; ++pass) {
            bool fell = false;
            for (int k = 0; k + 1 < kCurve; ++k) {
                const double base = least_[static_cast<std::size_t>(k)];
                if (held[static_cast<std::size_t>(k)] || base + beta[k + 1] - beta[k] >= -kHeld_V)
                    continue;
                held[static_cast<std::size_t>(k)] = fell = true;
                normal(k, k) += weight;
                normal(k + 1, k + 1) += weight;
                normal(k, k + 1) -= weight;
                normal(k + 1, k) -= weight;
                right[k] += weight * base;
                right[k + 1] -= weight * base;
                squares += weight * base * base;
            }
            if (!fell) return;
            beta = normal.ldlt().solve(right);
        }
    }
    std::size_t freeBefore(std::size_t log) const {
        std::size_t free = 0;
        for (std::size_t l = 0; l < log; ++l) free += std::isfinite(logs_[l].start_Ah) ? 0 : 1;
        return free;
    }
    template <class F>
    void each(const Shape& shape, const F& take) {
        std::size_t free = 0;
        for (std::size_t l = 0; l < logs_.size(); ++l) {
            ThinnedLog& log = logs_[l];
            const double start = std::isfinite(log.start_Ah) ? log.start_Ah : shape.starts[free++];
            const auto x1 = rcStates(log, shape.tau1);
            const auto x2 = rcStates(log, shape.tau2);
            const auto xd = rcStates(log, shape.lag_s);
            const double lag_Ah = shape.lag * shape.lag_s / 3600;
            for (std::size_t k = 0; k < log.rows.size(); ++k) {
                const ModelRow& row = log.rows[k];
                const double level = 1 - (start + row.z_from_start) / shape.scale_Ah;
                const double g = std::exp(shape.activation / kGas_J_molK *
                                          (1 / (row.warmth + 273.15) - 1 / 298.15));
                double values[8];
                int columns[8];
                int count = 6;
                double upper = 0;
                int index = 0;
                const double seen =
                    1 - (start + row.z_from_start - lag_Ah * xd[k]) / shape.scale_Ah;
                hat(kCurveKnots, seen, index, upper);
                columns[0] = index, values[0] = 1 - upper;
                columns[1] = index + 1, values[1] = upper;
                hat(kResistanceKnots, level, index, upper);
                columns[2] = kCurve + index, values[2] = (1 - upper) * row.amps * g;
                columns[3] = kCurve + index + 1, values[3] = upper * row.amps * g;
                columns[4] = kCurve + kOhms, values[4] = x1[k] * g;
                columns[5] = kCurve + kOhms + 1, values[5] = x2[k] * g;
                if (std::isfinite(row.before_Ah)) {
                    hat(kRiseKnots, row.before_Ah / shape.scale_Ah, index, upper);
                    columns[6] = kFirstRise + index, values[6] = 1 - upper;
                    columns[7] = kFirstRise + index + 1, values[7] = upper;
                    count = 8;
                }
                take(l, k, values, columns, count, row.volts - base_V(c_, seen));
            }
        }
    }

    std::vector<ThinnedLog> logs_;
    const Chemistry& c_;
    double usual_ohm_;
    double top_V_ = kNaN;
    std::array<double, kCurve> least_{};  ///< V that the chemistry's curve rises by, knot to knot
};

}  // namespace nk::ownfit
