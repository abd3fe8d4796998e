#include "dialect.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "number.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"
#include "table_shape.h"

namespace nk {

namespace {

constexpr std::size_t kSampleLines = 400;

std::string joinTitles(const std::vector<Column>& columns) {
    constexpr std::size_t kNamed = 10;
    std::string out;
    for (std::size_t k = 0; k < std::min(kNamed, columns.size()); ++k)
        out += (k > 0 ? ", '" : "'") + harmless(columns[k].title, 40) + "'";
    if (columns.size() > kNamed) out += phrase(" and {} more", columns.size() - kNamed);
    return out;
}

/// Columns without a header, told apart by their values.
void guessRolesByContent(std::vector<Column>& columns,
                         const std::vector<std::vector<double>>& values,
                         const std::vector<bool>& timeText) {
    const auto isFree = [&](std::size_t i) { return columns[i].role == Role::Ignore; };
    const auto assign = [&](std::size_t i, Role role) { columns[i].role = role; };
    bool haveTime = false;
    for (std::size_t i = 0; i < columns.size() && !haveTime; ++i) {
        bool rising = timeText[i] || values[i].size() > 2;
        if (!timeText[i])
            for (std::size_t k = 1; k < values[i].size(); ++k)
                rising &= values[i][k] > values[i][k - 1];
        if (rising) {
            assign(i, Role::Time);
            haveTime = true;
        }
    }
    std::vector<std::size_t> rest;
    for (std::size_t i = 0; i < columns.size(); ++i)
        if (isFree(i) && values[i].size() > 2 && !timeText[i]) rest.push_back(i);
    if (rest.size() < 2) return;
    const auto looksLikeVoltage = [&](std::size_t i) {
        const auto [low, high] = std::minmax_element(values[i].begin(), values[i].end());
        return *low > 0.3 && *high < 1000 && *high < 4 * *low;
    };
    std::size_t v = rest[0];
    std::size_t c = rest[1];
    if (!looksLikeVoltage(v) && looksLikeVoltage(c)) std::swap(v, c);
    assign(v, Role::Voltage);
    assign(c, Role::Current);
    if (rest.size() > 2) {
        const auto [low, high] =
            std::minmax_element(values[rest[2]].begin(), values[rest[2]].end());
        if (*low > -40 && *high < 120) assign(rest[2], Role::Temperature);
    }
}

Expected<void> applyMap(std::vector<Column>& columns, const ReadOptions& options,
                        const std::string& name) {
    for (const auto& [role, wanted] : options.map) {
        std::size_t found = columns.size();
        for (std::size_t i = 0; i < columns.size(); ++i)
            if (lowered(columns[i].title) == lowered(trimmed(wanted))) found = i;
        if (found == columns.size()) {
            const auto number = parseNumber(trimCell(wanted), '.');
            if (number && *number >= 1 && *number <= static_cast<double>(columns.size()))
                found = static_cast<std::size_t>(*number) - 1;
        }
        if (found == columns.size())
            return fail(
                ErrorKind::InvalidArgument,
                phrase("The log has no column '{}' for {}.", harmless(wanted, 40), toString(role)),
                name, joinTitles(columns) + phrase(", or a column number from 1."));
        for (Column& c : columns)
            if (c.role == role) c.role = Role::Ignore;
        columns[found].role = role;
        columns[found].score = 10;
    }
    return {};
}

}  // namespace

const Column* Dialect::column(Role role) const {
    for (const Column& c : columns)
        if (c.role == role) return &c;
    return nullptr;
}

namespace {

/// Median absolute non-zero value and whether all are whole numbers, for units left unwritten.
struct Scale {
    double median = 0;
    double top = 0;
    bool whole = true;
};

Scale scaleOf(const std::vector<double>& values) {
    Scale out;
    std::vector<double> sizes;
    for (const double v : values) {
        out.whole &= v == std::floor(v);
        if (std::abs(v) > 1e-9) sizes.push_back(std::abs(v));
    }
    if (sizes.empty()) return out;
    std::sort(sizes.begin(), sizes.end());
    out.median = sizes[sizes.size() / 2];
    out.top = sizes.back();
    return out;
}

void settleUnits(Dialect& dialect, const std::vector<std::vector<double>>& values) {
    for (std::size_t i = 0; i < dialect.columns.size(); ++i) {
        Column& c = dialect.columns[i];
        if (c.unit || values[i].empty()) continue;
        const Scale scale = scaleOf(values[i]);
        const auto take = [&](const char* unit, const char* what) {
            c.unit = parseUnit(unit);
            dialect.guesses.push_back(
                fmt::format("'{}' has no unit: {} taken as {} from its size", c.title, what, unit));
        };
        if ((c.role == Role::Voltage || c.role == Role::Cell) && scale.median > 900)
            take("mV", "voltage");
        if (c.role == Role::Current && scale.top >= 50 && scale.whole && scale.median > 20)
            take("mA", "current");
        if (c.role == Role::CounterAh && scale.whole && scale.top > 50) take("mAh", "counter");
    }
}

/// Number time columns: seconds unless unit, epoch size or name say otherwise.
void settleTimeUnit(Dialect& dialect, const Column& time, const std::vector<double>& values) {
    if (time.unit && time.unit->quantity == Quantity::Time) dialect.timeFactor = time.unit->factor;
    if (values.empty()) return;
    const double first = std::abs(values.front());
    if (first > 1e17)
        dialect.timeFactor = 1e-9;
    else if (first > 1e14)
        dialect.timeFactor = 1e-6;
    else if (first > 1e11 && (!time.unit || dialect.timeFactor == 1))
        dialect.timeFactor = 1e-3;
    else if (!time.unit && first < 1e9)
        dialect.guesses.push_back(
            fmt::format("'{}' has no unit: time taken as seconds", time.title));
}

}  // namespace

Expected<Dialect> guessDialect(std::string_view text, const std::string& name,
                               const ReadOptions& options) {
    const char* accepted =
        "a table with at least a voltage and a current column, separated by comma, semicolon, tab "
        "or spaces.";
    const auto lines = firstLines(text, kSampleLines);
    const TableShape shape = findShape(lines, options);
    if (shape.columns < 2) {
        const bool anyDigit = std::any_of(
            text.begin(),
            text.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(text.size(), 65536)),
            [](char c) { return c >= '0' && c <= '9'; });
        return fail(ErrorKind::NotATable,
                    anyDigit ? phrase("No table with two or more columns of numbers was found in "
                                      "the first 400 lines.")
                             : phrase("There are no numbers in the first lines of the file."),
                    name, accepted);
    }
    Dialect dialect;
    dialect.delimiter = shape.delimiter;
    dialect.decimal = shape.decimal;

    // The first line that reads as data and is followed by another one.
    std::vector<std::string_view> cells;
    std::size_t firstData = lines.size();
    for (std::size_t i = 0; i < lines.size(); ++i) {
        splitCells(lines[i], shape.delimiter, cells);
        if (!isDataLine(cells, shape)) continue;
        if (i + 1 < lines.size()) {
            std::vector<std::string_view> next;
            splitCells(lines[i + 1], shape.delimiter, next);
            if (!isDataLine(next, shape) && i + 2 < lines.size() && i < 5) {
                splitCells(lines[i + 2], shape.delimiter, next);
                if (!isDataLine(next, shape)) continue;
            }
        }
        firstData = i;
        break;
    }
    if (firstData == lines.size())
        return fail(ErrorKind::NotATable, phrase("No rows of numbers were found."), name, accepted);
    dialect.firstDataLine = firstData + 1;

    // Header: the nearest line above that has the table's width and is mostly words; a line of
    // units between it and the data belongs to it.
    std::vector<std::string> titles;
    std::vector<std::string_view> unitCells;
    for (std::size_t back = firstData; back-- > 0 && firstData - back <= 3;) {
        if (trimCell(lines[back]).empty()) continue;
        std::string_view line = lines[back];
        // "# time,voltage": a comment sign before the header is no part of it.
        while (!line.empty() &&
               (line.front() == '#' || line.front() == '%' || line.front() == ' ')) {
            if (line.front() == '#' && line.size() > 1 && line[1] == shape.delimiter &&
                shape.delimiter != ' ')
                break;
            line.remove_prefix(1);
        }
        splitCells(line, shape.delimiter, cells);
        if (cells.size() + 1 < shape.columns || cells.size() < 2) break;
        // What stands beyond the table's width names nothing.
        cells.resize(std::min(cells.size(), shape.columns + 64));
        std::size_t unitLike = 0;
        std::size_t filled = 0;
        for (const auto cell : cells) {
            std::string c = trimmed(cell);
            if (c.empty()) continue;
            ++filled;
            if (c.size() > 2 && (c.front() == '[' || c.front() == '('))
                c = c.substr(1, c.size() - 2);
            if (parseUnit(c) || c == "-" || c == "hh:mm:ss" || c == "h:mm:ss") ++unitLike;
        }
        if (unitCells.empty() && filled > 0 && unitLike * 10 >= filled * 8 && back > 0) {
            // All units: only a unit line when there is a name line above it.
            std::vector<std::string_view> above;
            splitCells(lines[back - 1], shape.delimiter, above);
            if (above.size() + 1 >= shape.columns && above.size() >= 2 &&
                countNumeric(above, shape.decimal) < 2) {
                unitCells = cells;
                continue;
            }
        }
        for (const auto cell : cells) titles.push_back(trimmed(cell));
        dialect.headerLine = back + 1;
        break;
    }
    std::size_t width = shape.columns;
    {
        splitCells(lines[firstData], shape.delimiter, cells);
        width = std::max(width, cells.size());
    }
    for (std::size_t i = 0; i < width; ++i) {
        Column column = i < titles.size() ? readHeaderCell(titles[i]) : Column{};
        if (i < unitCells.size()) {
            std::string unit = trimmed(unitCells[i]);
            if (unit.size() > 2 && (unit.front() == '[' || unit.front() == '('))
                unit = unit.substr(1, unit.size() - 2);
            if (!unit.empty() && parseUnit(unit)) {
                const int number = column.number;
                Column withUnit = readHeaderCell(titles.size() > i ? titles[i] + " [" + unit + "]"
                                                                   : "[" + unit + "]");
                withUnit.title = column.title;
                withUnit.number = number;
                column = withUnit;
            }
        }
        if (column.title.empty()) column.title = fmt::format("column {}", i + 1);
        dialect.columns.push_back(std::move(column));
    }
    settleRoles(dialect.columns);

    // Sample values of every column.
    std::vector<std::vector<double>> values(width);
    std::vector<std::vector<std::string_view>> raw(width);
    for (std::size_t i = firstData; i < lines.size(); ++i) {
        splitCells(lines[i], shape.delimiter, cells);
        if (!isDataLine(cells, shape)) continue;
        for (std::size_t k = 0; k < std::min(width, cells.size()); ++k) {
            const auto c = trimCell(cells[k]);
            if (c.empty()) continue;
            raw[k].push_back(c);
            double value = 0;
            std::size_t used = 0;
            if (parseNumberPrefix(c, shape.decimal, value, used) &&
                (used == c.size() || parseUnit(c.substr(used))))
                values[k].push_back(value);
            else if (const auto grouped = parseGrouped(c, shape.decimal))
                values[k].push_back(*grouped);
        }
    }
    std::vector<bool> timeText(width);
    for (std::size_t k = 0; k < width; ++k) {
        const auto style = guessTimeStyle(raw[k], shape.decimal);
        timeText[k] = style && style->shape != TimeShape::Number;
        // Words of a header can mislead: a text column is no voltage, a number no mode.
        Column& c = dialect.columns[k];
        const bool numeric = values[k].size() * 2 > raw[k].size();
        if (!raw[k].empty() && !numeric && !timeText[k] &&
            (c.role == Role::Voltage || c.role == Role::Current || c.role == Role::Temperature ||
             c.role == Role::Cell))
            c.role = Role::Ignore;
    }
    const bool nothingKnown = std::none_of(
        dialect.columns.begin(), dialect.columns.end(),
        [](const Column& c) { return c.role == Role::Voltage || c.role == Role::Current; });
    if (nothingKnown && options.map.empty()) {
        for (Column& c : dialect.columns) c.role = Role::Ignore;
        guessRolesByContent(dialect.columns, values, timeText);
        if (dialect.column(Role::Voltage) != nullptr)
            dialect.guesses.push_back(
                "no header names voltage and current: columns taken by order and size");
    }
    for (const std::string& number : options.ignored)
        if (const auto k = parseNumber(number, '.');
            k && *k >= 1 && *k <= static_cast<double>(dialect.columns.size()))
            dialect.columns[static_cast<std::size_t>(*k) - 1].role = Role::Ignore;
    if (auto mapped = applyMap(dialect.columns, options, name); !mapped)
        return tl::unexpected<Error>(mapped.error());

    // A date and a clock in two columns are read together; a lone time text column is the time.
    std::size_t time = width;
    for (std::size_t k = 0; k < width; ++k)
        if (dialect.columns[k].role == Role::Time) time = k;
    if (time == width && options.map.find(Role::Time) == options.map.end() &&
        options.interval_s <= 0)
        for (std::size_t k = 0; k < width && time == width; ++k)
            if (timeText[k] && dialect.columns[k].role == Role::Ignore) {
                dialect.columns[k].role = Role::Time;
                time = k;
            }
    if (time == width && options.interval_s <= 0) {
        // A column that rises all the time, and not by whole ones as a row number does.
        for (std::size_t k = 0; k < width && time == width; ++k) {
            if (dialect.columns[k].role != Role::Ignore || values[k].size() < 3) continue;
            bool rises = true;
            bool counts = true;
            for (std::size_t n = 1; n < values[k].size(); ++n) {
                rises &= values[k][n] > values[k][n - 1];
                counts &= values[k][n] == values[k][n - 1] + 1;
            }
            if (!rises || counts) continue;
            dialect.columns[k].role = Role::Time;
            time = k;
            dialect.guesses.push_back(fmt::format("'{}' rises all the time: taken as the time",
                                                  dialect.columns[k].title));
        }
    }
    if (options.interval_s > 0) {
        for (Column& c : dialect.columns)
            if (c.role == Role::Time || c.role == Role::Date) c.role = Role::Ignore;
        time = width;
    }
    if (time < width) {
        auto style = guessTimeStyle(raw[time], shape.decimal);
        if (!style && options.lenient) {
            dialect.columns[time].role = Role::Ignore;
            return dialect;
        }
        if (!style)
            return fail(
                ErrorKind::ColumnsUnknown,
                phrase("The time column '{}' cannot be read: '{}'.", dialect.columns[time].title,
                       raw[time].empty() ? std::string() : harmless(raw[time].front(), 40)),
                fmt::format("{}:{}", name, dialect.firstDataLine),
                phrase("seconds, milliseconds, h:mm:ss, ISO 8601, or date and time; or give an "
                       "interval."));
        style->twoPartIsHours =
            lowered(dialect.columns[time].title).find("h:mm") != std::string::npos ||
            lowered(dialect.columns[time].title).find("hh:mm") != std::string::npos;
        dialect.time = *style;
        if (style->shape == TimeShape::Number)
            settleTimeUnit(dialect, dialect.columns[time], values[time]);
        if (style->shape != TimeShape::Clock)
            for (Column& c : dialect.columns)
                if (c.role == Role::Date) c.role = Role::Ignore;
    } else if (options.interval_s <= 0 && !options.lenient) {
        return fail(ErrorKind::ColumnsUnknown, phrase("The log has no time column."), name,
                    phrase("a column named time, or the interval between rows (--interval-s, in "
                           "the preview)."));
    }

    const bool haveVoltage =
        dialect.column(Role::Voltage) != nullptr || dialect.column(Role::Cell) != nullptr;
    const bool haveCurrent =
        dialect.column(Role::Current) != nullptr || dialect.column(Role::Power) != nullptr;
    if ((!haveVoltage || !haveCurrent) && !options.lenient)
        return fail(ErrorKind::ColumnsUnknown,
                    phrase("No {} column was recognised. The columns are {}.",
                           haveVoltage ? "current" : "voltage", joinTitles(dialect.columns)),
                    dialect.headerLine > 0 ? fmt::format("{}:{}", name, dialect.headerLine) : name,
                    phrase("a header that names voltage and current, or --map "
                           "voltage=COLUMN,current=COLUMN."));
    for (const auto& [title, unit] : options.units)
        for (Column& c : dialect.columns)
            if (c.title == title) {
                c.unit = parseUnit(unit);
                if (!c.unit)
                    return fail(ErrorKind::InvalidArgument,
                                phrase("'{}' is no unit for '{}'.", unit, title), name,
                                phrase("a unit such as V, mV, A, mA, °C, °F, s, ms, Ah or Wh."));
                if (c.role == Role::Time) dialect.timeFactor = c.unit->factor;
            }
    settleUnits(dialect, values);
    return dialect;
}

}  // namespace nk
