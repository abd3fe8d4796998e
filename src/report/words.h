// Words for people: names of steps, endings and readings, and the sentence a finding card shows.
#pragma once

#include <string>

#include "analysis/analysis.h"
#include "quantity/format.h"

namespace nk {

std::string kindWords(const Step& step);           ///< "charge, constant current"
std::string kindWordsShort(const Step& step);      ///< "const. V"
std::string kindWordsTiny(const Step& step);       ///< "disch.", for narrow blocks
std::string endingWords(EndedBy reason);           ///< "the current tapered off"
std::string batteryWords(const Battery& battery);  ///< "Li-ion NMC · 3 in series · 5.00 Ah"

/// "Keep it", "Retire it" … for the identifier of a verdict (history/verdict.h).
std::string verdictWords(const std::string& verdict);

}  // namespace nk
