// A quantity as a person types it: "2A", "750 mAh", "0,5C", "1 h 20". One reader for every field of
// the window and the command line; a unit is never swallowed.
#pragma once

#include <string>
#include <string_view>

#include "error.h"

namespace nk {

struct QuantityWish {
    std::string_view unit;  ///< that the value is wanted in: A, C (rate), Ah, V, W, Wh, s, min, h,
                            ///< %, °C, ohm, mohm, kg, g, mm, mV, or "" for a plain number
    double capacity_Ah =
        0;  ///< so that amperes and rates can be told from one another; 0: not known
};

/// The value in the wanted unit. A number without a unit is in that unit; decimal point or comma;
/// times also as "1:20" (hours and minutes) and "1 h 20". Errors: no number, a unit of another
/// quantity (named, with what would be accepted), two decimal signs.
Expected<double> readQuantity(std::string_view text, const QuantityWish& wish);

/// The units that are accepted where `unit` is wanted: "A, mA, C".
std::string unitsFor(std::string_view unit);

}  // namespace nk
