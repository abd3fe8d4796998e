#include "row_parser.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <thread>

#include "bytes.h"
#include "dialect.h"
#include "quantity/harmless.h"
#include "quantity/number.h"
#include "table_shape.h"

namespace nk {

namespace {

constexpr std::size_t kMostListed = 100000;

std::string shown(std::string_view text) {
    return harmless(text, 40);
}

int decimalsIn(std::string_view cell, char decimal) {
    const auto at = cell.find(decimal);
    if (at == std::string_view::npos) return 0;
    int count = 0;
    for (std::size_t i = at + 1; i < cell.size() && cell[i] >= '0' && cell[i] <= '9'; ++i) ++count;
    return count;
}

}  // namespace

void RawColumns::forEach(const std::function<void(std::vector<double>&)>& visit) {
    for (auto* column : {&time, &date, &voltage, &current, &charge, &discharge, &power,
                         &temperature, &counterAh, &counterWh})
        visit(*column);
    for (auto& column : cells) visit(column);
    for (auto& column : temperatures) visit(column);
}

RowParser::RowParser(const Dialect& dialect, std::string_view headerLine, std::string_view unitLine)
    : dialect_(dialect), header_(headerLine), units_(unitLine) {
    bool firstTemperature = true;
    // The surest temperature is the battery's; others are kept beside it.
    double bestScore = -1;
    std::size_t best = 0;
    for (std::size_t i = 0; i < dialect.columns.size(); ++i)
        if (dialect.columns[i].role == Role::Temperature && dialect.columns[i].score > bestScore) {
            bestScore = dialect.columns[i].score;
            best = i;
        }
    for (std::size_t i = 0; i < dialect.columns.size(); ++i) {
        const Column& c = dialect.columns[i];
        Target target;
        if (c.unit) {
            target.factor = c.unit->factor;
            target.offset = c.unit->offset;
        }
        switch (c.role) {
            case Role::Time:
                target = {Slot::Time, 0, dialect.timeFactor, 0};
                hasTime_ = true;
                break;
            case Role::Date:
                target = {Slot::Date, 0, 1, 0};
                break;
            case Role::Voltage:
                target.slot = Slot::Voltage;
                break;
            case Role::Current:
                target.slot = Slot::Current;
                break;
            case Role::ChargeCurrent:
                target.slot = dialect.column(Role::Current) ? Slot::Skip : Slot::Charge;
                break;
            case Role::DischargeCurrent:
                target.slot = dialect.column(Role::Current) ? Slot::Skip : Slot::Discharge;
                break;
            case Role::Power:
                target.slot = dialect.column(Role::Current) || dialect.column(Role::ChargeCurrent)
                                  ? Slot::Skip
                                  : Slot::Power;
                break;
            case Role::Temperature:
                if (i == best && firstTemperature) {
                    target.slot = Slot::Temperature;
                    firstTemperature = false;
                } else {
                    target.slot = Slot::MoreTemperature;
                    target.index = temperatures_++;
                }
                break;
            case Role::Cell:
                target.slot = Slot::Cell;
                target.index = cells_++;
                break;
            case Role::CounterAh:
                target.slot = Slot::CounterAh;
                break;
            case Role::CounterWh:
                target.slot = Slot::CounterWh;
                break;
            case Role::Mode:
                target.slot = Slot::Mode;
                break;
            default:
                break;
        }
        targets_.push_back(target);
        if (target.slot != Slot::Skip) lastNeeded_ = i;
    }
    quick_ = dialect.delimiter != ' ' && dialect.delimiter != dialect.decimal &&
             (!hasTime_ || dialect.time.shape == TimeShape::Number) &&
             std::none_of(targets_.begin(), targets_.end(), [](const Target& t) {
                 return t.slot == Slot::Mode || t.slot == Slot::Date;
             });
}

void RowParser::forNeeded(RawColumns& out,
                          const std::function<void(std::vector<double>&)>& visit) const {
    const std::pair<std::vector<double>*, Slot> all[] = {
        {&out.time, Slot::Time},           {&out.date, Slot::Date},
        {&out.voltage, Slot::Voltage},     {&out.current, Slot::Current},
        {&out.charge, Slot::Charge},       {&out.discharge, Slot::Discharge},
        {&out.power, Slot::Power},         {&out.temperature, Slot::Temperature},
        {&out.counterAh, Slot::CounterAh}, {&out.counterWh, Slot::CounterWh}};
    for (const auto& [column, slot] : all)
        if (needs(slot)) visit(*column);
    out.cells.resize(cells_);
    out.temperatures.resize(temperatures_);
    for (auto& column : out.cells) visit(column);
    for (auto& column : out.temperatures) visit(column);
}

bool RowParser::needs(Slot slot) const {
    return std::ranges::any_of(targets_, [&](const Target& t) { return t.slot == slot; });
}

void RowParser::reserve(RawColumns& out, std::size_t rows) const {
    forNeeded(out, [rows](std::vector<double>& column) {
        column.reserve(rows);
        adviseLargePages(column.data(), rows * sizeof(double));
    });
    if (needs(Slot::Mode)) out.mode.reserve(rows);
}

void RowParser::resize(RawColumns& out, std::size_t rows) const {
    forNeeded(out, [rows](std::vector<double>& column) { column.resize(rows, kNaN); });
    if (needs(Slot::Mode)) out.mode.resize(rows, 2);
}

std::size_t RowParser::columns() const {
    return static_cast<std::size_t>(
        std::ranges::count_if(targets_, [](const Target& t) { return t.slot != Slot::Skip; }));
}

double RowParser::mostOf(Slot slot) {
    switch (slot) {
        case Slot::Time:
        case Slot::Date:
            return 1e11;
        case Slot::Voltage:
        case Slot::Cell:
            return 2000;
        case Slot::Current:
        case Slot::Charge:
        case Slot::Discharge:
            return 20000;
        case Slot::Power:
            return 4e7;
        case Slot::Temperature:
        case Slot::MoreTemperature:
            return 300;
        default:
            return 1e9;  // a counter
    }
}

std::optional<std::string> RowParser::joined(std::string_view row, std::string_view rest,
                                             std::size_t& lines, std::size_t& bytes) const {
    constexpr std::size_t kMostLines = 20;
    constexpr std::size_t kMostBytes = 65536;
    const auto odd = [](std::string_view text) { return std::ranges::count(text, '"') % 2 != 0; };
    if (!odd(row)) return std::nullopt;
    std::string all(row);
    lines = bytes = 0;
    while (lines < kMostLines && bytes < rest.size() && all.size() < kMostBytes) {
        const std::size_t end = std::min(rest.find('\n', bytes), rest.size());
        std::string_view next = rest.substr(bytes, end - bytes);
        bytes = std::min(end + 1, rest.size());
        ++lines;
        if (!next.empty() && next.back() == '\r') next.remove_suffix(1);
        all += ' ';
        all += next;
        if (odd(next)) return all;
    }
    return std::nullopt;
}

const char* RowParser::titleOf(Slot slot) {
    switch (slot) {
        case Slot::Time:
            return "time";
        case Slot::Voltage:
            return "voltage";
        case Slot::Current:
        case Slot::Charge:
        case Slot::Discharge:
            return "current";
        case Slot::Power:
            return "power";
        case Slot::Temperature:
        case Slot::MoreTemperature:
            return "temperature";
        case Slot::Cell:
            return "cell voltage";
        default:
            return "counter";
    }
}

bool RowParser::storeCell(std::string_view cell, const Target& target, std::size_t row,
                          RawColumns& out, PieceResult& result, std::string& reason) const {
    if (target.slot == Slot::Mode) {
        const auto sign = modeSign(cell);
        out.mode[row] = static_cast<signed char>(sign.value_or(2));
        return true;
    }
    if ((target.slot == Slot::Time && dialect_.time.shape != TimeShape::Number) ||
        target.slot == Slot::Date) {
        std::optional<double> t;
        if (target.slot == Slot::Time && dialect_.time.shape == TimeShape::Clock)
            t = parseClock(cell, dialect_.time);
        else
            t = parseDateTime(cell, dialect_.time);
        if (!t) {
            reason = fmt::format("no time in '{}'", shown(cell));
            return false;
        }
        if (!(std::abs(*t) <= mostOf(target.slot))) {
            reason = fmt::format("the time '{}' is beyond any calendar", shown(cell));
            return false;
        }
        (target.slot == Slot::Time ? out.time : out.date)[row] = *t;
        return true;
    }
    double value = 0;
    std::size_t used = 0;
    const bool essential = target.slot == Slot::Time || target.slot == Slot::Voltage ||
                           target.slot == Slot::Current || target.slot == Slot::Power;
    bool good = parseNumberPrefix(cell, dialect_.decimal, value, used);
    double factor = target.factor;
    double offset = target.offset;
    if (good && used != cell.size()) {
        // "3.71 V": a unit in the cell counts over the header's.
        if (const auto unit = parseUnit(cell.substr(used))) {
            factor = unit->factor;
            offset = unit->offset;
        } else if (const auto grouped = parseGrouped(cell, dialect_.decimal)) {
            value = *grouped;
        } else {
            good = false;
        }
    }
    if (!good) {
        if (essential) {
            reason = target.slot == Slot::Time
                         ? fmt::format("no time in '{}'", shown(cell))
                         : fmt::format("no number for {}: '{}'", titleOf(target.slot), shown(cell));
            return false;
        }
        if (!isMissing(cell))
            reason = fmt::format("no number for {}: '{}'; the row is kept without it",
                                 titleOf(target.slot), shown(cell));
        return true;
    }
    value = (value + offset) * factor;
    if (!(std::abs(value) <= mostOf(target.slot))) {
        reason = target.slot == Slot::Time
                     ? fmt::format("the time '{}' is beyond any calendar", shown(cell))
                     : fmt::format("{} of '{}' is beyond what a battery does", titleOf(target.slot),
                                   shown(cell));
        if (essential || target.slot == Slot::Cell) return false;
        reason += "; the row is kept without it";
        return true;
    }
    switch (target.slot) {
        case Slot::Time:
            out.time[row] = value;
            break;
        case Slot::Voltage:
            out.voltage[row] = value;
            if (row % 64 < 4)
                result.decimalsVoltage =
                    std::max(result.decimalsVoltage, decimalsIn(cell, dialect_.decimal));
            break;
        case Slot::Current:
            out.current[row] = value;
            if (row % 64 < 4)
                result.decimalsCurrent =
                    std::max(result.decimalsCurrent, decimalsIn(cell, dialect_.decimal));
            break;
        case Slot::Charge:
            out.charge[row] = value;
            result.decimalsCurrent = std::max(
                result.decimalsCurrent, row % 64 < 4 ? decimalsIn(cell, dialect_.decimal) : 0);
            break;
        case Slot::Discharge:
            out.discharge[row] = value;
            break;
        case Slot::Power:
            out.power[row] = value;
            break;
        case Slot::Temperature:
            out.temperature[row] = value;
            if (row % 64 < 4)
                result.decimalsTemperature =
                    std::max(result.decimalsTemperature, decimalsIn(cell, dialect_.decimal));
            break;
        case Slot::CounterAh:
            out.counterAh[row] = value;
            break;
        case Slot::CounterWh:
            out.counterWh[row] = value;
            break;
        case Slot::Cell:
            out.cells[target.index][row] = value;
            break;
        case Slot::MoreTemperature:
            out.temperatures[target.index][row] = value;
            break;
        default:
            break;
    }
    return true;
}

bool RowParser::parseRow(std::string_view line, std::size_t row, RawColumns& out,
                         PieceResult& result, std::string& reason) const {
    const char delimiter = dialect_.delimiter;
    std::size_t at = 0;
    std::size_t column = 0;
    bool ended = false;
    // Cells between spaces: what is missing leaves two spaces, or nothing that tells which it is.
    bool runs = delimiter == ' ';
    const std::size_t wanted = runs && dialect_.evenSpaces ? dialect_.columns.size() : 0;
    if (wanted > 0)
        if (const std::size_t found = countCells(line, ' ', true); found < wanted) {
            if (countCells(line, ' ', false) != wanted) {
                reason = fmt::format(
                    "too few columns ({} of {}), and nobody knows which is missing", found, wanted);
                return false;
            }
            runs = false;
        }
    while (column <= lastNeeded_) {
        if (runs)
            while (at < line.size() && (line[at] == ' ' || line[at] == '\t')) ++at;
        if (ended || (runs && at >= line.size())) {
            reason = fmt::format("too few columns ({} of {})", column, lastNeeded_ + 1);
            return false;
        }
        const std::size_t end = cellEnd(line, at, delimiter);
        ended = end == line.size();
        const Target& target = targets_[column];
        if (target.slot != Slot::Skip) {
            std::string note;
            if (!storeCell(trimCell(line.substr(at, end - at)), target, row, out, result, note)) {
                reason = std::move(note);
                return false;
            }
            if (!note.empty()) reason = std::move(note);
        }
        at = end + 1;
        ++column;
    }
    return true;
}

PieceResult RowParser::parse(std::string_view text, std::size_t offset, RawColumns& out,
                             bool lastPiece, const std::stop_token& stop) const {
    PieceResult result;
    std::size_t at = 0;
    std::int64_t line = 0;
    std::string reason;
    bool anyLeftOut = false;
    const auto quick = quick_ ? quickColumns(out, result) : std::vector<QuickColumn>();
    while (at < text.size()) {
        if ((line & 0xFFF) == 0 && stop.stop_requested()) return result;
        if (!quick.empty()) {
            const char* cursor = text.data() + at;
            if (quickRow(cursor, text.data() + text.size(), offset + result.rows, quick)) {
                at = static_cast<std::size_t>(cursor - text.data());
                if (anyLeftOut) result.lines.push_back(line);
                ++line;
                ++result.rows;
                continue;
            }
        }
        const void* hit = std::memchr(text.data() + at, '\n', text.size() - at);
        const std::size_t end =
            hit == nullptr ? text.size()
                           : static_cast<std::size_t>(static_cast<const char*>(hit) - text.data());
        std::string_view row = text.substr(at, end - at);
        if (!row.empty() && row.back() == '\r') row.remove_suffix(1);
        const bool unfinished = hit == nullptr && lastPiece;
        at = end + 1;
        const std::int64_t here = line++;
        const auto leaveOut = [&] {
            if (!anyLeftOut) {
                // Lines ran in step with rows so far; from here on each row remembers its own.
                anyLeftOut = true;
                result.lines.resize(result.rows);
                for (std::size_t i = 0; i < result.rows; ++i)
                    result.lines[i] = static_cast<std::int64_t>(i);
            }
        };
        if (trimCell(row).empty()) {
            leaveOut();
            continue;
        }
        if (!header_.empty() && row == header_) {
            leaveOut();
            result.headerRepeats.push_back(result.rows);
            continue;
        }
        if (!units_.empty() && row == units_) {
            leaveOut();
            continue;
        }
        reason.clear();
        const std::size_t target = offset + result.rows;
        bool good = parseRow(row, target, out, result, reason);
        if (!good) {
            // A quoted cell may go on in the next lines.
            std::size_t lines = 0;
            std::size_t bytes = 0;
            std::string why;
            if (const auto whole =
                    joined(row, text.substr(std::min(at, text.size())), lines, bytes);
                whole && parseRow(*whole, target, out, result, why)) {
                good = true;
                reason = why;
                leaveOut();
                at += bytes;
                line += static_cast<std::int64_t>(lines);
            }
        }
        if (good && unfinished &&
            std::count(row.begin(), row.end(), dialect_.delimiter) + 1 <
                static_cast<std::ptrdiff_t>(dialect_.columns.size())) {
            good = false;
            reason = "the last line is cut off";
        }
        if (!good) {
            leaveOut();
            ++result.skippedCount;
            if (result.skipped.size() < kMostListed)
                result.skipped.push_back({here, unfinished ? "truncated_line" : "bad_row", reason});
            out.forEach([&](std::vector<double>& column) {
                if (target < column.size()) column[target] = kNaN;
            });
            continue;
        }
        if (!reason.empty() && result.skipped.size() < kMostListed)
            result.skipped.push_back({here, "bad_cell", reason});
        if (anyLeftOut) result.lines.push_back(here);
        ++result.rows;
    }
    return result;
}

}  // namespace nk
