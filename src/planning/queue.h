// Many modules, few chargers: when is what plugged in where, and when is all done.
#pragma once

#include "charger_card.h"
#include "program.h"

namespace nk {

struct QueueModule {
    std::string name;
    std::string chemistry;
    int series = 1;
    double rated_Ah = 0;
    double capacity_Ah = 0;  ///< 0: the rating
    double charge_A = 0;     ///< wanted; 0: the usual half C
    double discharge_A = 0;  ///< wanted; 0: a fifth of C
    double floor_V = 0;      ///< a cell; 0: the usual
    double rested_V = 0;     ///< of the module at rest; 0: not measured
    double ambient_C = 20;   ///< its warmth
    std::string skin = {};   ///< what is wrong with its skin
    std::vector<HazardOnFile> hazards = {};
    ChargeWish charge() const;
};

/// A step that somebody put where he wants it: on this channel, not before this moment.
struct QueuePin {
    std::size_t module = 0;
    std::size_t link = 0;  ///< which of the module's charges and discharges, from 0
    int charger = 0, channel = 1;
    double start_s = 0;
};

/// A step that has begun or ended; with its real times.
struct QueueDone {
    std::size_t module = 0;
    int charger = 0, channel = 1;
    double start_s = 0, end_s = 0;
    bool real = true;  ///< it has ended; else it runs and the end is the one expected
};

struct QueueWish {
    std::vector<QueueModule> modules;
    std::vector<ChargerCard> chargers;
    int cycles = 1;
    bool dischargeFirst = false;  ///< a cycle is discharge, charge; else charge, discharge
    double rest_min = 20;
    Presence present;
    double start_s = 0;               ///< since 1970, as local time
    bool unattendedCharging = false;  ///< allowed by the user in so many words: a tenth of C then
    double seconds = 0.2;             ///< of computing time for a better plan
    unsigned seed = 1;
    std::vector<QueueDone> done;  ///< by module in the order of its chain
    std::vector<QueuePin> pins;
    std::vector<std::size_t> retired;  ///< modules that get no more steps
    double now_s = 0;                  ///< nothing new begins before; 0: the start
};

struct QueueStep {
    std::size_t module = 0;
    int charger = -1, channel = 0;  ///< −1: a rest off the channel; channel from 1
    std::string what;               ///< discharge, charge, rest
    double start_s = 0, end_s = 0;
    bool attended = true;
    double current_A = std::numeric_limits<double>::quiet_NaN();
    std::size_t link = 0;  ///< of the module's chain; of a rest: the one before it
    bool done = false;     ///< as it really was
};

struct QueuePlan {
    std::vector<QueueStep> steps;  ///< by start
    double start_s = 0, finish_s = 0;
    double lowerBound_h = 0;
    int visits = 0;  ///< moments at which somebody must put a hand to it; within 5 min is one
    std::vector<std::string> notes;
    double makespan_h() const { return (finish_s - start_s) / 3600; }
};

/// How long a module's step takes on a charger, s, and its current: a charge at the latest, as its
/// own plan says (planCharge); a discharge its capacity over the current. `overnight`: with a tenth
/// of C. Errors: what the gate refuses, a charger that cannot.
Expected<double> queueStep_s(const QueueModule& module, const ChargerCard& charger, bool charge,
                             bool overnight, double& current_A);

/// Earliest finish, then fewest visits: longest remaining chain first, over randomly disturbed
/// priorities until its time is up. A charge lies wholly, to its latest end, within the hours in
/// which somebody is there, or with the explicit permission outside them with a tenth of C; so does
/// every hand. Errors: no modules or chargers, what the gate refuses, a module that no charger can
/// take (named, with the limit), a charge that is longer than the attended hours.
Expected<QueuePlan> planQueue(const QueueWish& wish);

/// The greater of the work over the channels that may do it and the longest chain of one module, h.
double queueLowerBound_h(const QueueWish& wish);

}  // namespace nk
