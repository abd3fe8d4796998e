#include "plain_table.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "bytes.h"
#include "quantity/harmless.h"
#include "quantity/number.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr std::size_t kMostRows = 1'000'000;

struct Line {
    std::vector<std::string> cells;
    std::size_t number = 0;
};

/// Rows by RFC 4180: cells in quotation marks may hold delimiters, line ends and doubled marks. A
/// mark inside a cell that did not begin with one is a letter.
Expected<std::vector<Line>> cut(std::string_view text, char delimiter, const std::string& where) {
    std::vector<Line> out;
    std::size_t number = 1;
    std::size_t at = 0;
    while (at < text.size()) {
        Line line;
        line.number = number;
        bool more = true;
        while (more) {
            while (delimiter != ' ' && at < text.size() && text[at] == ' ') ++at;
            std::string cell;
            if (at < text.size() && text[at] == '"') {
                const std::size_t began = number;
                ++at;
                while (true) {
                    if (at >= text.size())
                        return fail(ErrorKind::InvalidArgument,
                                    phrase("A quotation mark is not closed."),
                                    phrase("{}, line {}", where, began),
                                    phrase("cells in quotation marks that are closed (RFC 4180)."));
                    if (text[at] == '"') {
                        if (at + 1 < text.size() && text[at + 1] == '"')
                            ++at;
                        else
                            break;
                    }
                    if (text[at] == '\n') ++number;
                    cell += text[at++];
                }
                ++at;
            }
            while (at < text.size() && text[at] != delimiter && text[at] != '\n')
                cell += text[at++];
            while (!cell.empty() && (cell.back() == '\r' || cell.back() == ' ')) cell.pop_back();
            line.cells.push_back(std::move(cell));
            more = at < text.size() && text[at] == delimiter;
            if (more) {
                do ++at;
                while (delimiter == ' ' && at < text.size() && text[at] == ' ');
            }
        }
        if (at < text.size()) ++at;  // the line end
        ++number;
        out.push_back(std::move(line));
        if (out.size() > kMostRows)
            return fail(ErrorKind::InvalidArgument, phrase("This table has too many rows."), where,
                        phrase("{} at most.", kMostRows));
    }
    std::erase_if(out, [](const Line& l) {
        return std::ranges::all_of(l.cells, &std::string::empty) ||
               l.cells.front().starts_with('#');
    });
    return out;
}

/// How many lines have as many cells as most lines have, and how many cells that is (of equally
/// many the fewer: a longer line is wrong, not the others).
std::pair<std::size_t, std::size_t> shape(const std::vector<Line>& lines) {
    std::pair<std::size_t, std::size_t> best{0, 1};
    std::vector<std::size_t> counts;
    for (const Line& l : lines) counts.push_back(l.cells.size());
    std::ranges::sort(counts);
    for (std::size_t k = 0; k < counts.size();) {
        std::size_t end = k;
        while (end < counts.size() && counts[end] == counts[k]) ++end;
        if (end - k > best.first || (best.second < 2 && end - k == best.first))
            best = {end - k, counts[k]};
        k = end;
    }
    return best;
}

std::string bare(std::string_view title) {
    std::string out;
    int depth = 0;
    for (const char c : title) {
        if (c == '[' || c == '(') ++depth;
        if (depth == 0 && c != ' ' && c != '_' && c != '-' && c != '.')
            out += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
        if ((c == ']' || c == ')') && depth > 0) --depth;
    }
    return out;
}

bool isNumber(const std::string& cell, char decimal) {
    double value = 0;
    std::size_t used = 0;
    return parseNumberPrefix(cell, decimal, value, used) && used == cell.size();
}

}  // namespace

int PlainTable::column(std::initializer_list<const char*> names) const {
    for (const char* name : names)
        for (std::size_t k = 0; k < titles.size(); ++k)
            if (bare(titles[k]) == bare(name)) return static_cast<int>(k);
    return -1;
}

Error PlainTable::at(std::size_t row, int column, const std::string& what,
                     const std::string& accepted) const {
    return {ErrorKind::InvalidArgument, what,
            phrase("{}, line {}, column {}", where, lines[row],
                   harmless(titles[static_cast<std::size_t>(column)], 40)),
            accepted};
}

Expected<double> PlainTable::number(std::size_t row, int column) const {
    const std::string& cell = rows[row][static_cast<std::size_t>(column)];
    if (cell.empty()) return std::numeric_limits<double>::quiet_NaN();
    double value = 0;
    std::size_t used = 0;
    if (!parseNumberPrefix(cell, decimal, value, used) || used != cell.size() ||
        !std::isfinite(value))
        return tl::unexpected<Error>(at(row, column,
                                        phrase("This cell holds no number: {}", harmless(cell, 40)),
                                        phrase("a number, or nothing.")));
    return value;
}

Expected<PlainTable> readPlainTable(std::string_view bytes, const std::string& where) {
    DecodedText decoded;
    if (auto ok = decodeText(bytes, where, decoded); !ok) return tl::unexpected<Error>(ok.error());
    PlainTable out;
    out.where = where;
    std::vector<Line> lines;
    std::size_t columns = 0;
    std::optional<Error> problem;
    // A comma may stand inside numbers and a blank inside names: they come last.
    for (const char delimiter : {';', '\t', '|', ',', ' '}) {
        auto cells = cut(decoded.text, delimiter, where);
        if (!cells) {
            problem = cells.error();
            continue;
        }
        const auto [count, width] = shape(*cells);
        const bool most = 10 * count >= 6 * cells->size();
        if (width < 2 || (delimiter != ',' && !most)) continue;
        columns = width;
        lines = std::move(*cells);
        out.delimiter = delimiter;
        break;
    }
    if (columns == 0 && problem) return tl::unexpected<Error>(*problem);
    if (columns == 0) {
        // One column alone is a table too.
        auto cells = cut(decoded.text, '\t', where);
        if (!cells || cells->empty())
            return fail(ErrorKind::InvalidArgument, phrase("There is no table in it."), where,
                        phrase("a line of titles and a row for each thing."));
        lines = std::move(*cells);
        columns = 1;
        out.delimiter = '\t';
    }
    const auto head =
        std::ranges::find_if(lines, [&](const Line& l) { return l.cells.size() >= columns; });
    if (head == lines.end())
        return fail(ErrorKind::InvalidArgument, phrase("There is no table in it."), where,
                    phrase("a line of titles and a row for each thing."));
    out.titles = head->cells;
    if (out.delimiter != ',') {
        bool comma = false;
        bool point = false;
        for (auto line = head + 1; line != lines.end(); ++line)
            for (const std::string& cell : line->cells) {
                comma = comma || (cell.find(',') != std::string::npos && isNumber(cell, ','));
                point = point || (cell.find('.') != std::string::npos && isNumber(cell, '.'));
            }
        if (comma && !point) out.decimal = ',';
    }
    for (auto line = head + 1; line != lines.end(); ++line) {
        while (line->cells.size() > out.titles.size() && line->cells.back().empty())
            line->cells.pop_back();
        if (line->cells.size() > out.titles.size())
            return fail(ErrorKind::InvalidArgument, phrase("This row has more cells than titles."),
                        phrase("{}, line {}", where, line->number),
                        phrase("{} cells.", out.titles.size()));
        line->cells.resize(out.titles.size());
        out.rows.push_back(std::move(line->cells));
        out.lines.push_back(line->number);
    }
    return out;
}

Expected<PlainTable> readPlainTableFile(const std::filesystem::path& path) {
    const auto bytes = readFile(path);
    if (!bytes) return tl::unexpected<Error>(bytes.error());
    return readPlainTable(*bytes, path.string());
}

}  // namespace nk
