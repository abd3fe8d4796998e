// The gate: may this be done to this battery? It answers "no, because …, instead …" or the limits
// to keep, each with its source (methods.md §12; docs/gate.md lists the rules). Whoever plans,
// starts, joins or judges asks here and compares no figure with a limit of its own. Pure; its only
// sources of limits are the chemistry's file and the maker's figures on the card.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "triage.h"

namespace nk {

enum class Act { Charge, Discharge, Cycle, BreakIn, Recondition, Store, Join, Hold };
/// charge, discharge, cycle, breakin, recondition, store, join, hold.
std::string_view nameOf(Act act);
bool charges(Act act);
bool discharges(Act act);

/// A hazard that a battery's logs hold.
struct HazardOnFile {
    std::string code;            ///< of the finding: overvoltage, out_of_use, charged_cold, …
    std::string day = {};        ///< "2026-05-01"; empty: not known
    std::string cause = {};      ///< battery, charger, use
    bool seen = false;           ///< somebody has looked at the battery since
    std::int64_t recording = 0;  ///< whose log holds it
    std::string text = {};       ///< the finding's own words
};
/// Whether this hazard ends a battery's use.
bool endsUse(const HazardOnFile& hazard);

/// What is known of a battery now.
struct BatteryState {
    Battery battery;              ///< chemistry, series, parallel, rating, maker's limits
    double rested_V = 0;          ///< of the whole battery at rest; 0: not measured
    std::vector<double> cells_V;  ///< of each cell at rest; empty: not measured
    double ambient_C = 20;        ///< its warmth
    double capacity_Ah = 0;       ///< today's, measured; 0: not known
    double soc = -1;              ///< charge level, told; under 0: not known
    std::string skin;             ///< what is wrong with its skin; empty: whole, or not looked at
    std::vector<HazardOnFile> hazards;
    bool ratingIsRight = false;  ///< the person's word for a rating that is doubted

    /// What C counts of: today's capacity where it is known, else the rating. Ah.
    double reference_Ah() const { return capacity_Ah > 0 ? capacity_Ah : battery.rated_Ah; }
};

/// What somebody wants to do.
struct ActWish {
    Act act = Act::Charge;
    double charge_A = 0;       ///< 0: not said, the usual
    bool inAmperes = false;    ///< it was said in amperes, not as a rate
    double discharge_A = 0;    ///< 0: not said
    double set_V = 0;          ///< a cell; 0: the usual
    double floor_V = 0;        ///< a cell; 0: the usual
    double lamp_W = 0;         ///< of a lamp beside the charger
    bool beyondUsual = false;  ///< the explicit step to more than the usual current
    bool overnight = false;    ///< the explicit permission to run while nobody is there
    std::string charger;       ///< its name; empty: none named
    bool chargerBalances = false;
    double resistance_ohm = 0;  ///< of a cell, measured; 0: usual
};

struct GateLimits {
    Triage triage;
    bool gently = false;      ///< over-drained: `charge_A` and `minutes` are the gentle ones
    double charge_A = 0;      ///< at most, of what was wanted
    double chargeMost_A = 0;  ///< the usual figure (or the maker's) in amperes
    double discharge_A = 0;   ///< at most
    double minutes = std::numeric_limits<double>::infinity();  ///< at most
    double set_V = std::numeric_limits<double>::quiet_NaN();   ///< a cell
    double floor_V = 0;                                        ///< a cell
    double temperatureEnd_C = 0;                               ///< a charge is ended there
    std::string limitedBy;  ///< cold, overdrained, warmth, overnight; empty: nothing
    std::string why;        ///< of `limitedBy`, a sentence
    bool beyondUsual = false;
    std::vector<std::string> cautions;
    std::vector<std::string> rules;  ///< those that set a limit
};

/// Errors: a refusal (Error::rule says which rule; `accepted` what to do instead).
Expected<GateLimits> askGate(const BatteryState& state, const ActWish& wish);

/// A refusal by a rule of the table.
tl::unexpected<Error> refusal(Act act, std::string_view rule, std::string because,
                              std::string instead);

/// The kelvins by which a charge with this current warms its cells, at the end of a charge from
/// empty. Lithium: I²R of the measured or usual resistance in the cell's heat capacity against a
/// cooling time of 25 min (a lumped heat balance); nickel: 15 K at 1C, in proportion (common
/// practice, no source). `resistance_ohm`: of a cell; 0: the usual.
double ownWarmth_K(const Chemistry& chemistry, double current_A, double capacity_Ah,
                   double resistance_ohm);

/// The usual charge current: half of C, or less where the kind or its maker has less. A.
double usualCharge_A(const BatteryState& state);

/// A charge held on after its end: lithium none, nickel C/20 (common practice).
double holdMost_A(const BatteryState& state);

/// A peak rule may end a nickel charge at this rate: 0.3C and over; from 0.15 "may be missed".
enum class PeakIs { Sure, MayBeMissed, None };
PeakIs peakAt(double rate_C);
/// Of today's capacity, the charge that a backstop lets in. Lithium 1.1; nickel 1.2, at a tenth of
/// C or less 1.6 (IEC 61951-2).
double backstopShare(const Chemistry& chemistry, double rate_C);

/// Volts that two batteries may differ by when they are joined: 0.1 V a cell, and the smallest
/// charge limit times what lies between them. V.
double joinGap_V(int series, double smallestLimit_A, double between_ohm);

}  // namespace nk
