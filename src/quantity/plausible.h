// What cannot be is no answer: the one check of every command and screen for figures that no
// battery has, whatever arithmetic they come from.
#pragma once

#include <string>
#include <string_view>

namespace nk {

/// Whether a figure in this unit can be of any battery: Ah, Wh, V, A, ohm, %, C (°C), s, W, kg, 1/C
/// for a rate in C ("C-rate"); any finite figure of another unit up to 1e12. The bounds are far
/// outside of what is built (common practice, no source).
bool canBe(double value, std::string_view unit);

/// "Not measurable: … cannot be."; for a caveat.
std::string cannotBe();

}  // namespace nk
