// Which stop rule suits this battery and charger: rules ranked against a reference "full".
#pragma once

#include <string>
#include <vector>

#include "replay.h"

namespace nk {

/// What "full" is measured against in one charge.
struct FullReference {
    double time_s = kNaN;
    double charge_Ah = kNaN;  ///< put in until then
    bool extrapolated = false;
    std::string words;  ///< "the voltage peak", "C/20 at the set voltage", "110 % of the rating"
};

/// Nickel: the voltage peak; without one, 110 % of the rating put in (the low end of what nickel
/// takes, methods.md §4). Lithium: the taper at C/20, by the fit where the log does not reach it.
FullReference fullReference(const AnalysisInput& in, const ChargeSpan& charge);

struct RankedRule {
    ReplayResult result;
    bool extrapolated = false;  ///< a cut-off under the log's end, by the taper's fit
    double beyond_Ah = kNaN;    ///< charge put in beyond full; below zero: short of it
    double score = 0;           ///< smaller suits better; not shown to people
    std::string words;          ///< "3 min after full, 40 mAh over"
};

struct Ranking {
    FullReference full;
    std::vector<RankedRule> rules;  ///< best first
    std::string advice;             ///< which rule suits and why, one or two sentences
    bool anySuits = false;          ///< the first rule stops within a tenth of the rating of full
};

/// Ranks rules on one charge. Missing the end by too little costs a third of overcharging by as
/// much (overcharge is heat and wear); warmer than the chemistry's charging limit costs extra.
Ranking rankRules(const AnalysisInput& in, const ChargeSpan& charge,
                  const std::vector<StopRule>& rules);

}  // namespace nk
