// What stands on a reading's card beside its figure: sentences made from the readings that belong
// to the same step.
#pragma once

#include "analysis.h"

namespace nk {

std::string deliveredWords(const Reading& reading, const Analysis& analysis);
bool afterCharge(const Reading& reading, const Analysis& analysis);

using CardLines = std::vector<std::string>;
void underCapacity(const Reading&, const Analysis&, const NumberStyle&, CardLines& lines);
void underKnee(const Reading&, const Analysis&, const NumberStyle&, CardLines& lines);
void underEfficiency(const Reading&, const Analysis&, const NumberStyle&, CardLines& lines);
void underFullness(const Reading&, const Analysis&, const NumberStyle&, CardLines& lines);
void underPeak(const Reading&, const Analysis&, const NumberStyle&, CardLines& lines);
void underTemperature(const Reading&, const Analysis&, const NumberStyle&, CardLines& lines);

}  // namespace nk
