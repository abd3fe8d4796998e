// Programs of several steps: break-in, conditioning, reconditioning, storage, ready by.
#pragma once

#include "charge_plan.h"

namespace nk {

struct PlannedStep {
    std::string what;  ///< discharge, rest, charge
    double current_A = std::numeric_limits<double>::quiet_NaN();
    std::string until;
    TimeRange time_s{};
    bool attended = true;                                       ///< somebody must be there
    double start_s = std::numeric_limits<double>::quiet_NaN();  ///< since 1970, where times matter
    double end_s = std::numeric_limits<double>::quiet_NaN();
    std::string why;
};

struct Program {
    std::string name;
    std::vector<PlannedStep> steps;
    std::vector<std::string> reasons, stopRules, preflight, cautions;
    TimeRange time_s() const;
};

struct ProgramWish {
    Battery battery;
    std::optional<ChargerCard> charger;
    double capacity_Ah = 0;  ///< present; 0: the rating
    double ambient_C = 20;
    int cycles = 3;       ///< of reconditioning
    double rest_min = 0;  ///< 0: by the schools (20 to 30 min, longer when warm)
    double floor_V = 0;   ///< a cell; 0: 1.0
    double lamp_W = 0;    ///< a lamp beside the charger that its counter does not see
    double fromSoc = -1;  ///< under 0: not known
    double toSoc = 0.5;   ///< of storage
};

/// Break-in of nickel: 0.2C down to 1.0 V a cell, 0.1C for 16 h, rest 1 to 4 h, 0.2C down again for
/// the reading (IEC 61951-2 charges so for its capacity test; the rest is common practice).
/// Errors: no nickel, a floor under what a pack may see, current too small for the charger.
Expected<Program> planBreakIn(const ProgramWish& wish);
/// Reconditioning of nickel: cycles of a slow discharge and a charge to its peak, until a cycle
/// gains under 2 %. Errors as above.
Expected<Program> planRecondition(const ProgramWish& wish);
/// To the storage level by charge, discharge or use. Nickel: at any level.
Expected<Program> planStorage(const ProgramWish& wish);

/// Hours of the day in which somebody is there, local, in minutes; to ≤ from: over midnight.
struct Presence {
    int from_min = 0, to_min = 1440;
    bool always() const { return from_min == 0 && to_min == 1440; }
    /// The part of the day that holds a moment (s since 1970, as local time), or the next one.
    std::pair<double, double> windowAt(double at_s) const;
};

struct ReadyWish {
    ChargeWish charge;
    double now_s = 0, ready_s = 0;  ///< since 1970, as local time
    Presence present;
    double marginShare = 0.1;  ///< of the time, in hand
};

/// A charge that ends just before the time of use, within the hours in which somebody is there.
/// When those do not suffice the program says what does: earlier and to a lower level, or partly.
/// Errors: as planCharge, a time that has passed.
Expected<Program> planReadyBy(const ReadyWish& wish);

}  // namespace nk
