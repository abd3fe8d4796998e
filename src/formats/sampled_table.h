// What is looked at of a table to find out how to read it: its lines' kinds, its header, and rows
// from all of its length. Nothing here knows what the columns mean.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "table_shape.h"
#include "time_text.h"

namespace nk {

struct SampledTable {
    TableShape shape;
    std::size_t headerLine = 0;              ///< 1-based; 0 when there is none
    std::size_t unitLine = 0;                ///< 1-based; 0 when there is none
    std::size_t firstDataLine = 1;           ///< 1-based
    std::vector<std::string> titles, units;  ///< trimmed; empty strings where there is nothing
    std::size_t columns = 0;
    /// Parted by spaces, and nearly every row has all cells: a shorter one lacks one somewhere.
    bool evenSpaces = false;
    /// Rows of the table's width, cells trimmed: the first ones, and short runs from everywhere
    /// else.
    std::vector<std::vector<std::string_view>> rows;
    /// Rows that do not follow the one before directly.
    std::vector<std::size_t> breaks;
};

/// Looks at a text, whose lines from `headLines` on may be a selection. Nothing when there is no
/// table in it.
std::optional<SampledTable> sampleTable(std::string_view text, const ReadOptions& options);

/// A number, a time, a date, or what stands for a missing one, whatever the decimal sign.
bool looksNumeric(std::string_view cell);

}  // namespace nk
