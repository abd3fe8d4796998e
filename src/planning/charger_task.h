// Chargers beside one another by what there is to do: "this module, two cycles: 20 h with one, 7 h
// with another; the discharge watts decide".
#pragma once

#include <cmath>

#include "charge_plan.h"

namespace nk {

struct ChargerTask {
    std::string charger;
    double hours = std::numeric_limits<double>::quiet_NaN();
    double charge_A = 0, discharge_A = 0;
    /// What takes longest and why: charge_current, charge_power, discharge_current,
    /// discharge_power; empty: no limit of the charger.
    std::string decides;
    std::string words;  ///< the same as a sentence, or why it cannot
    bool can() const { return std::isfinite(hours); }
};

struct TaskWish {
    ChargeWish charge;       ///< charger is left out
    int cycles = 1;          ///< discharge and charge
    bool discharge = true;   ///< false: charges alone
    double discharge_A = 0;  ///< 0: a fifth of the rating
    double capacity_Ah = 0;  ///< present; 0: the rating
    double rest_min = 20;    ///< after each step but the last
};

/// Quickest first, those that cannot last. Errors: as planCharge without a charger.
Expected<std::vector<ChargerTask>> compareChargers(const TaskWish& wish,
                                                   const std::vector<ChargerCard>& chargers);

}  // namespace nk
