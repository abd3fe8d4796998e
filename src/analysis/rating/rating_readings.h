// The C rating of one recording as readings, and the findings beside them.
#pragma once

#include "analysis/analysis.h"

namespace nk {

void computeTrueCSag(const AnalysisInput& in, std::vector<Reading>& out);
void computeTrueCHeat(const AnalysisInput& in, std::vector<Reading>& out);
void computeTrueCAdiabatic(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
