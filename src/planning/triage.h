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
        OutOfUse
    } word = Word::NotMeasured;
    double cell_V = std::numeric_limits<double>::quiet_NaN();  ///< the worst, or the pack's mean
    bool mean = false;               ///< of the pack: it may hide a weak cell
    std::vector<std::string> words;  ///< what it is and what to do, the first first
};
/// normal, gently, measure_cells, out_of_use; empty: not measured.
std::string toString(Triage::Word word);

/// Under the chemistry's out-of-use voltage: out of use. Between it and the over-drained one:
/// gently (a tenth of C, watched, half an hour to come above it, 40 °C). Nickel: every cell is
/// measured first, none is rescued with a reversed cell. `pack_V`: at rest, 0 for not measured;
/// `cells_V`: each cell at rest, may be empty. Errors: volts that this series count cannot have,
/// another number of cells, figures that cannot be.
Expected<Triage> triageOf(const Battery& battery, double pack_V,
                          const std::vector<double>& cells_V);

/// A tenth of C, minutes and °C of the gentle start.
inline constexpr double kGentleC = 0.1, kGentleMinutes = 30, kGentleTop_C = 40;

}  // namespace nk
