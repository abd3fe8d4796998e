#include "column_facts.h"

#include <algorithm>
#include <set>

#include "header.h"
#include "quantity/number.h"

namespace nk {

namespace {

std::optional<double> numberWith(std::string_view cell, char decimal) {
    double value = 0;
    std::size_t used = 0;
    if (parseNumberPrefix(cell, decimal, value, used) &&
        (used == cell.size() || parseUnit(cell.substr(used))))
        return value;
    return parseGrouped(cell, decimal);
}

/// Every way in which the cells read as clocks or dates.
std::vector<TimeStyle> timesOf(const std::vector<std::string_view>& cells) {
    std::vector<TimeStyle> out;
    const std::size_t need = cells.size() - cells.size() / 10;
    const auto reads = [&](const TimeStyle& style, bool date) {
        std::size_t good = 0;
        for (const auto c : cells)
            good += (date ? parseDateTime(c, style) : parseClock(c, style)) ? 1 : 0;
        return good >= need;
    };
    TimeStyle style;
    style.shape = TimeShape::Clock;
    if (reads(style, false)) {
        // Two parts: minutes and seconds, or hours and minutes.
        const bool twoParts = std::ranges::all_of(
            cells, [](std::string_view c) { return std::ranges::count(c, ':') == 1; });
        const bool fraction = std::ranges::any_of(cells, [](std::string_view c) {
            return c.find_first_of(".,") != std::string_view::npos;
        });
        out.push_back(style);
        if (twoParts && !fraction) {
            style.twoPartIsHours = true;
            out.push_back(style);
        }
        return out;
    }
    style.shape = TimeShape::DateTime;
    for (const DateOrder order : {DateOrder::DayMonthYear, DateOrder::MonthDayYear}) {
        style.order = order;
        if (!reads(style, true)) continue;
        // A date that begins with the year has one order only.
        if (!out.empty() && std::ranges::all_of(cells, [&](std::string_view c) {
                return parseDateTime(c, out.front()) == parseDateTime(c, style);
            }))
            continue;
        out.push_back(style);
    }
    return out;
}

}  // namespace

std::vector<ColumnFacts> factsOf(const SampledTable& table) {
    std::vector<ColumnFacts> out(table.columns);
    for (std::size_t k = 0; k < table.columns; ++k) {
        ColumnFacts& f = out[k];
        std::vector<std::string_view> filled;
        std::size_t mode = 0;
        for (const auto& row : table.rows) {
            const std::string_view cell = row[k];
            f.point.push_back(kNaN);
            f.comma.push_back(kNaN);
            if (isMissing(cell)) continue;
            ++f.filled;
            if (const auto x = numberWith(cell, '.'))
                f.point.back() = *x;
            else
                ++f.badPoint;
            if (const auto x = numberWith(cell, ','))
                f.comma.back() = *x;
            else
                ++f.badComma;
            filled.push_back(cell);
        }
        if (filled.empty()) continue;
        if (!f.numeric('.') && !f.numeric(',')) {
            f.times = timesOf(filled);
            if (f.times.empty()) {
                for (const auto cell : filled) mode += modeSign(cell) ? 1 : 0;
                std::set<std::string_view> different(filled.begin(), filled.end());
                f.modeWords = mode * 10 >= filled.size() * 8 && different.size() <= 12;
            }
        }
    }
    return out;
}

std::vector<char> decimalSigns(const std::vector<ColumnFacts>& facts, const ReadOptions& options) {
    if (options.decimal != 0) return {options.decimal};
    // Cells that one sign reads and the other does not.
    std::size_t onlyPoint = 0;
    std::size_t onlyComma = 0;
    bool differ = false;
    for (const ColumnFacts& f : facts) {
        if (!f.numeric('.') && !f.numeric(',')) continue;
        for (std::size_t k = 0; k < f.point.size(); ++k) {
            const bool point = std::isfinite(f.point[k]);
            const bool comma = std::isfinite(f.comma[k]);
            onlyPoint += point && !comma ? 1 : 0;
            onlyComma += comma && !point ? 1 : 0;
            differ |= point && comma && f.point[k] != f.comma[k];
        }
    }
    if (onlyPoint > 10 * onlyComma) return {'.'};
    if (onlyComma > 10 * onlyPoint) return {','};
    if (!differ) return {onlyComma > onlyPoint ? ',' : '.'};
    return {'.', ','};
}

}  // namespace nk
