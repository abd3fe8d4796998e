// The readings pad: one line takes what displays show, in any order, units told by their words:
// "1.86 Ah 22.9 Wh 3:41 10.2 V 31 °C", repeats as "61 54 55 54 mΩ". A sign between blanks
// joins the parts of a test ("5.20 + 4.12 Ah") or takes off what a counter showed before ("15.88
// − 3.10 Ah"). What cannot be right for the battery is questioned, never changed.
#pragma once

#include <string>
#include <vector>

#include "book/bench_book.h"

namespace nk {

struct PadLine {
    std::vector<SpotReading>
        readings;                    ///< in the order of the line; conditions are in each of them
    std::vector<std::string> chips;  ///< what was understood, one a reading or condition
    std::vector<std::string> questions;  ///< slips that are likely, with what would fit the battery
    std::string problem;                 ///< what cannot be read; empty: all is understood
};

/// `battery` may know nothing. The resolution of a reading is its last digit. Errors are in
/// `problem`.
PadLine readPad(const std::string& line, const Battery& battery);

/// A reading as it would be typed on the pad, to the last digit of its display; reading it again
/// gives the same.
std::string padText(const SpotReading& reading);

}  // namespace nk
