// Of which day a log is whose rows have no date: from the words above its table, else from its
// file's name.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "formats/text_table.h"

namespace nk {

struct LogDay {
    std::string day;   ///< 2026-05-01
    std::string from;  ///< words, name
};

/// The one day that the words before the table name, else that of the file's name; nothing where
/// there is none, or where several disagree. Years 1990 to the one of `now_s`; days written
/// 2026-05-01 (also with . _ / or nothing between) and 1.5.2026. A month that might be a day
/// (05/01/2026) is none.
std::optional<LogDay> dayOfLog(std::string_view bytes, const std::string& name,
                               const Dialect& dialect, double now_s);

/// The days that a text names, each once, in their order.
std::vector<std::string> daysIn(std::string_view text, double now_s);

}  // namespace nk
