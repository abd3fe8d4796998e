// What can be saved of a book that is refused: its rows copied into a new book.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "quantity/error.h"

namespace nk {

struct RescueReport {
    std::int64_t batteries = 0, recordings = 0, others = 0;
    std::vector<std::string> leftOut;  ///< what was not copied, and why; at most ten
};

/// Copies the rows of known tables, batteries, recordings with their samples and originals, edits,
/// corrections and readings, from `damaged` into a new book at `target`, as far as they can be read
/// and keep the book's rules. Nothing else of the file is used or run; `damaged` is not changed.
/// The undo journal is not copied. Errors: `target` is there already, `damaged` is no SQLite file,
/// no room.
Expected<RescueReport> rescueBook(const std::filesystem::path& damaged,
                                  const std::filesystem::path& target);

}  // namespace nk
