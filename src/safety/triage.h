// May this battery be charged at all? By its volts at rest, before anything is set (methods §8).
#pragma once

#include <string>
#include <vector>

#include "chemistry/chemistry.h"

namespace nk {

struct Triage {
    enum class Word {
        NotMeasured,
        Normal,
        Gently,
        MeasureCells,
        OutOfUse,
        OverFull
    } word = Word::NotMeasured;
    double cell_V = std::numeric_limits<double>::quiet_NaN();  ///< the worst, or the pack's mean
    bool mean = false;  ///< of the pack: it may hide a weak cell
    double highest_V = std::numeric_limits<double>::quiet_NaN();  ///< of a cell
    double apart_V = 0;              ///< of the cells, highest less lowest; 0: not measured
    std::string rule;                ///< of `word`, where it is not normal
    std::vector<std::string> words;  ///< what it is and what to do, the first first
};
/// normal, gently, measure_cells, out_of_use, over_full; empty: not measured.
std::string toString(Triage::Word word);

/// Under the chemistry's out-of-use voltage: out of use. Between it and the over-drained one:
/// gently (a tenth of C, watched, half an hour to come above it, 40 °C). Nickel: every cell is
/// measured first, none is rescued with a reversed cell. `pack_V`: at rest, 0 for not measured;
/// `cells_V`: each cell at rest, may be empty. Over the fault voltage: over-full. A tenth of C is
/// of `reference_Ah`. Errors: volts that this series count cannot have or that only one cell of it
/// can, another number of cells, figures that cannot be.
Expected<Triage> triageOf(const Battery& battery, double pack_V, const std::vector<double>& cells_V,
                          double reference_Ah = 0);

/// Cells this far apart at rest: watched each; not charged as one pack. V (common practice).
inline constexpr double kCellsWatch_V = 0.05, kCellsApart_V = 0.10;

/// A tenth of C, minutes and °C of the gentle start.
inline constexpr double kGentleC = 0.1, kGentleMinutes = 30, kGentleTop_C = 40;

}  // namespace nk
