// Why a step ended, as far as the recording tells.
#pragma once

#include "step.h"

namespace nk {

/// Fills endedBy of every step. Looks at the step's own end, its neighbour and the limits of the
/// chemistry; what cannot be told stays Unknown.
void findEndings(const Recording& recording, const Battery& battery, std::vector<Step>& steps);

}  // namespace nk
