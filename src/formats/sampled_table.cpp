#include "sampled_table.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "header.h"
#include "quantity/number.h"

namespace nk {

namespace {

constexpr std::size_t kFirstRows = 600;
constexpr std::size_t kRuns = 24;
constexpr std::size_t kRunRows = 40;
constexpr std::size_t kHeaderWithin = 1000;  ///< lines in which a header is looked for

/// What a cell looks like, without its value: a letter of its kind, and the decimals of a number.
char kindOf(std::string_view cell) {
    if (isMissing(cell)) return '-';
    double value = 0;
    std::size_t used = 0;
    for (const char decimal : {'.', ','})
        if (parseNumberPrefix(cell, decimal, value, used) &&
            (used == cell.size() || parseUnit(cell.substr(used)))) {
            const std::size_t point = cell.find(decimal);
            return point == std::string_view::npos
                       ? 'i'
                       : static_cast<char>('0' + std::min<std::size_t>(9, cell.size() - point - 1));
        }
    return looksNumeric(cell) ? 't' : 'w';
}

struct Line {
    std::vector<std::string_view> cells;  ///< trimmed
    std::string kinds;
    std::size_t numeric = 0, filled = 0, words = 0;
};

Line lookAt(std::string_view text, char delimiter, std::size_t columns = 0) {
    Line out;
    splitCells(text, delimiter, out.cells, columns);
    if (out.cells.size() > kMostColumns) out.cells.clear();
    for (auto& cell : out.cells) {
        cell = trimCell(cell);
        const char kind = kindOf(cell);
        out.kinds.push_back(kind);
        if (cell.empty()) continue;
        ++out.filled;
        if (kind == 'w')
            ++out.words;
        else
            ++out.numeric;
    }
    return out;
}

bool isDataLike(const Line& line, std::size_t columns) {
    const std::size_t n = line.cells.size();
    return n + 1 >= columns && n <= columns + 1 && line.numeric >= 2 &&
           line.numeric * 2 >= line.filled;
}

/// "V", "[mA]", "-": a cell of a line of units.
bool isUnitCell(std::string_view cell) {
    std::string text = trimmed(cell);
    if (text.size() > 2 && (text.front() == '[' || text.front() == '('))
        text = text.substr(1, text.size() - 2);
    return parseUnit(text) || text == "-" || lowered(text).find(":mm") != std::string::npos;
}

/// How many cells of a line name a column that a log has.
std::size_t namesIn(const Line& line) {
    std::size_t count = 0;
    for (std::size_t k = 0; k < std::min<std::size_t>(line.cells.size(), 200); ++k) {
        if (line.kinds[k] != 'w') continue;
        const Column c = readHeaderCell(line.cells[k]);
        count += c.role != Role::Ignore && c.score > 0 ? 1 : 0;
    }
    return count;
}

/// Titles parted by spaces, "Time (s) Voltage (V)": a unit in brackets belongs to the word before
/// it where that makes as many titles as there are columns.
void joinTitles(std::vector<std::string>& titles, std::size_t columns) {
    if (titles.size() <= columns) return;
    std::vector<std::string> joined;
    for (const std::string& title : titles)
        if (!joined.empty() && !title.empty() && (title.front() == '(' || title.front() == '['))
            joined.back() += " " + title;
        else
            joined.push_back(title);
    if (joined.size() == columns) titles = std::move(joined);
}

/// The delimiter that makes the most even table.
TableShape bestShape(const std::vector<std::string_view>& lines, const ReadOptions& options) {
    TableShape best;
    std::vector<std::string_view> probe;
    const std::size_t stride = std::max<std::size_t>(1, lines.size() / 500);
    // A line that stands there many times, as in a preamble, speaks once.
    std::set<std::string_view> seen;
    for (std::size_t k = 0; k < lines.size(); k += stride)
        if (seen.insert(lines[k]).second) probe.push_back(lines[k]);
    std::size_t tabbed = 0;
    for (const auto text : probe) tabbed += std::ranges::count(text, '\t') >= 2 ? 1 : 0;
    for (const char delimiter : {';', '\t', ',', '|', ' '}) {
        if (options.delimiter != 0 && delimiter != options.delimiter) continue;
        std::map<std::size_t, double> votes;
        for (const auto text : probe) {
            const Line line = lookAt(text, delimiter);
            if (line.cells.size() < 2 || line.numeric < 2) continue;
            const double share =
                static_cast<double>(line.numeric) / static_cast<double>(line.filled);
            votes[line.cells.size()] += share * share;
        }
        for (const auto& [columns, vote] : votes) {
            // A space needs to be clearly better: it stands inside dates and numbers too. So does a
            // comma.
            const double score =
                vote *
                (delimiter == ' ' && tabbed * 10 > probe.size() * 7 ? 0.6  // it marks thousands
                 : delimiter == ' '                                 ? 0.9
                 : delimiter == ','                                 ? 0.97
                                                                    : 1.0) *
                (1 + 0.002 * static_cast<double>(std::min<std::size_t>(columns, 20)));
            if (score > best.score * 1.0001) best = {delimiter, '.', columns, score};
        }
    }
    return best;
}

}  // namespace

bool looksNumeric(std::string_view cell) {
    if (cell.empty()) return false;
    if (isMissing(cell)) return true;
    return countNumeric({cell}, '.') > 0 || countNumeric({cell}, ',') > 0 ||
           parseGrouped(cell, '.') || parseGrouped(cell, ',');
}

std::optional<SampledTable> sampleTable(std::string_view text, const ReadOptions& options) {
    SampledTable out;
    const auto lines = firstLines(text, std::string_view::npos);
    out.shape = bestShape(lines, options);
    if (out.shape.columns < 2) return std::nullopt;
    const char delimiter = out.shape.delimiter;

    // How a row of this table usually looks: kinds of its cells, from the whole length. A line that
    // stands there many times, as in a preamble, speaks once.
    const auto look = [&](std::string_view line) {
        return lookAt(line, delimiter, out.shape.columns);
    };
    std::map<std::string, std::size_t> looks;
    std::set<std::string_view> told;
    const std::size_t stride = std::max<std::size_t>(1, lines.size() / 400);
    for (std::size_t k = 0; k < lines.size(); k += stride)
        if (const Line line = look(lines[k]);
            isDataLike(line, out.shape.columns) && told.insert(lines[k]).second)
            ++looks[line.kinds];
    if (looks.empty()) return std::nullopt;
    const std::string usual =
        std::ranges::max_element(looks, {}, [](const auto& entry) { return entry.second; })->first;
    // As the usual row, but for missing cells and a digit more or less.
    const auto usualLook = [&](const Line& line) {
        const std::size_t n = std::min(line.kinds.size(), usual.size());
        std::size_t same = 0;
        for (std::size_t k = 0; k < n; ++k) {
            const char a = line.kinds[k];
            const char b = usual[k];
            same += a == b || a == '-' || b == '-' ? 1 : 0;
        }
        return same * 3 >= usual.size() * 2;
    };

    // The header is the first line of about the table's width that names two columns of a log and
    // has data behind it; without one, the table begins with its first usual row.
    std::size_t first = lines.size();
    const std::size_t within = std::min(lines.size(), kHeaderWithin);
    for (std::size_t k = 0; k < within && out.headerLine == 0; ++k) {
        std::string_view bare = lines[k];
        while (!bare.empty() &&
               (bare.front() == '#' || bare.front() == '%' || bare.front() == ' ')) {
            if (bare.size() > 1 && bare[1] == delimiter && delimiter != ' ' && bare.front() == '#')
                break;
            bare.remove_prefix(1);
        }
        const Line line = lookAt(bare, delimiter);
        if (line.cells.size() + 1 < out.shape.columns || line.words < 2 ||
            line.words * 2 < line.filled)
            continue;
        std::size_t unitLike = 0;
        for (const auto cell : line.cells) unitLike += isUnitCell(cell) ? 1 : 0;
        if (unitLike * 10 >= line.cells.size() * 8 && k + 1 < lines.size() && namesIn(line) < 2)
            continue;
        if (namesIn(line) < 2) continue;
        // Words behind a mark are remarks where a plain line of titles follows before the data.
        if (lines[k].starts_with('#') || lines[k].starts_with('%')) {
            bool plain = false;
            for (std::size_t next = k + 1; next < std::min(lines.size(), k + 5) && !plain; ++next) {
                const Line follow = look(lines[next]);
                if (isDataLike(follow, out.shape.columns) && follow.words * 2 < follow.filled)
                    break;
                plain = !lines[next].starts_with('#') && !lines[next].starts_with('%') &&
                        follow.cells.size() + 1 >= out.shape.columns && follow.words >= 2 &&
                        namesIn(follow) >= 2;
            }
            if (plain) continue;
        }
        // Data must follow, at most a line of units and a blank one behind.
        for (std::size_t next = k + 1; next < std::min(lines.size(), k + 5); ++next) {
            const Line follow = look(lines[next]);
            if (isDataLike(follow, out.shape.columns) && follow.words * 2 < follow.filled) {
                out.headerLine = k + 1;
                first = next;
                for (std::size_t c = 0; c < std::min(line.cells.size(), out.shape.columns + 8); ++c)
                    out.titles.push_back(trimmed(line.cells[c]));
                for (std::size_t u = k + 1; u < next; ++u) {
                    const Line units = lookAt(lines[u], delimiter);
                    std::size_t named = 0;
                    for (const auto cell : units.cells)
                        named += isUnitCell(cell) || cell.empty() ? 1 : 0;
                    if (units.filled == 0 || named * 10 < units.cells.size() * 8) continue;
                    out.unitLine = u + 1;
                    for (const auto cell : units.cells) out.units.push_back(trimmed(cell));
                }
                break;
            }
        }
    }
    if (out.headerLine == 0) {
        for (std::size_t k = 0; k < lines.size() && first == lines.size(); ++k) {
            const Line line = look(lines[k]);
            if (!isDataLike(line, out.shape.columns) || !usualLook(line)) continue;
            // Numbers of a preamble look so too, perhaps, but not the lines behind them.
            std::size_t good = 0;
            std::size_t seen = 0;
            for (std::size_t next = k + 1; next < std::min(lines.size(), k + 7); ++next, ++seen) {
                const Line follow = look(lines[next]);
                good += isDataLike(follow, out.shape.columns) && usualLook(follow) ? 1 : 0;
            }
            if (seen == 0 || good * 3 >= seen * 2) first = k;
        }
        if (first == lines.size()) return std::nullopt;
        // A line of words right above, of the table's width, names columns in words nobody knows.
        for (std::size_t back = first; back-- > 0 && first - back <= 2;) {
            const Line line = lookAt(lines[back], delimiter);
            if (line.filled == 0) continue;
            if (line.cells.size() != out.shape.columns || line.words < line.filled) break;
            out.headerLine = back + 1;
            for (const auto cell : line.cells) out.titles.push_back(trimmed(cell));
            break;
        }
    }
    out.firstDataLine = first + 1;
    out.columns = out.shape.columns;
    for (std::size_t k = first; k < std::min(lines.size(), first + 3); ++k)
        if (const Line line = look(lines[k]); isDataLike(line, out.shape.columns))
            out.columns = std::max(out.columns, line.cells.size());

    if (delimiter == ' ') {
        std::size_t full = 0;
        std::size_t rows = 0;
        for (std::size_t k = first; k < lines.size(); k += stride) {
            const Line line = look(lines[k]);
            if (!isDataLike(line, out.shape.columns)) continue;
            ++rows;
            full += line.cells.size() >= out.columns ? 1 : 0;
        }
        out.evenSpaces = full * 10 >= rows * 9;
        joinTitles(out.titles, out.columns);
    }

    // The first rows, and runs from the rest.
    const auto take = [&](std::size_t from, std::size_t to) {
        bool broken = !out.rows.empty();
        for (std::size_t k = from; k < to; ++k) {
            Line line = look(lines[k]);
            if (!isDataLike(line, out.shape.columns)) continue;
            if (out.evenSpaces && line.cells.size() < out.columns) {
                broken = !out.rows.empty();
                continue;
            }
            if (broken) out.breaks.push_back(out.rows.size());
            broken = false;
            line.cells.resize(out.columns);
            out.rows.push_back(std::move(line.cells));
        }
    };
    take(first, std::min(lines.size(), first + kFirstRows));
    const std::size_t rest =
        lines.size() > first + kFirstRows ? lines.size() - first - kFirstRows : 0;
    if (rest > 0 && rest <= kRuns * kRunRows) {
        take(first + kFirstRows, lines.size());
        out.breaks.clear();
    } else if (rest > 0) {
        for (std::size_t run = 0; run < kRuns; ++run) {
            const std::size_t from = first + kFirstRows + run * (rest - kRunRows) / (kRuns - 1);
            take(from, std::min(lines.size(), from + kRunRows));
        }
    }
    return out;
}

}  // namespace nk
