// Programs of several steps: break-in, conditioning, reconditioning, storage, ready by.
#pragma once

#include "charge_plan.h"

namespace nk {

struct PlannedStep {
    std::string what;  ///< discharge, rest, charge
    double current_A = std::numeric_limits<double>::quiet_NaN();
    std::string until;
    TimeRange time_s{};
    bool attended = true;                                        ///< somebody must be there
    double start_s = std::numeric_limits<double>::quiet_NaN();   ///< since 1970, where times matter
    double end_s = std::numeric_limits<double>::quiet_NaN();     ///< likely
    double latest_s = std::numeric_limits<double>::quiet_NaN();  ///< at the latest
    std::string why;
};

struct Program {
    std::string name;
    std::vector<PlannedStep> steps;
    std::vector<std::string> reasons, stopRules, preflight, cautions;
    double preflightCurrent_A = std::numeric_limits<double>::quiet_NaN();  ///< the list's own
    double temperatureEnd_C = std::numeric_limits<double>::quiet_NaN();    ///< of its charges
    std::vector<std::string> endsBy;                                       ///< of its charges
    std::string left;        ///< charged, empty, storage: how the battery is left
    bool overnight = false;  ///< something of it runs while nobody is there, as was allowed
    TimeRange time_s() const;
};

/// Hours of the day in which somebody is there, local, in minutes; to ≤ from: over midnight.
struct Presence {
    int from_min = 0, to_min = 1440;
    bool assumed = false;  ///< nobody said so: 07:00 to 22:00
    bool always() const { return from_min == 0 && to_min == 1440; }
    double length_s() const;
    /// The part of the day that holds a moment (s since 1970, as local time), or the next one.
    std::pair<double, double> windowAt(double at_s) const;
    /// Where nobody said when somebody is there: nothing begins between 22:00 and 07:00.
    static Presence unsaid() { return {7 * 60, 22 * 60, true}; }
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
    double rested_V = 0;  ///< of the battery at rest; 0: not measured
    std::vector<double> cells_V;
    std::string skin;
    std::vector<HazardOnFile> hazards;
    bool ratingIsRight = false;
    bool leaveEmpty = false;  ///< no charge after the last reading
    double start_s = std::numeric_limits<double>::quiet_NaN();  ///< as local time; NaN: no times
    Presence present;
    bool overnight = false;  ///< explicitly allowed to run while nobody is there

    ChargeWish charge() const;  ///< a usual charge of the same battery
};

/// Break-in of nickel: 0.2C down to 1.0 V a cell, 0.1C for 16 h, rest 1 to 4 h, 0.2C down again for
/// the reading (IEC 61951-2 charges so for its capacity test; the rest is common practice), and a
/// usual charge. C counts of today's capacity where it is known. With a start its steps lie in the
/// hours in which somebody is there. Errors: what the gate refuses; a charger that cannot; a step
/// longer than those hours without the permission.
Expected<Program> planBreakIn(const ProgramWish& wish);
/// Reconditioning of nickel: cycles of a slow discharge and a charge to its peak, until a cycle
/// gains under 2 %. Errors as above.
Expected<Program> planRecondition(const ProgramWish& wish);
/// To the storage level by charge, discharge or use. Nickel: at any level. Errors: as above; a
/// level that is not known (volts at rest tell it where the curve is not flat).
Expected<Program> planStorage(const ProgramWish& wish);

struct ReadyWish {
    ChargeWish charge;              ///< `overnight`: the permission to run while nobody is there
    double now_s = 0, ready_s = 0;  ///< since 1970, as local time
    Presence present;
    double marginShare = 0.1;  ///< of the time, in hand before the time of use
};

/// A charge that ends just before the time of use, its latest end within the hours in which
/// somebody is there: the last such hours that hold it, the evening before where the morning does
/// not. Where none do it says how full it gets by its own curve and what would do. Errors: as
/// planCharge, a time that has passed.
Expected<Program> planReadyBy(const ReadyWish& wish);

}  // namespace nk
