// The few numbers the shelf shows of a recording.
#pragma once

#include "analysis/analysis.h"
#include "book/bench_book.h"

namespace nk {

/// Changes whenever any metric's version does, so that cached summaries are computed anew.
int analysisVersion();
RecordingSummary summarise(const Analysis& analysis);

}  // namespace nk
