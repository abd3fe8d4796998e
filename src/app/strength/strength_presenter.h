// What the Strength station shows, as text rows made from a study. A plain class, tested without a
// window.
#pragma once

#include <QString>
#include <vector>

#include "analysis/rating/strength_study.h"
#include "book/bench_book.h"

namespace nk {

struct ResistanceRow {
    QString school, value, perCell, conditions, from;
};

struct RatingRow {
    QString view, current, rate, note, tip;
    bool binds = false;  ///< this view limits the true C
};

struct StrengthView {
    QString sentence;     ///< label against truth
    QString conditions;   ///< under which it holds
    QString law;          ///< resistance over temperature, in words
    QString cells;        ///< what the pack's cells tell
    QString openCircuit;  ///< where its own open-circuit curve comes from
    bool ownCurveInUse = false;
    std::vector<ResistanceRow> resistances;
    std::vector<RatingRow> rating;
};

/// `shown` is the recording whose resistances come first.
StrengthView strengthView(const StrengthStudy& study, std::int64_t shown,
                          const std::vector<SpotReading>& spots);

/// A line of readings as typed, "61, 54, 55, 54 mΩ", in ohms. Errors name the slip: no unit
/// where milliohms and ohms cannot be told apart, a value that no battery of this capacity has.
Expected<std::vector<double>> parseResistances(const QString& text, const Battery& battery);

}  // namespace nk
