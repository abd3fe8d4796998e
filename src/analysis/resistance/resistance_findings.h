// Findings about resistance: which number to quote, and whether it is high.
#pragma once

#include "analysis/analysis.h"

namespace nk {

void checkWhichResistance(const AnalysisInput& in, std::vector<Finding>& out);
void checkHighResistance(const AnalysisInput& in, std::vector<Finding>& out);

}  // namespace nk
