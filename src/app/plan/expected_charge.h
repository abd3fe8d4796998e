// A planned charge as the battery's own model expects it, and set against the log that followed.
#pragma once

#include <QString>
#include <optional>
#include <vector>

#include "history/kept_plans.h"
#include "ownmodel/predict.h"
#include "planning/charge_plan.h"

namespace nk {

struct ExpectedCharge {
    PredictedStep step;
    QString words;
};

/// `fromSoc` under 0: by the volts at rest of the plan, whose own uncertainty widens the time, else
/// from empty; which of them is said. Nothing where the plan has no end that the model knows.
std::optional<ExpectedCharge> expectedCharge(const OwnModel& own, const ChargePlan& plan,
                                             double fromSoc, double warmth_C);

/// What was set and what the log shows, a line each.
QString againstWords(const KeptPlan& plan, const std::vector<AgainstLog>& against);
/// A card whose log has not come yet.
QString waitsWords(const KeptPlan& plan);

}  // namespace nk
