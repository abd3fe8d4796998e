// A few of many, without missing what repeats itself.
#pragma once

#include <cmath>
#include <cstddef>

namespace nk {

/// Which of the k-th group of `count` neighbours to look at, 0 … count − 1: another at each group,
/// by the golden ratio, the fraction that lies worst to every other. Looking always at the first
/// would see one phase only of what repeats itself every `count`.
inline std::size_t spreadIndex(std::size_t k, std::size_t count) {
    constexpr double kGolden = 0.61803398874989485;
    const double turn = static_cast<double>(k) * kGolden;
    return static_cast<std::size_t>((turn - std::floor(turn)) * static_cast<double>(count));
}

}  // namespace nk
