// The few numbers the shelf shows of a recording, chosen in one place for all who show them.
#pragma once

#include "analysis/analysis.h"
#include "book/bench_book.h"

namespace nk {

/// The resistance to quote: the one that the finding "which_resistance" names, else one under a
/// varying load. Null when there is none.
const Reading* quotedResistance(const Analysis& analysis);
/// The largest discharge of the log. Null when there is none.
const Reading* quotedCapacity(const Analysis& analysis);

RecordingSummary summarise(const Analysis& analysis);

/// "0.6C to 3.00 V, up to 21 °C": under which conditions the summary's capacity was measured; empty
/// when they are not known.
std::string conditionsWords(const RecordingSummary& summary);

/// The same where there is little room: "0.6C, 21 °C".
std::string conditionsShort(const RecordingSummary& summary);

}  // namespace nk
