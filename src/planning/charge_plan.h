// What to set on a charger, in the order a charger asks, each with its reason and its limit.
#pragma once

#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "charger_card.h"
#include "triage.h"

namespace nk {

struct ChargeWish {
    Battery battery;       ///< chemistry, series, parallel, rated_Ah, maker's limits
    double rate_C = 0;     ///< 0: not said
    double current_A = 0;  ///< 0: not said
    double set_V = 0;      ///< a cell; 0: the usual
    double fromSoc = -1;   ///< under 0: not known
    double ambient_C = 20;
    bool beyondUsual = false;  ///< the user asked in so many words for more than the usual figure
    std::optional<ChargerCard> charger;
    double resistance_ohm = 0;    ///< a cell, measured; 0: not known
    double rested_V = 0;          ///< of the battery before the start; 0: not measured
    std::vector<double> cells_V;  ///< of each cell, at rest; empty: not measured
    double fieldBattery_Wh = 0;   ///< that feeds the charger; 0: the mains
};

/// Seconds: at the least, likely, at the most.
using TimeRange = std::array<double, 3>;

struct ChargePlan {
    std::string chemistry;
    int cells = 1;
    double current_A = 0;           ///< to set
    double effectiveCurrent_A = 0;  ///< that will flow
    double set_V = std::numeric_limits<double>::quiet_NaN();
    double setPerCell_V = std::numeric_limits<double>::quiet_NaN();
    double cutoff_A = std::numeric_limits<double>::quiet_NaN();
    double peakDrop_mV = std::numeric_limits<double>::quiet_NaN();  ///< a cell, nickel
    double timer_min = 0;
    double capacityLimit_mAh = 0;
    double supply_W = 0;    ///< that the charger's supply must give
    std::string limitedBy;  ///< charger_power, charger_current, cold, overdrained; empty: nothing
    bool beyondUsual = false;
    TimeRange time_s{};
    double knee_s = std::numeric_limits<double>::quiet_NaN();
    std::map<std::string, std::string> reasons;  ///< by the name of the setting
    Triage triage;
    double fills = std::numeric_limits<double>::quiet_NaN();  ///< by the field battery
    std::vector<std::string> preflight, cautions;
};

/// Errors: chemistry, series count or rating not known; a rate beyond the usual figure without the
/// explicit word, or beyond what is accepted at all; a set voltage above the usual one; too cold or
/// too hot to charge; a charger that cannot.
Expected<ChargePlan> planCharge(const ChargeWish& wish);

/// What is looked at before a start, fitting the battery.
std::vector<std::string> preflightList(const Battery& battery, double current_A);
std::vector<std::string> chargeCautions(const Battery& battery);

}  // namespace nk
