// Delivered capacity and energy, efficiencies, health (methods.md §4).
#pragma once

#include "analysis/analysis.h"

namespace nk {

void computeDeliveredCapacity(const AnalysisInput& in, std::vector<Reading>& out);
void computeDeliveredEnergy(const AnalysisInput& in, std::vector<Reading>& out);
void computeMeanVoltage(const AnalysisInput& in, std::vector<Reading>& out);
void computeChargeIn(const AnalysisInput& in, std::vector<Reading>& out);
void computeCoulombicEfficiency(const AnalysisInput& in, std::vector<Reading>& out);
void computeEnergyEfficiency(const AnalysisInput& in, std::vector<Reading>& out);
void computeHealth(const AnalysisInput& in, std::vector<Reading>& out);

void checkPartChargedStart(const AnalysisInput& in, std::vector<Finding>& out);
void checkCutOuts(const AnalysisInput& in, std::vector<Finding>& out);
void checkPowerLimited(const AnalysisInput& in, std::vector<Finding>& out);

}  // namespace nk
