// The shape of a text table, before anything is known of its meaning: lines, cells, delimiter and
// decimal sign.
#pragma once

#include <string_view>
#include <vector>

#include "text_table.h"

namespace nk {

/// More columns than any log has; what lies beyond is not looked at.
inline constexpr std::size_t kMostColumns = 4096;

/// Where the cell that begins at `at` ends: at a delimiter or at the end of the line. A quoted cell
/// keeps its delimiters and its doubled quotes; one whose quote is never closed ends at the next
/// delimiter like any other.
std::size_t cellEnd(std::string_view line, std::size_t at, char delimiter);

/// Splits a line into cells, at most kMostColumns + 1. Runs of spaces count as one when the
/// delimiter is a space, unless the line has fewer than `columns` cells so and just as many when
/// every space counts: then what is missing stands between two spaces.
void splitCells(std::string_view line, char delimiter, std::vector<std::string_view>& cells,
                std::size_t columns = 0);

/// How many cells splitCells would give; `runs`: spaces in a row are one.
std::size_t countCells(std::string_view line, char delimiter, bool runs);

/// The first `limit` lines of a text, without line ends, each no further than 256 KiB.
std::vector<std::string_view> firstLines(std::string_view text, std::size_t limit);

struct TableShape {
    char delimiter = ',';
    char decimal = '.';
    std::size_t columns = 0;
    double score = 0;
};

/// How many cells hold a number (with a unit behind it or not), a clock time or a date.
std::size_t countNumeric(const std::vector<std::string_view>& cells, char decimal);

}  // namespace nk
