// The human text of narrow-knee-cli analyse.
#pragma once

#include <string>

#include "analysis/analysis.h"

namespace nk {

/// Findings, steps and readings in words. More than 40 steps, or a dozen readings of one name, are
/// summed up in a line that says so, unless it is to be the `full` list.
std::string analysisText(const Recording& recording, const Analysis& analysis,
                         const std::string& file, bool full = false);

}  // namespace nk
