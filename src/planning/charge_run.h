// A charge in time, from the chemistry's curve and one resistance: how long to the knee and the
// end.
#pragma once

#include "chemistry/chemistry.h"

namespace nk {

struct ChargeRun {
    double time_s = 0;  ///< to the cut-off
    double knee_s = 0;  ///< until the set voltage is reached
    double charge_Ah = 0;
    double soc = 0;  ///< at the end
    bool limitedByPower = false;
};

struct ChargeRunSetting {
    double capacity_Ah = 1;        ///< of the whole battery
    double resistance_ohm = 0.05;  ///< a cell, of the whole parallel group
    int series = 1;
    double current_A = 1;
    double power_W = 1e12;  ///< of the charger
    double set_V = 4.2;     ///< a cell
    double cutoff_A = 0.05;
    double fromSoc = 0;
    double longest_s = 360000;  ///< ended by the clock then
};

/// Constant current (or power), then constant voltage to the cut-off: dq/dt = min(I, P/V,
/// (V_set − OCV(q/Q))/R), by the midpoint rule in steps of a two-thousandth of the charge. Lithium.
ChargeRun runCharge(const Chemistry& chemistry, const ChargeRunSetting& setting);

}  // namespace nk
