#include "row_parser.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cstring>
#include <thread>

#include "bytes.h"
#include "dialect.h"
#include "number.h"

namespace nk {

namespace {

constexpr std::size_t kMostListed = 100000;

std::string shown(std::string_view text) {
    std::string out(text.substr(0, 40));
    for (char& c : out)
        if (static_cast<unsigned char>(c) < 0x20) c = ' ';
    return text.size() > 40 ? out + "…" : out;
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
    for (auto* column :
         {&time, &date, &voltage, &current, &power, &temperature, &counterAh, &counterWh})
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
            case Role::Power:
                target.slot = dialect.column(Role::Current) ? Slot::Skip : Slot::Power;
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

void RowParser::allocate(RawColumns& out, std::size_t rows) const {
    const auto need = [&](Slot slot) {
        return std::any_of(targets_.begin(), targets_.end(),
                           [&](const Target& t) { return t.slot == slot; });
    };
    std::vector<std::vector<double>*> columns;
    const auto size = [&](std::vector<double>& column, Slot slot) {
        if (need(slot)) columns.push_back(&column);
    };
    size(out.time, Slot::Time);
    size(out.date, Slot::Date);
    size(out.voltage, Slot::Voltage);
    size(out.current, Slot::Current);
    size(out.power, Slot::Power);
    size(out.temperature, Slot::Temperature);
    size(out.counterAh, Slot::CounterAh);
    size(out.counterWh, Slot::CounterWh);
    out.cells.resize(cells_);
    out.temperatures.resize(temperatures_);
    for (auto& column : out.cells) columns.push_back(&column);
    for (auto& column : out.temperatures) columns.push_back(&column);
    // First touch of a large block costs more than parsing into it: two threads share it.
    const auto fill = [&](std::size_t first) {
        for (std::size_t k = first; k < columns.size(); k += 2) {
            columns[k]->reserve(rows);
            adviseLargePages(columns[k]->data(), rows * sizeof(double));
            columns[k]->assign(rows, kNaN);
        }
    };
    if (rows > 100000) {
        const std::jthread other([&] { fill(1); });
        fill(0);
    } else {
        fill(0);
        fill(1);
    }
    if (need(Slot::Mode)) out.mode.assign(rows, 2);
}

const char* RowParser::titleOf(const Target& target) const {
    switch (target.slot) {
        case Slot::Voltage:
            return "voltage";
        case Slot::Current:
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
                         : fmt::format("no number for {}: '{}'", titleOf(target), shown(cell));
            return false;
        }
        if (!cell.empty())
            reason = fmt::format("no number for {}: '{}'; the row is kept without it",
                                 titleOf(target), shown(cell));
        return true;
    }
    value = (value + offset) * factor;
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
    while (column <= lastNeeded_) {
        if (delimiter == ' ')
            while (at < line.size() && (line[at] == ' ' || line[at] == '\t')) ++at;
        if (ended || (delimiter == ' ' && at >= line.size())) {
            reason = fmt::format("too few columns ({} of {})", column, lastNeeded_ + 1);
            return false;
        }
        std::size_t end;
        if (at < line.size() && line[at] == '"') {
            const std::size_t close = line.find('"', at + 1);
            end = close == std::string_view::npos ? line.size() : line.find(delimiter, close);
        } else {
            const void* hit = at < line.size()
                                  ? std::memchr(line.data() + at, delimiter, line.size() - at)
                                  : nullptr;
            end = hit == nullptr
                      ? std::string_view::npos
                      : static_cast<std::size_t>(static_cast<const char*>(hit) - line.data());
            if (delimiter == ' ') end = std::min(end, line.find('\t', at));
        }
        if (end == std::string_view::npos || end > line.size()) {
            end = line.size();
            ended = true;
        }
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

std::vector<RowParser::QuickColumn> RowParser::quickColumns(RawColumns& out,
                                                            PieceResult& result) const {
    std::vector<QuickColumn> columns;
    for (std::size_t k = 0; k <= lastNeeded_ && k < targets_.size(); ++k) {
        const Target& target = targets_[k];
        QuickColumn c;
        c.factor = target.factor;
        c.offset = target.offset;
        switch (target.slot) {
            case Slot::Time:
                c.values = out.time.data();
                break;
            case Slot::Voltage:
                c.values = out.voltage.data();
                c.decimals = &result.decimalsVoltage;
                break;
            case Slot::Current:
                c.values = out.current.data();
                c.decimals = &result.decimalsCurrent;
                break;
            case Slot::Power:
                c.values = out.power.data();
                break;
            case Slot::Temperature:
                c.values = out.temperature.data();
                c.decimals = &result.decimalsTemperature;
                break;
            case Slot::CounterAh:
                c.values = out.counterAh.data();
                break;
            case Slot::CounterWh:
                c.values = out.counterWh.data();
                break;
            case Slot::Cell:
                c.values = out.cells[target.index].data();
                break;
            case Slot::MoreTemperature:
                c.values = out.temperatures[target.index].data();
                break;
            default:
                break;
        }
        columns.push_back(c);
    }
    return columns;
}

namespace {

/// The value of up to eight digits that stand in the low `count` bytes of a word, as values 0 … 9.
inline std::uint64_t sumDigits(std::uint64_t word, int count) {
    word <<= 8 * (8 - count);
    word = (word * 10 + (word >> 8)) & 0x00FF00FF00FF00FFULL;
    word = (word * 100 + (word >> 16)) & 0x0000FFFF0000FFFFULL;
    return (word * 10000 + (word >> 32)) & 0x00000000FFFFFFFFULL;
}

/// Reads digits at `at` and appends them to `value`; returns how many. Eight at a time where eight
/// bytes are left: the digits before the first other byte are shifted to the high end of a word and
/// summed pairwise by three multiplications (a well-known trick, source not recorded).
inline int takeDigits(const char*& at, const char* end, std::uint64_t& value) {
    static constexpr std::uint64_t kTens[] = {1,      10,      100,      1000,     10000,
                                              100000, 1000000, 10000000, 100000000};
    int total = 0;
    while (end - at >= 8) {
        std::uint64_t word = 0;
        std::memcpy(&word, at, sizeof word);
        word ^= 0x3030303030303030ULL;
        const std::uint64_t other = ((word + 0x7676767676767676ULL) | word) & 0x8080808080808080ULL;
        const int count = other == 0 ? 8 : std::countr_zero(other) / 8;
        if (count > 0) {
            value = value * kTens[count] + sumDigits(word, count);
            at += count;
            total += count;
        }
        if (count < 8 || total > 15) return total;
    }
    while (at != end && static_cast<unsigned char>(*at - '0') < 10 && total <= 15) {
        value = value * 10 + static_cast<std::uint64_t>(*at++ - '0');
        ++total;
    }
    return total;
}

/// A whole short number, "24.9934," with its decimal sign and the byte behind it within eight
/// bytes, in one go: the sign is cut out of the word. False, with nothing moved, for any other.
inline bool takeShort(const char*& at, const char* end, char decimal, std::uint64_t& value,
                      int& digits, int& decimals) {
    if (end - at < 8) return false;
    std::uint64_t word = 0;
    std::memcpy(&word, at, sizeof word);
    word ^= 0x3030303030303030ULL;
    const std::uint64_t other = ((word + 0x7676767676767676ULL) | word) & 0x8080808080808080ULL;
    const std::uint64_t behind = other & (other - 1);
    if (behind == 0) return false;
    const int point = std::countr_zero(other) / 8;
    const int last = std::countr_zero(behind) / 8;
    if (at[point] != decimal || point == 0) return false;
    const std::uint64_t low = word & ((std::uint64_t{1} << (8 * point)) - 1);
    const std::uint64_t high =
        (word & ((std::uint64_t{1} << (8 * last)) - 1)) >> (8 * (point + 1)) << (8 * point);
    digits = last - 1;
    decimals = last - point - 1;
    value = sumDigits(low | high, digits);
    at += last;
    return true;
}

}  // namespace

bool RowParser::quickRow(const char*& start, const char* end, std::size_t row,
                         const std::vector<QuickColumn>& columns) const {
    static constexpr double kPower[] = {1e0, 1e1, 1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                        1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
    const char delimiter = dialect_.delimiter;
    const char decimal = dialect_.decimal;
    const char* at = start;
    const QuickColumn* const lastColumn = &columns.back();
    for (const QuickColumn* column = columns.data();; ++column) {
        const bool last = column == lastColumn;
        if (column->values == nullptr) {
            while (at != end && *at != delimiter && *at != '\n' && *at != '"') ++at;
            if (at == end || *at != delimiter) return false;
            ++at;
            continue;
        }
        const bool negative = at != end && *at == '-';
        at += negative ? 1 : 0;
        std::uint64_t mantissa = 0;
        int digits = 0;
        int decimals = 0;
        if (!takeShort(at, end, decimal, mantissa, digits, decimals)) {
            digits = takeDigits(at, end, mantissa);
            if (at != end && *at == decimal) {
                ++at;
                decimals = takeDigits(at, end, mantissa);
                digits += decimals;
            }
        }
        // Up to 15 digits are exact: the mantissa is under 2⁵³ and is divided once.
        if (digits == 0 || digits > 15 || at == end) return false;
        if (*at != delimiter && !(last && (*at == '\n' || *at == '\r'))) return false;
        double value = static_cast<double>(mantissa) / kPower[decimals];
        if (negative && value != 0) value = -value;
        column->values[row] = (value + column->offset) * column->factor;
        if (column->decimals != nullptr && row % 64 < 4)
            *column->decimals = std::max(*column->decimals, decimals);
        if (last) break;
        ++at;
    }
    if (*at != '\n') {
        const void* newline = std::memchr(at, '\n', static_cast<std::size_t>(end - at));
        if (newline == nullptr) return false;  // the last line may be cut off: looked at with care
        at = static_cast<const char*>(newline);
    }
    start = at + 1;
    return true;
}

PieceResult RowParser::parse(std::string_view text, std::int64_t firstLine, std::size_t offset,
                             RawColumns& out, bool lastPiece, std::stop_token stop) const {
    PieceResult result;
    std::size_t at = 0;
    std::int64_t line = firstLine;
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
                    result.lines[i] = firstLine + static_cast<std::int64_t>(i);
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
