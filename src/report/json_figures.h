// Figures in the JSON of the command line: what is not known is null, never 0.
#pragma once

#include <cmath>
#include <nlohmann/json.hpp>

namespace nk {

inline nlohmann::ordered_json number(double value) {
    return std::isfinite(value) ? nlohmann::ordered_json(value) : nlohmann::ordered_json(nullptr);
}

/// [low, high] of the 95 % interval, from its half-width.
inline nlohmann::ordered_json interval(double value, double halfWidth) {
    if (!std::isfinite(value) || !std::isfinite(halfWidth)) return nullptr;
    return nlohmann::ordered_json::array({value - halfWidth, value + halfWidth});
}

}  // namespace nk
