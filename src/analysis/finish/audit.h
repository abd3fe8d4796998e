// The charger audit: from one or many charges of a log, what the charger does wrong (methods.md
// §5).
#pragma once

#include "analysis/analysis.h"

namespace nk {

/// Median of the voltage over a step, V of the whole; of 4,000 rows at the most.
double medianVoltage(const AnalysisInput& in, const Step& s);

void checkNotTerminated(const AnalysisInput& in, std::vector<Finding>& out);
void checkStoppedEarly(const AnalysisInput& in, std::vector<Finding>& out);
void checkWrongChemistry(const AnalysisInput& in, std::vector<Finding>& out);
void checkTopsUp(const AnalysisInput& in, std::vector<Finding>& out);
void checkNoPeak(const AnalysisInput& in, std::vector<Finding>& out);
void checkFalsePeak(const AnalysisInput& in, std::vector<Finding>& out);
void checkOvercharged(const AnalysisInput& in, std::vector<Finding>& out);
void checkBalancing(const AnalysisInput& in, std::vector<Finding>& out);
void checkFirstMinute(const AnalysisInput& in, std::vector<Finding>& out);
void checkOverdrainedStart(const AnalysisInput& in, std::vector<Finding>& out);
void checkCurrentNotAsSet(const AnalysisInput& in, std::vector<Finding>& out);
void checkChargerRestarted(const AnalysisInput& in, std::vector<Finding>& out);
void checkGoodFinish(const AnalysisInput& in, std::vector<Finding>& out);

}  // namespace nk
