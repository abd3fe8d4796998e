// What the cells of one column say by themselves: numbers with either decimal sign, times, words.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "sampled_table.h"

namespace nk {

struct ColumnFacts {
    std::vector<double> point,
        comma;  ///< values read with "." and with "," as decimal sign; NaN where that fails
    std::size_t filled = 0;                  ///< cells that hold something
    std::size_t badPoint = 0, badComma = 0;  ///< filled cells that are no number with that sign
    std::vector<TimeStyle>
        times;  ///< ways to read it as a clock or a date, the likelier first; empty when it is none
    bool modeWords = false;

    const std::vector<double>& values(char decimal) const { return decimal == ',' ? comma : point; }
    std::size_t bad(char decimal) const { return decimal == ',' ? badComma : badPoint; }
    /// Most of what it holds are numbers.
    bool numeric(char decimal) const { return filled > 0 && bad(decimal) * 10 <= filled; }
};

std::vector<ColumnFacts> factsOf(const SampledTable& table);

/// The one decimal sign that the cells allow, or both when nothing tells.
std::vector<char> decimalSigns(const std::vector<ColumnFacts>& facts, const ReadOptions& options);

}  // namespace nk
