// The quick path of the row parser: a line of plain numbers, eight digits at a time.
#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>

#include "quantity/number.h"
#include "row_parser.h"

namespace nk {

std::vector<RowParser::QuickColumn> RowParser::quickColumns(RawColumns& out,
                                                            PieceResult& result) const {
    std::vector<QuickColumn> columns;
    for (std::size_t k = 0; k <= lastNeeded_ && k < targets_.size(); ++k) {
        const Target& target = targets_[k];
        QuickColumn c;
        c.factor = target.factor;
        c.offset = target.offset;
        c.most = mostOf(target.slot);
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
            case Slot::Charge:
                c.values = out.charge.data();
                c.decimals = &result.decimalsCurrent;
                break;
            case Slot::Discharge:
                c.values = out.discharge.data();
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
        // Without branches: which sign comes next cannot be foretold about zero.
        const bool negative = at != end && *at == '-';
        const std::int64_t sign = -static_cast<std::int64_t>(negative);
        at += negative;
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
        const std::int64_t whole = (static_cast<std::int64_t>(mantissa) ^ sign) - sign;
        double value = static_cast<double>(whole) / kPower[decimals];
        value = (value + column->offset) * column->factor;
        if (!(std::abs(value) <= column->most)) return false;
        column->values[row] = value;
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

}  // namespace nk
