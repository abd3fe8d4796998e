// The zero of the current that a log shows at its rests: what the display adds to every row.
#pragma once

#include "analysis/analysis.h"

namespace nk {

/// Mean current of the rests with its standard uncertainty, where they tell a zero that is not 0:
/// at least twenty rows and a minute of rest, all rests alike, and within the offset that the
/// instrument may have (what is more is a current). Else nothing.
std::optional<CurrentZero> currentZero(const Recording& recording, const Steps& steps,
                                       const InstrumentAccuracy& accuracy);

/// The same recording without it.
RecordingPtr withoutZero(const Recording& recording, const CurrentZero& zero);

}  // namespace nk
