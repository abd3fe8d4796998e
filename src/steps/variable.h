// Restless stretches: loads that turn all the time, such as a drive with regeneration. Found from
// the current alone, before anything is cut into levels.
#pragma once

#include <cstddef>
#include <vector>

#include "recording/recording.h"

namespace nk {

/// Samples [first, last] of one variable load.
struct RestlessStretch {
    std::size_t first = 0;
    std::size_t last = 0;
};

/// Stretches in which the current turns (goes up after down, or down after up, by more than its
/// noise and 2 % of its top) at least every minute, eight times or more, at five levels or more,
/// and does not come back to one base level as pulses do. Rests at their ends are not part of them.
/// Time grows with the number of samples and of turns.
std::vector<RestlessStretch> findRestless(const Recording& recording, double restThreshold_A);

}  // namespace nk
