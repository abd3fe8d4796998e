// Did the charge stop at the right time? (methods.md §5)
#pragma once

#include "analysis/analysis.h"

namespace nk {

void computeKneeTime(const AnalysisInput& in, std::vector<Reading>& out);
void computeSetVoltage(const AnalysisInput& in, std::vector<Reading>& out);
void computeTaperEnd(const AnalysisInput& in, std::vector<Reading>& out);
void computeChargeInCv(const AnalysisInput& in, std::vector<Reading>& out);
void computeMaxTemperature(const AnalysisInput& in, std::vector<Reading>& out);

}  // namespace nk
