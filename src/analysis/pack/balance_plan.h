// How to bring the cells of a pack together again: which cell first, how much charge by itself, how
// long a balancer takes, what it gives back. Pure.
#pragma once

#include <string>
#include <vector>

#include "pack.h"

namespace nk {

struct BalanceStep {
    int cell = 0;                    ///< column, from 1
    double charge_Ah = 0;            ///< that it lacks against the fullest cell
    double uncertainty_Ah = 0;       ///< standard
    double least_h = 0, most_h = 0;  ///< at the current, 95 %
};

struct BalancePlan {
    std::string why;                  ///< why there is none; empty: there is one
    std::vector<BalanceStep> single;  ///< cells to charge by themselves, the emptiest first
    std::vector<BalanceStep> bleed;   ///< cells that a balancer has to empty, the fullest first
    double givesBack_Ah = 0;          ///< at most, of what the pack delivers
};

/// From the charges that the cells of a discharge had more than the weakest at its start. Cells
/// that lack less than a hundredth of the capacity, or less than twice its uncertainty, are left
/// alone. `current_A`: of the charger or balancer for one cell. Refused: what the discharge does
/// not tell (flat curves, no floor reached), no current.
BalancePlan balancePlan(const PackDischarge& discharge, double current_A);

}  // namespace nk
