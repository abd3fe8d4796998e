// The sag map: loaded voltage over delivered charge and current, as a grid, and the current at
// which each charge is at the floor.
#pragma once

#include <vector>

#include "rating.h"

namespace nk {

struct SagMap {
    static constexpr int kColumns = 90, kRows = 60;
    double deepest_Ah = 0, most_A = 0;    ///< charge and current reach from 0 to these
    std::vector<float> volts;             ///< a cell, column after column; NaN: not known
    std::vector<bool> measured;           ///< between measured rates
    double lowest_V = 0, highest_V = 0;   ///< of `volts`
    std::vector<double> edge_Ah, edge_A;  ///< at the floor

    float at(int column, int row) const {
        return volts[static_cast<std::size_t>(column * kRows + row)];
    }
    bool measuredAt(int column, int row) const {
        return measured[static_cast<std::size_t>(column * kRows + row)];
    }
    /// The middle of a column, Ah, and of a row, A: the first at 0, the last at the end.
    double charge_Ah(int column) const { return deepest_Ah * column / (kColumns - 1); }
    double current_A(int row) const { return most_A * row / (kRows - 1); }
};

/// Of the curves that the rating rests on. Empty (deepest_Ah is 0) when it rests on none.
SagMap sagMap(const Rating& rating, double cells);

}  // namespace nk
