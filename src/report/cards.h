// What the findings panel shows: cards made from findings and readings, in the order hazards,
// verdicts, figures, notes about the log. A plain presenter: no interface code, tested on its own.
#pragma once

#include <string>
#include <vector>

#include "analysis/analysis.h"
#include "book/instruments.h"
#include "quantity/format.h"
#include "recording/correction.h"

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
    std::string code;                     ///< reading name or finding code
    Question question = Question::Curve;  ///< the station it belongs to
    bool everywhere = false;              ///< hazards: shown at every station
    bool atFinish = false;                ///< of the Curve, and shown at Finish too
    std::string action;                   ///< label of the one action a card may have
    std::int64_t actionId = 0;            ///< what the action is about

    bool pointsAtCurve() const { return std::isfinite(evidence.from_s); }
    std::string plainText() const;  ///< for the clipboard
};

std::vector<Card> makeCards(const Recording& recording, const Analysis& analysis,
                            const NumberStyle& style);

/// Cards about corrections in force, each with the action that takes it away.
std::vector<Card> correctionCards(std::span<const Correction> corrections,
                                  const NumberStyle& style);

/// Cards that offer checks of the log's instrument, each with the action that applies it.
std::vector<Card> checkCards(std::span<const MeterCheck> checks, const NumberStyle& style);

/// The cards a station shows: its own, verdicts on the Curve, hazards and corrections everywhere.
std::vector<Card> cardsFor(const std::vector<Card>& all, Question question);

}  // namespace nk
