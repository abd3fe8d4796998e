// One row of a channel as it comes, before there is a recording.
#pragma once

#include <vector>

#include "quantity/reading.h"

namespace nk {

/// NaN: not measured.
struct LiveRow {
    double at_s = 0;  ///< since 1970 UTC
    double voltage_V = kNaN, current_A = kNaN, temperature_C = kNaN;
    std::vector<double> cells_V = {};  ///< empty: no cell is measured
};

}  // namespace nk
