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
    explicit Decay(std::span<const double> x_s) : x_s_(x_s), values_(x_s.size()) {
        if (x_s.size() < 3) return;
        const double step = (x_s.back() - x_s.front()) / static_cast<double>(x_s.size() - 1);
        even_ = step > 0;
        for (std::size_t k = 1; k < x_s.size() && even_; ++k)
            even_ = std::abs(x_s[k] - x_s[k - 1] - step) < 1e-9 * step;
    }
    const std::vector<double>& at(double tau_s) {
        if (even_) {
            const double step = (x_s_.back() - x_s_.front()) / static_cast<double>(x_s_.size() - 1);
            const double ratio = std::exp(-step / tau_s);
            double e = std::exp(-x_s_.front() / tau_s);
            for (double& value : values_) value = e, e *= ratio;
        } else {
            for (std::size_t k = 0; k < x_s_.size(); ++k) values_[k] = std::exp(-x_s_[k] / tau_s);
        }
        return values_;
    }

  private:
    std::span<const double> x_s_;
    std::vector<double> values_;
    bool even_ = false;
};

}  // namespace nk
