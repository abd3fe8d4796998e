// The human text of narrow-knee-cli analyse.
#pragma once

#include <string>

#include "analysis/analysis.h"

namespace nk {

std::string analysisText(const Recording& recording, const Analysis& analysis,
                         const std::string& file);

}  // namespace nk
