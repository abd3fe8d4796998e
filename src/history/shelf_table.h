// The whole shelf as one table of text (CSV, RFC 4180, UTF-8), out and in again without loss: every
// battery with its card and what is known of it beyond. Pictures stay in the book.
#pragma once

#include <string>

#include "book/bench_book.h"

namespace nk {

/// Columns: id, name, chemistry, series, parallel, rated_Ah, mass_kg, part_of (an id of the
/// table), position, serial, tags (joined by commas), used_in, in_use_since, bought, worth,
/// worth_unit, retired, out_of_use, notes, photo (its hash), card (JSON). Days and moments in ISO
/// 8601, UTC. A text that a spreadsheet would take for a formula begins with an apostrophe, which
/// is taken off again. Errors: the book cannot be read.
Expected<std::string> shelfTable(BenchBook& book);

struct ShelfTaken {
    int added = 0;      ///< batteries that are new
    int changed = 0;    ///< known ones that were changed
    int unchanged = 0;  ///< known ones that are as the table has them
};

/// Takes such a table in, as one step of undo; any subset of the columns with `name` among them.
/// A battery of the same name and kind is the same one; of several the first. What a column that
/// is not there or a blank cell says, stays as it is. Errors: no table, a column that is not known,
/// a cell that cannot be read (named with its row), a part of something that is not there; nothing
/// is changed then.
Expected<ShelfTaken> takeShelfTable(BenchBook& book, const std::string& csv);

}  // namespace nk
