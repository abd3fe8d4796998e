// A recorded charge or discharge beside what the model says of it, as it was or had it been done
// otherwise.
#pragma once

#include "own_model.h"
#include "predict.h"

namespace nk {

/// A step of a log in the planner's words: its current (median), the volts at which it turned or
/// ended and its cut-off; nothing for rests, pulses, loads that change, and nickel's charges.
std::optional<PredictStep> asPredicted(const Recording& recording, const Step& step,
                                       const Battery& battery);

/// Charge level at a row of the log, 1 full and rested, by the model: from a full charge in the
/// log, else from the voltage there less what the resistance takes. `start_Ah`: z at the first row
/// where it is known.
double levelAt(const OwnModel& model, const ModelLog& log, const Battery& battery, std::size_t row,
               double start_Ah = kNaN);

/// Level from a voltage (of a cell) under a current that has flowed for so long. `uncertainty`:
/// standard, what the model misses over the slope of the curve.
double levelUnderLoad(const OwnModel& model, double cell_V, double current_A, double since_s,
                      double temperature_C, double& uncertainty);

/// Fills times and charges of the log's longest step that came to its end.
void judgeStep(const OwnModel& model, const ModelLog& log, double start_Ah, LeftOutLog& into);

/// What a recorded step would have been, had it been done so.
struct WhatIf {
    Step measured;
    double measured_s = kNaN;
    PredictedStep asItWas;  ///< the model's word for what was measured
    PredictedStep instead;
    double startSoc = kNaN, warmth_C = kNaN;
    double endSoc = kNaN, endSocUncertainty = kNaN;  ///< after `instead`
};
/// `step`: among those of the log. Errors: no such step, one that cannot be told again, as
/// predict().
Expected<WhatIf> whatIf(const OwnModel& model, const ModelLog& log, const Battery& battery,
                        std::size_t step, const PredictStep& instead, double ambient_C);

}  // namespace nk
