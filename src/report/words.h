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

/// Which readings are shown as cards of their own, and in what order; the rest is in tables.
bool isHeadline(const std::string& readingName);
/// The sentence above a headline reading: "Gave back at 0.6C down to 9.00 V, 21 °C".
std::string headline(const Reading& reading, const Analysis& analysis);

}  // namespace nk
