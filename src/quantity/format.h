// Numbers as people read them: as many digits as the uncertainty carries, a thin space before
// the unit, mAh or Ah by size. The decimal sign is a choice of the caller, never of the locale.
#pragma once

#include <string>

#include "phrase.h"
#include "reading.h"

namespace nk {

/// Fixed-point text with `digits` decimals, a true minus sign, no exponent.
std::string fixed(double value, int digits, const NumberStyle& style = currentStyle());

/// Decimals that a number with this standard uncertainty carries: the expanded uncertainty is
/// given with two significant digits (GUM 7.2.6), between 0 and 6.
int decimalsFor(double uncertainty);

/// Value scaled to a readable unit, e.g. {"4.302", "0.024", "Ah"}.
struct ValueText {
    std::string value;
    std::string plusMinus;  ///< expanded uncertainty, k = 2; empty when unknown
    std::string unit;
    std::string joined() const;
};
ValueText valueText(const Reading& reading, const NumberStyle& style = currentStyle());
ValueText valueText(double value, double uncertainty, const std::string& unit,
                    const NumberStyle& style = currentStyle());

/// Short text without uncertainty, three to four significant digits: "4.30 Ah", "58.8 mΩ".
std::string shortValue(double value, const std::string& unit,
                       const NumberStyle& style = currentStyle());

/// h:mm:ss, or h:mm:ss.f when below ten seconds matter.
std::string clockText(double seconds, bool tenths = false);
/// "42 s", "12 min", "2 h 05 min" for sentences.
std::string durationText(double seconds);
/// The same beside a longer one, in its unit: "1 h 22 min" beside 2 h 07 min.
std::string durationText(double seconds, double beside_s);

/// The same words with a narrow space between each figure and its unit, so that no line ends
/// between them.
std::string unitsKept(const std::string& words);

}  // namespace nk
