// A small table of things (modules, packs, cycles), one a row, with titles: any usual delimiter and
// decimal sign, any of our encodings. Not for logs, which text_table reads.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "quantity/error.h"

namespace nk {

struct PlainTable {
    std::vector<std::string> titles;             ///< as they stand, without blanks around them
    std::vector<std::vector<std::string>> rows;  ///< each as long as the titles
    std::vector<std::size_t> lines;              ///< of each row, counted from 1, for messages
    char delimiter = ',';
    char decimal = '.';
    std::string where;  ///< the file, for messages

    /// The column of the first title that reads like one of `names` (case, blanks, hyphens,
    /// underscores and what stands in brackets do not count); −1: none.
    int column(std::initializer_list<const char*> names) const;
    /// The number in a cell with the table's decimal sign; NaN for a blank one. Errors: anything
    /// else, named with its line and title.
    Expected<double> number(std::size_t row, int column) const;
    /// An error at a cell: what, which line and column, what would be accepted.
    Error at(std::size_t row, int column, const std::string& what,
             const std::string& accepted) const;
};

/// Lines before the titles that hold fewer cells are passed over, blank lines and those that begin
/// with # too. The decimal sign is a comma where the delimiter is none and some cell needs it.
/// Errors: no table, quotation marks that are not closed, a row with more cells than titles, over
/// a million rows.
Expected<PlainTable> readPlainTable(std::string_view bytes, const std::string& where);
/// The same from a file.
Expected<PlainTable> readPlainTableFile(const std::filesystem::path& path);

}  // namespace nk
