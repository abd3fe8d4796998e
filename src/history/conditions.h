// The conditions under which a reading was taken, from the log it was taken from.
#pragma once

#include "analysis/analysis.h"
#include "book/stored.h"

namespace nk {

/// Rate, floor and fullness of a discharge, set voltage and cut-off of a charge (of the one before,
/// for a discharge, when the log holds it), state of charge, delay, temperature, rest before.
ReadingConditions conditionsOf(const AnalysisInput& in, const Analysis& analysis,
                               const Reading& reading);

}  // namespace nk
