// What a charger can be set to, per channel; what is left out is no limit.
#pragma once

#include <limits>
#include <string>
#include <vector>

#include "chemistry/chemistry.h"

namespace nk {

struct ChargerCard {
    static constexpr double kNoLimit = std::numeric_limits<double>::infinity();
    std::string name;
    int channels = 1;
    double maxCharge_A = kNoLimit, maxDischarge_A = kNoLimit;
    double maxCharge_W = kNoLimit, maxDischarge_W = kNoLimit;
    int cellsMin = 1, cellsMax = 400;
    std::vector<std::string> chemistries;  ///< ids; empty: any
    double currentStep_A = 0;              ///< 0: any value
    double capacityStep_mAh = 0;
    double setVoltageStep_V = 0;  ///< of the whole pack
    std::vector<double> cutoffs;  ///< divisors of C: 10, 20; empty: any
    double maxTimer_min = kNoLimit;
    bool balances = false;  ///< cell by cell, through the balance lead

    /// Errors: the limit that keeps it from this battery, and what could be.
    Expected<void> canDo(const Chemistry& chemistry, int series) const;
    /// Charge (or discharge) current that really flows when `set_A` is set: amperes and watts at
    /// the nominal voltage of so many cells, rounded down to the step.
    double effectiveCharge_A(double set_A, const Chemistry& chemistry, int series) const;
    double effectiveDischarge_A(double set_A, const Chemistry& chemistry, int series) const;
};

/// Down to a step; a step of 0 leaves it.
double stepDown(double value, double step);
double stepUp(double value, double step);

/// Chargers of no maker that ship with the program.
const std::vector<ChargerCard>& genericChargers();

}  // namespace nk
