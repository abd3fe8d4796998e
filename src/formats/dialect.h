// Finding out how to read a table: delimiter, header, columns, units, decimal sign, times. Several
// ways are proposed and judged by how their samples fit one another and a battery; the best is
// taken when it is clearly better.
#pragma once

#include <string_view>
#include <vector>

#include "text_table.h"

namespace nk {

/// The dialect of a text, which may be a selection of a longer one (its first lines whole, then
/// others). Errors: one column only, no numbers, no voltage or current or time (ColumnsUnknown),
/// two ways that fit equally well and mean different things (ColumnsUnknown, with the option that
/// decides).
Expected<Dialect> guessDialect(std::string_view text, const std::string& name,
                               const ReadOptions& options);

/// One of two ways that fit equally well.
struct ReadingChoice {
    std::string words;    ///< what it takes for what, "voltage in mV"
    ReadOptions options;  ///< read the log so
};

/// The two ways of a log that guessDialect refuses to decide on; empty for any other log.
std::vector<ReadingChoice> readingChoices(std::string_view text, const ReadOptions& options);

/// What guessDialect looks at of a long text: its beginning, and pieces from everywhere else.
class TextSource;
std::string sampleOf(const TextSource& source, std::string_view head);

}  // namespace nk
