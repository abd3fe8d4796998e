// Rows of a live channel into the book, and what is left of them when the program ended in between.
#pragma once

#include <string>
#include <vector>

#include "recording/live_row.h"
#include "take_in.h"

namespace nk {

/// The titles of the lines that liveLines() writes, for so many cells.
std::string liveHeader(std::size_t cells = 0);
/// A line a row: time to the millisecond (ISO 8601, UTC), volts and amperes to the microunit; as
/// many cells as the header names, those that are not there left empty.
std::string liveLines(const std::vector<LiveRow>& rows, std::size_t cells = 0);

/// The live recording as an ordinary one: read as any log, taken in, and closed. One that has no
/// row is closed without one (id 0). Where the same bytes are in the book already it is only
/// closed. Errors: it cannot be read or written; its rows stay where they are.
Expected<TakenIn> finishLive(BenchBook& book, std::int64_t liveId, double now_s);

}  // namespace nk
