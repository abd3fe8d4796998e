// What kind of battery a log was taken of, from its curve alone: a peak under a steady charge is
// nickel, a held voltage names its kind, a discharge that stays flat is LFP. Where it cannot know
// it says nothing.
#pragma once

#include <string>

#include "recording/recording.h"

namespace nk {

struct Recognised {
    std::string chemistry;  ///< empty: the curve does not tell
    int series = 0;         ///< 0: it does not tell
    std::string because;    ///< one sentence; empty with the chemistry
};

Recognised recogniseFromCurve(const Recording& recording);

}  // namespace nk
