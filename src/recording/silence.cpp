#include "silence.h"

#include <algorithm>

namespace nk {

namespace {

std::vector<double> someSteps(std::span<const double> t) {
    std::vector<double> steps;
    const std::size_t stride = std::max<std::size_t>(1, t.size() / 50000);
    for (std::size_t i = 1; i < t.size(); i += stride) steps.push_back(t[i] - t[i - 1]);
    return steps;
}

}  // namespace

double usualStep_s(std::span<const double> t) {
    std::vector<double> steps = someSteps(t);
    if (steps.empty()) return 0;
    const auto middle = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2);
    std::nth_element(steps.begin(), middle, steps.end());
    return *middle;
}

std::vector<Gap> silences(std::span<const double> t, double usual_s) {
    std::vector<Gap> out;
    std::vector<double> steps = someSteps(t);
    if (steps.empty()) return out;
    const auto high = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() * 95 / 100);
    std::nth_element(steps.begin(), high, steps.end());
    const double limit = std::max(5 * usual_s, 3 * *high);
    for (std::size_t i = 1; i < t.size(); ++i)
        if (t[i] - t[i - 1] > limit) out.push_back({i - 1, t[i] - t[i - 1], false});
    return out;
}

}  // namespace nk
