// What the log itself is worth: gaps, restarts, skipped rows, the logger's own counter.
#pragma once

#include "analysis/analysis.h"

namespace nk {

void checkGaps(const AnalysisInput& in, std::vector<Finding>& out);
void checkRestarts(const AnalysisInput& in, std::vector<Finding>& out);
void checkDerived(const AnalysisInput& in, std::vector<Finding>& out);
void checkDamage(const AnalysisInput& in, std::vector<Finding>& out);
void checkBadRows(const AnalysisInput& in, std::vector<Finding>& out);
void checkCoarse(const AnalysisInput& in, std::vector<Finding>& out);
void checkSlow(const AnalysisInput& in, std::vector<Finding>& out);
void checkFrozen(const AnalysisInput& in, std::vector<Finding>& out);
void checkCounter(const AnalysisInput& in, std::vector<Finding>& out);

}  // namespace nk
