// The falling exponential through many moments, for fits that try many time constants.
#pragma once

#include <cmath>
#include <span>
#include <vector>

namespace nk {

/// exp(−x/τ) at given moments. Evenly spaced ones cost one exponential a time constant: the rest
/// are products, right to a few parts in 10¹⁴ over a hundred of them.
class Decay {
  public:
    /// Σ e, Σ e², Σ e·y over all moments.
    struct Sums {
        double e = 0, ee = 0, ey = 0;
    };

    explicit Decay(std::span<const double> x_s) : x_s_(x_s), values_(x_s.size()) {
        if (x_s.size() < 3) return;
        const double step = (x_s.back() - x_s.front()) / static_cast<double>(x_s.size() - 1);
        even_ = step > 0;
        for (std::size_t k = 1; k < x_s.size() && even_; ++k)
            even_ = std::abs(x_s[k] - x_s[k - 1] - step) < 1e-9 * step;
    }
    const std::vector<double>& at(double tau_s) {
        const std::size_t n = values_.size();
        if (!even_) {
            for (std::size_t k = 0; k < n; ++k) values_[k] = std::exp(-x_s_[k] / tau_s);
            return values_;
        }
        // Four at a time, each the one four before it times the ratio of four steps: products that
        // do not wait for one another.
        const double step = (x_s_.back() - x_s_.front()) / static_cast<double>(n - 1);
        const double ratio = std::exp(-step / tau_s);
        const double two = ratio * ratio;
        const double first = std::exp(-x_s_.front() / tau_s);
        Four e{Two{first, first * ratio}, Two{first * two, first * two * ratio}};
        const double four = two * two;
        std::size_t k = 0;
        for (; k + 4 <= n; k += 4, e = e * four) {
            values_[k] = e.low[0], values_[k + 1] = e.low[1];
            values_[k + 2] = e.high[0], values_[k + 3] = e.high[1];
        }
        for (double next = e.low[0]; k < n; ++k, next *= ratio) values_[k] = next;
        return values_;
    }
    /// Of the values that at() made last. `y`: one at each moment.
    Sums sums(std::span<const double> y) const {
        Four e4, ee4, ey4;
        const std::size_t n = values_.size();
        std::size_t k = 0;
        for (; k + 4 <= n; k += 4) {
            const Four e = load(&values_[k]);
            e4 += e, ee4 += e * e, ey4 += e * load(&y[k]);
        }
        Sums out{total(e4), total(ee4), total(ey4)};
        for (; k < n; ++k) {
            const double e = values_[k];
            out.e += e, out.ee += e * e, out.ey += e * y[k];
        }
        return out;
    }
    /// Σ (y − level − amplitude·e)², of the values that at() made last.
    double misfit(std::span<const double> y, double level, double amplitude) const {
        Four sum;
        const std::size_t n = values_.size();
        std::size_t k = 0;
        for (; k + 4 <= n; k += 4) {
            const Four r = load(&y[k]) - level - load(&values_[k]) * amplitude;
            sum += r * r;
        }
        double out = total(sum);
        for (; k < n; ++k) {
            const double r = y[k] - level - amplitude * values_[k];
            out += r * r;
        }
        return out;
    }

  private:
    /// Four numbers as two registers that every x86-64 and ARM processor has.
    typedef double Two __attribute__((vector_size(2 * sizeof(double))));
    struct Four {
        Two low = {}, high = {};
        Four operator*(const Four& o) const { return Four{low * o.low, high * o.high}; }
        Four operator*(double x) const { return Four{low * x, high * x}; }
        Four operator-(const Four& o) const { return Four{low - o.low, high - o.high}; }
        Four operator-(double x) const { return Four{low - x, high - x}; }
        void operator+=(const Four& o) { low += o.low, high += o.high; }
    };
    static Four load(const double* from) {
        return Four{Two{from[0], from[1]}, Two{from[2], from[3]}};
    }
    static double total(const Four& v) { return (v.low[0] + v.low[1]) + (v.high[0] + v.high[1]); }

    std::span<const double> x_s_;
    std::vector<double> values_;
    bool even_ = false;
};

}  // namespace nk
