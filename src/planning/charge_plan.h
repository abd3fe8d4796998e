// What to set on a charger, in the order a charger asks, each with its reason and its limit.
#pragma once

#include <array>
#include <limits>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "charger_card.h"
#include "safety/gate.h"

namespace nk {

/// Seconds: at the least, likely, at the most.
using TimeRange = std::array<double, 3>;

/// How long this very charge takes, known otherwise than by usual figures.
struct KnownTime {
    TimeRange time_s{};
    double current_A = 0;  ///< it holds for this current, within a tenth
    double knee_s = std::numeric_limits<double>::quiet_NaN();
    std::string from;   ///< own_model, logged
    std::string words;  ///< how that is known
};

struct ChargeWish {
    Battery battery;          ///< chemistry, series, parallel, rated_Ah, maker's limits
    double rate_C = 0;        ///< 0: not said; of today's capacity where that is known
    double current_A = 0;     ///< 0: not said
    bool ownCurrent = false;  ///< it is the one at which its logs charge it, nobody asked for it
    double set_V = 0;         ///< a cell; 0: the usual
    double fromSoc = -1;      ///< under 0: not known
    double ambient_C = 20;
    bool beyondUsual = false;  ///< the user asked in so many words for more than the usual figure
    std::optional<ChargerCard> charger;
    double resistance_ohm = 0;    ///< a cell, measured; 0: not known
    double rested_V = 0;          ///< of the battery before the start; 0: not measured
    std::vector<double> cells_V;  ///< of each cell, at rest; empty: not measured
    double fieldBattery_Wh = 0;   ///< that feeds the charger; 0: the mains
    double capacity_Ah = 0;       ///< today's; 0: not known, the rating counts
    std::string skin;             ///< what is wrong with its skin; empty: whole or not looked at
    std::vector<HazardOnFile> hazards;
    bool ratingIsRight = false;  ///< the word for a rating that is doubted
    bool overnight = false;      ///< explicitly allowed to run while nobody is there
    std::optional<KnownTime> known;

    /// What the gate is asked with.
    BatteryState state() const;
    ActWish act(Act kind) const;
    /// Ampere-hours that C counts of.
    double reference_Ah() const { return capacity_Ah > 0 ? capacity_Ah : battery.rated_Ah; }
};

struct ChargePlan {
    std::string chemistry;
    int cells = 1;
    double current_A = 0;           ///< to set
    double effectiveCurrent_A = 0;  ///< that will flow
    double set_V = std::numeric_limits<double>::quiet_NaN();
    double setPerCell_V = std::numeric_limits<double>::quiet_NaN();
    double cutoff_A = std::numeric_limits<double>::quiet_NaN();
    double peakDrop_mV = std::numeric_limits<double>::quiet_NaN();  ///< a cell, nickel with a peak
    double timer_min = 0;
    double capacityLimit_mAh = 0;
    double supply_W = 0;          ///< that the charger's supply must give
    std::string limitedBy;        ///< charger_power, charger_current, cold, overdrained, warmth,
                                  ///< overnight; empty: nothing
    double temperatureEnd_C = 0;  ///< a charge that is warmer is ended
    double rise_Cmin = std::numeric_limits<double>::quiet_NaN();  ///< dT/dt that ends it, °C/min
    std::vector<std::string> endsBy;  ///< negative_delta_v, taper, timer, charge_limit,
                                      ///< temperature, dtdt; the expected one first
    bool beyondUsual = false;
    TimeRange time_s{};
    std::string timeFrom = "usual";  ///< own_model, logged, usual
    double knee_s = std::numeric_limits<double>::quiet_NaN();
    std::map<std::string, std::string> reasons;  ///< by the name of the setting
    Triage triage;
    double fromSoc = -1;  ///< as told, or by the volts at rest; under 0: not known
    double fills = std::numeric_limits<double>::quiet_NaN();  ///< by the field battery
    std::vector<std::string> preflight, cautions;
};

/// Errors: what the gate refuses (safety/gate.h); a charger that cannot, or that would end it at
/// once.
Expected<ChargePlan> planCharge(const ChargeWish& wish);

/// When the charge of a plan is over, in words: its ends, the expected one first.
std::string endsWords(const ChargePlan& plan);

/// How full it is after so long on this plan, 0 to 1: the plan's own charge from `fromSoc` on.
double levelAfter(const ChargeWish& wish, const ChargePlan& plan, double time_s);

/// What is looked at before a start, fitting the battery. `current_A`: the one that the plan sets,
/// of `reference_Ah`; 0: none.
std::vector<std::string> preflightList(const Battery& battery, double current_A,
                                       double reference_Ah);
std::vector<std::string> chargeCautions(const Battery& battery);

}  // namespace nk
