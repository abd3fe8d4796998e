// Nickel charges in the logs from which a battery's own model is learned: what of the charge that
// goes in is stored, and where the battery was full.
#pragma once

#include <utility>

#include "model_log.h"

namespace nk {

/// The overcharge to the peak and the fall behind it, from charges between two known levels: peak
/// to peak, or floor to peak to floor. Without any the usual figures, wide. `rated_Ah` over 0.
NickelCharging learnNickelCharging(const std::vector<ModelLog>& logs, const Battery& battery,
                                   double rated_Ah);

/// Counts in `log.moved_Ah` (given: all charge that went in) only what is stored, tells where the
/// battery was full (`start_Ah`) and how far before the peak each sample of a charge is
/// (`before_Ah`, Ah; NaN elsewhere). `unfitted`: samples that say nothing of the rested curve.
void countNickelCharges(const ModelLog& given, const Battery& battery, const NickelCharging& law,
                        ThinnedLog& log,
                        std::vector<std::pair<std::size_t, std::size_t>>& unfitted);

}  // namespace nk
