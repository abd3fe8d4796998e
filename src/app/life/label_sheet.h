// Labels to stick on batteries: name, date, Ah at which rate, mΩ by which school, verdict, on
// common sheets as PDF. Sizes are millimetres on the paper.
#pragma once

#include <QRectF>
#include <QString>
#include <vector>

#include "history/battery_history.h"
#include "history/verdict.h"
#include "quantity/error.h"

namespace nk {

/// A sheet of A4 paper (210 × 297 mm) with a grid of labels on it.
struct LabelSheet {
    int columns = 3, rows = 8;
    double width_mm = 70, height_mm = 36;  ///< of one label
    double left_mm = 0, top_mm = 4.5;      ///< to the first label
    double gapAcross_mm = 0, gapDown_mm = 0;

    /// 3 × 8 labels of 70 × 36 mm and 5 × 13 of 38.1 × 21.2 mm, as stationers sell them (common
    /// practice, no source).
    static LabelSheet large() { return {}; }
    static LabelSheet small() { return {5, 13, 38.1, 21.2, 4.75, 10.7, 2.5, 0}; }

    int perPage() const { return columns * rows; }
    /// The place of the k-th label on its page, mm from the paper's upper left corner.
    QRectF place_mm(int k) const;
    /// Errors: a label of under 15 × 8 mm, a grid that leaves the paper, none at all.
    Expected<void> check() const;
};

/// What stands on one label, line by line; the first is its name.
struct LabelText {
    QString name, capacity, resistance, verdict, day;
};
/// From what the book knows of a battery now.
LabelText labelText(const BatteryHistory& history, const Verdict& verdict, const QString& day);

/// Writes them as PDF, whole or not at all, from the label `first` (0: the first of the sheet) on,
/// so that a begun sheet can be used up. `outlines`: a thin frame round each, to cut along.
Expected<void> writeLabels(const QString& path, const std::vector<LabelText>& labels,
                           const LabelSheet& sheet, int first, bool outlines);

}  // namespace nk
