// Putting a battery away and having it ready: level, warmth, when to look again, when to plug in.
#pragma once

#include <string>
#include <vector>

#include "habit.h"

namespace nk {

struct StorageAdvice {
    double lowSoc = 0.4, highSoc = 0.6;  ///< schools 40 to 70 %, half charge the usual answer
    double low_V = 0, high_V = 0;        ///< rested, a cell
    double lookAgain_days = 90;          ///< common practice, no source
    double low_C = 5, high_C = 20;
    double plugInBefore_min = 0;  ///< before the hour of use, even charging and a tenth more
};

/// For a lithium chemistry and the habit's use; nickel is stored at any level and refreshed.
StorageAdvice storageAdvice(const Habit& habit, const Chemistry& chemistry);
/// The same as sentences.
std::vector<std::string> storageWords(const Habit& habit, const Chemistry& chemistry);

}  // namespace nk
