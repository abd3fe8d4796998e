// Rules as flags on the curve: the threshold with which a rule would fire at a chosen moment, so
// that a flag can be dragged, and the text of a rule, so that it can be typed.
#pragma once

#include <string>
#include <vector>

#include "replay.h"

namespace nk {

/// The text parseRule reads back: "-dv:5mV", "timer:2h", "taper:C/20".
std::string conditionText(const StopCondition& condition);
std::string ruleText(const StopRule& rule);
/// The condition on a flag: "−5 mV", "flat 5 min", "C/20".
std::string conditionLabel(const StopCondition& condition);
/// The condition in words: "voltage down 5 mV a cell from its top".
std::string conditionWords(const StopCondition& condition);

/// The condition of this kind that fires at time_s (recording time) of the charge. Errors: the
/// kind has no threshold to move (inflection), the quantity is not there at this moment (no fall
/// yet, no temperature, still in the hold-off). Thresholds stay within what is accepted: a fall of
/// 2 to 20 mV a cell.
Expected<StopCondition> conditionAt(const AnalysisInput& in, const ChargeSpan& charge,
                                    StopCondition::Kind kind, double time_s, double holdOff_s);

/// The rules a battery starts with: nickel has fall, plateau, warming and timer rules, lithium has
/// cut-off currents. A rule kept on the battery card comes first.
std::vector<StopRule> defaultRules(const Battery& battery);

}  // namespace nk
