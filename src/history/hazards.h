// The hazards that a battery's logs hold, as the gate, the verdict and every screen know them.
#pragma once

#include <vector>

#include "book/bench_book.h"
#include "safety/gate.h"

namespace nk {

/// battery, charger or use: where a hazard comes from (common practice, no source).
std::string hazardCause(const std::string& code);
/// What is to be looked at after it, one sentence.
std::string hazardLook(const std::string& code);

/// Those in the stored findings of a battery's logs, in order of their day. `seen`: somebody looked
/// at its skin since, or ticked the storage check off. Errors: the book cannot be read.
Expected<std::vector<HazardOnFile>> hazardsOf(BenchBook& book, std::int64_t batteryId);

/// The same, where the recordings are at hand: of the book or of this battery alone.
Expected<std::vector<HazardOnFile>> hazardsOf(BenchBook& book, std::int64_t batteryId,
                                              const std::vector<RecordingEntry>& recordings);

}  // namespace nk
