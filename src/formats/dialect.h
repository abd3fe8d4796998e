// Finding delimiter, decimal sign, header and columns of a text table from its first lines.
#pragma once

#include <string_view>
#include <vector>

#include "text_table.h"

namespace nk {

/// Splits a line into cells. Quoted cells keep their delimiters; runs of spaces count as one when
/// the delimiter is a space.
void splitCells(std::string_view line, char delimiter, std::vector<std::string_view>& cells);

/// The first `limit` lines of a text, without line ends.
std::vector<std::string_view> firstLines(std::string_view text, std::size_t limit);

/// Guesses the dialect. Errors: one column only, no numbers, no voltage or current.
Expected<Dialect> guessDialect(std::string_view text, const std::string& name,
                               const ReadOptions& options);

}  // namespace nk
