#include "table_shape.h"

#include <algorithm>

#include "quantity/number.h"
#include "quantity/units.h"
#include "time_text.h"

namespace nk {

std::size_t cellEnd(std::string_view line, std::size_t at, char delimiter) {
    std::size_t from = at;
    if (at < line.size() && line[at] == '"') {
        std::size_t close = line.find('"', at + 1);
        while (close != std::string_view::npos && close + 1 < line.size() && line[close + 1] == '"')
            close = line.find('"', close + 2);
        if (close != std::string_view::npos) from = close;
    }
    std::size_t end = std::min(line.find(delimiter, from), line.size());
    if (delimiter == ' ')
        if (const std::size_t tab = line.substr(0, end).find('\t', from);
            tab != std::string_view::npos)
            end = tab;
    return end;
}

namespace {

/// Tells `visit` each cell of a line, at most kMostColumns + 1. `runs`: spaces in a row are one.
template <class Visit>
void eachCell(std::string_view line, char delimiter, bool runs, Visit visit) {
    std::size_t count = 0;
    std::size_t at = 0;
    while (at <= line.size()) {
        if (runs) {
            while (at < line.size() && (line[at] == ' ' || line[at] == '\t')) ++at;
            if (at >= line.size()) break;
        }
        const std::size_t end = cellEnd(line, at, delimiter);
        visit(line.substr(at, end - at));
        at = end + 1;
        if (end == line.size() || ++count > kMostColumns) break;
    }
}

}  // namespace

std::size_t countCells(std::string_view line, char delimiter, bool runs) {
    std::size_t count = 0;
    // Without quotes a run of spaces is all that parts cells.
    if (runs && line.find('"') == std::string_view::npos) {
        bool blank = true;
        for (const char c : line) {
            const bool space = c == ' ' || c == '\t';
            count += blank && !space ? 1 : 0;
            blank = space;
        }
        return count;
    }
    eachCell(line, delimiter, runs, [&](std::string_view) { ++count; });
    return count;
}

void splitCells(std::string_view line, char delimiter, std::vector<std::string_view>& cells,
                std::size_t columns) {
    cells.clear();
    const bool runs = delimiter == ' ' && (columns == 0 || countCells(line, ' ', true) >= columns ||
                                           countCells(line, ' ', false) != columns);
    eachCell(line, delimiter, runs, [&](std::string_view cell) { cells.push_back(cell); });
}

std::vector<std::string_view> firstLines(std::string_view text, std::size_t limit) {
    constexpr std::size_t kMostLine = std::size_t{256} << 10;  // a line may be as long as the file
    std::vector<std::string_view> lines;
    std::size_t at = 0;
    while (at < text.size() && lines.size() < limit) {
        std::size_t end = text.find('\n', at);
        if (end == std::string_view::npos) end = text.size();
        std::string_view line = text.substr(at, end - at);
        if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
        lines.push_back(line.substr(0, kMostLine));
        at = end + 1;
    }
    return lines;
}

namespace {

bool looksLikeTime(std::string_view cell) {
    static const TimeStyle style;
    return parseClock(cell, style).has_value() || parseDateTime(cell, style).has_value() ||
           parseDateTime(cell, {TimeShape::DateTime, DateOrder::MonthDayYear, false, '.'})
               .has_value();
}

}  // namespace

std::size_t countNumeric(const std::vector<std::string_view>& cells, char decimal) {
    std::size_t numeric = 0;
    for (const auto cell : cells) {
        const auto c = trimCell(cell);
        if (c.empty()) continue;
        double value = 0;
        std::size_t used = 0;
        if (parseNumberPrefix(c, decimal, value, used)) {
            if (used == c.size() || parseUnit(c.substr(used))) {
                ++numeric;
                continue;
            }
        }
        // "1,234" alone may be either; with its decimal sign it is a number with thousands marks.
        const bool grouped = c.find(decimal) != std::string_view::npos && parseGrouped(c, decimal);
        if (looksLikeTime(c) || grouped) ++numeric;
    }
    return numeric;
}

}  // namespace nk
