// One battery with its logs as a book of its own, to hand on.
#pragma once

#include <filesystem>
#include <stop_token>

#include "book/bench_book.h"

namespace nk {

/// Makes a new book at `target` that holds one battery, its recordings with originals, edits,
/// corrections, readings by hand, and the instruments and chargers they name; nothing else, and no
/// undo journal. Errors: `target` is there already, no room, cancelled; no file is left then.
Expected<MergeReport> handOnBattery(BenchBook& book, std::int64_t batteryId,
                                    const std::filesystem::path& target, std::stop_token stop = {});

}  // namespace nk
