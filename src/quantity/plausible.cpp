#include "plausible.h"

#include <cmath>

#include "phrase.h"

namespace nk {

namespace {

struct Bound {
    std::string_view unit;
    double least, most;
};

constexpr Bound kBounds[] = {
    {"Ah", -1e6, 1e6},  {"Wh", -1e8, 1e8},  {"V", -1e5, 1e5},     {"A", -1e6, 1e6},
    {"ohm", -1e5, 1e5}, {"%", -1000, 1000}, {"C", -273.15, 3000}, {"s", -1e11, 1e11},
    {"W", -1e8, 1e8},   {"kg", 0, 1e6},     {"C-rate", 0, 1000},  {"C/min", -1e4, 1e4},
};

}  // namespace

bool canBe(double value, std::string_view unit) {
    if (!std::isfinite(value)) return false;
    for (const Bound& b : kBounds)
        if (b.unit == unit) return value >= b.least && value <= b.most;
    return std::abs(value) <= 1e12;
}

std::string cannotBe() {
    return phrase(
        "Not measurable: what comes out no battery can have. The rating, the series count "
        "or the log's units do not fit.");
}

}  // namespace nk
