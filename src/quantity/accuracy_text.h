// The accuracy of an instrument in one line, as data sheets have it: "V=0.5%+1,A=1%+2,C=1".
#pragma once

#include <string>

#include "error.h"
#include "uncertainty.h"

namespace nk {

/// V and A in per cent of the reading and steps of the last digit, C in kelvin; what is left out
/// keeps its usual figure. Errors: anything else, named, with `where` (an option, a field).
Expected<InstrumentAccuracy> parseAccuracy(const std::string& text, const std::string& where);

/// The same line from the figures.
std::string accuracyText(const InstrumentAccuracy& accuracy);

}  // namespace nk
