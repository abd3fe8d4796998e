#include "table_shape.h"

#include <algorithm>
#include <map>

#include "number.h"
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

void splitCells(std::string_view line, char delimiter, std::vector<std::string_view>& cells) {
    cells.clear();
    std::size_t at = 0;
    const bool spaces = delimiter == ' ';
    while (at <= line.size()) {
        if (spaces) {
            while (at < line.size() && (line[at] == ' ' || line[at] == '\t')) ++at;
            if (at >= line.size()) break;
        }
        const std::size_t end = cellEnd(line, at, delimiter);
        cells.push_back(line.substr(at, end - at));
        at = end + 1;
        if (end == line.size() || cells.size() > kMostColumns) break;
    }
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

TableShape findShape(const std::vector<std::string_view>& lines, const ReadOptions& options) {
    TableShape best;
    std::vector<std::string_view> cells;
    for (const char delimiter : {';', '\t', ',', '|', ' '}) {
        for (const char decimal : {'.', ','}) {
            if (delimiter == ',' && decimal == ',') continue;
            if (options.delimiter != 0 && delimiter != options.delimiter) continue;
            if (options.decimal != 0 && decimal != options.decimal) continue;
            // Column counts of the lines that are mostly numbers.
            std::vector<std::pair<std::size_t, double>> rows;
            for (const auto line : lines) {
                splitCells(line, delimiter, cells);
                if (cells.size() < 2 || cells.size() > kMostColumns) continue;
                const std::size_t numeric = countNumeric(cells, decimal);
                if (numeric < 2) continue;
                // Empty cells speak neither for nor against a delimiter.
                const auto filled = std::ranges::count_if(
                    cells, [](std::string_view cell) { return !trimCell(cell).empty(); });
                rows.emplace_back(cells.size(),
                                  static_cast<double>(numeric) / static_cast<double>(filled));
            }
            if (rows.empty()) continue;
            std::map<std::size_t, std::size_t> counts;
            for (const auto& [n, share] : rows) ++counts[n];
            const auto common =
                std::max_element(counts.begin(), counts.end(),
                                 [](const auto& a, const auto& b) { return a.second < b.second; });
            double shares = 0;
            for (const auto& [n, share] : rows)
                if (n == common->first) shares += share * share;
            // A dot decimal wins a tie; a space as delimiter needs to be clearly better.
            const double score =
                shares * (decimal == '.' ? 1.0 : 0.999) * (delimiter == ' ' ? 0.9 : 1.0);
            if (score > best.score * 1.0001) best = {delimiter, decimal, common->first, score};
        }
    }
    return best;
}

bool isDataLine(const std::vector<std::string_view>& cells, const TableShape& shape) {
    if (cells.size() + 1 < shape.columns || cells.size() > shape.columns + 1) return false;
    return countNumeric(cells, shape.decimal) >= 2;
}

}  // namespace nk
