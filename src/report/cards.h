// What the findings panel shows: cards made from findings and readings, in the order hazards,
// verdicts, figures, notes about the log. A plain presenter: no interface code, tested on its own.
#pragma once

#include <string>
#include <vector>

#include "analysis/analysis.h"
#include "quantity/format.h"

namespace nk {

enum class CardTone { Hazard, Verdict, Capacity, Voltage, Temperature, Log };

struct Card {
    CardTone tone = CardTone::Verdict;
    std::string kind;                ///< short label in words: HAZARD, CAPACITY …
    std::string title;               ///< one sentence
    std::string value;               ///< "4.302 Ah"; may be empty
    std::string plusMinus;           ///< "± 0.024"; may be empty
    std::vector<std::string> lines;  ///< conditions and caveats
    std::string how;                 ///< method, formula, source, assumptions
    Evidence evidence;
    std::string code;  ///< reading name or finding code

    bool pointsAtCurve() const { return std::isfinite(evidence.from_s); }
    std::string plainText() const;  ///< for the clipboard
};

std::vector<Card> makeCards(const Recording& recording, const Analysis& analysis,
                            const NumberStyle& style);

}  // namespace nk
