// Words of logger headers, from assets/headers/words.txt: what a column is called that holds a
// voltage, a time, one cell of several …
#pragma once

#include <string_view>
#include <vector>

#include "header.h"

namespace nk {

struct HeaderWords {
    struct Entry {
        std::string_view text;  ///< folded (see folded())
        Role role;
        double score;  ///< how surely; the highest of a title's words wins
    };
    std::vector<Entry> roles;
    /// Currents that are named after what they do, as one word or by a word beside it.
    std::vector<std::string_view> charging, discharging;
    std::vector<std::string_view> cells;
    /// A setting or a statistic rather than the measured value.
    std::vector<std::string_view> doubtful;
};

/// Read once. Throws std::logic_error when the shipped list is damaged, with its line.
const HeaderWords& headerWords();

/// The same from a text of that form; `text` must outlive it.
HeaderWords parseHeaderWords(std::string_view text);

}  // namespace nk
