// A charge planned with what the book knows of the battery: its card, today's capacity, its own
// usual current, and one time for it (methods.md §16): by its own model where that has earned its
// use, else by its logged charges at this current, else by usual figures. Card, timer, ready-by,
// queue and bench take the same.
#pragma once

#include "ownmodel/predict.h"
#include "planning/charge_plan.h"
#include "planning/program.h"
#include "standing.h"

namespace nk {

/// A model whose left-out errors are small, on a log that it did not see: a voltage error of 30 mV
/// a cell at the most, and the times of left-out charges and discharges within 10 % (median).
bool hasEarnedItsUse(const OwnModel& model);

/// A planned charge in the words of a model; nothing where it has no end that one knows.
std::optional<PredictStep> plannedStep(const ChargePlan& plan);

/// What `plan` takes by the model: nothing where the plan has no end that the model knows, or the
/// model would be beyond what was ever logged.
std::optional<PredictedStep> modelSays(const OwnModel& model, const ChargePlan& plan,
                                       double fromSoc, double ambient_C);

/// Its logged charges from near empty at `current_A` ± 10 %, of known days: shortest, median,
/// longest, s; one alone ± 10 %. Nothing where there is none.
std::optional<TimeRange> loggedCharge_s(const BatteryHistory& history, double capacity_Ah,
                                        double current_A);

/// The current at which its logs charge it, A: the median of the charges that moved a fifth of its
/// capacity or more; 0: none.
double ownCurrent_A(const BatteryHistory& history, double capacity_Ah);

/// What is known, into a wish: card, capacity of today where none is given, hazards, skin, and its
/// own current where none is asked for and it is within the usual.
void fillIn(ChargeWish& wish, const Standing& standing, const BatteryHistory& history);
void fillIn(ProgramWish& wish, const Standing& standing);

struct KnownCharge {
    ChargePlan plan;               ///< with the one time in its card, timer and words
    std::string from;              ///< own_model, logged, usual
    std::vector<std::string> how;  ///< the other times, a sentence each
};

/// `model`: its own, where there is one. Errors: as planCharge.
Expected<KnownCharge> planKnown(ChargeWish wish, const BatteryHistory& history,
                                const OwnModel* model);

}  // namespace nk
