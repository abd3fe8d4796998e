// Numbers in text: the one reader of the whole tree. It never depends on the locale, as the C
// library's readers do (Qt sets it from the environment).
#pragma once

#include <fast_float/fast_float.h>

#include <array>
#include <cmath>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace nk {

inline std::string_view trimCell(std::string_view cell) {
    while (!cell.empty() && (cell.front() == ' ' || cell.front() == '\t' || cell.front() == '"' ||
                             cell.front() == '\r'))
        cell.remove_prefix(1);
    while (!cell.empty() &&
           (cell.back() == ' ' || cell.back() == '\t' || cell.back() == '"' || cell.back() == '\r'))
        cell.remove_suffix(1);
    return cell;
}

/// Parses the number at the front of a trimmed cell and reports how many characters it took.
/// Exact for up to 15 digits: the mantissa is under 2⁵³ and is divided once by a power of ten.
/// Words such as nan and inf are no numbers here.
inline bool parseNumberPrefix(std::string_view cell, char decimal, double& value,
                              std::size_t& used) {
    static constexpr std::array<double, 16> kPower = {1e0, 1e1, 1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                                      1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
    const char* at = cell.data();
    const char* const end = at + cell.size();
    bool negative = false;
    if (at != end && (*at == '-' || *at == '+')) {
        negative = *at == '-';
        ++at;
    } else if (cell.size() > 3 && cell.substr(0, 3) == "\xE2\x88\x92") {  // a typographic minus
        negative = true;
        at += 3;
    }
    const char* const numberStart = at;
    std::uint64_t mantissa = 0;
    int digits = 0;
    int decimals = 0;
    while (at != end && *at >= '0' && *at <= '9') {
        mantissa = mantissa * 10 + static_cast<std::uint64_t>(*at - '0');
        ++digits;
        ++at;
        if (digits > 15) break;
    }
    if (at != end && *at == decimal && digits <= 15) {
        const char* const point = at++;
        while (at != end && *at >= '0' && *at <= '9') {
            mantissa = mantissa * 10 + static_cast<std::uint64_t>(*at - '0');
            ++digits;
            ++decimals;
            ++at;
            if (digits > 15) break;
        }
        if (decimals == 0 && decimal == ',') at = point;  // "3," is a 3 and a comma
    }
    if (digits == 0) return false;
    const bool plain = digits <= 15 && (at == end || (*at != 'e' && *at != 'E'));
    if (plain) {
        value = static_cast<double>(mantissa) / kPower[static_cast<std::size_t>(decimals)];
    } else {
        const fast_float::parse_options options(fast_float::chars_format::general, decimal);
        const auto result = fast_float::from_chars_advanced(numberStart, end, value, options);
        if (result.ec != std::errc() || !std::isfinite(value)) return false;
        at = result.ptr;
    }
    if (negative && value != 0) value = -value;  // "-0.00" is a plain zero
    used = static_cast<std::size_t>(at - cell.data());
    return true;
}

/// The whole trimmed cell as a number, or nothing.
inline std::optional<double> parseNumber(std::string_view cell, char decimal) {
    double value = 0;
    std::size_t used = 0;
    if (!parseNumberPrefix(cell, decimal, value, used) || used != cell.size()) return std::nullopt;
    return value;
}

/// A number and nothing else, with a decimal point.
inline std::optional<double> readNumber(std::string_view text) {
    return parseNumber(text, '.');
}

/// Takes the number at the front of `text` away; nothing when there is none.
inline std::optional<double> takeNumber(std::string_view& text) {
    while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
    double value = 0;
    std::size_t used = 0;
    if (!parseNumberPrefix(text, '.', value, used)) return std::nullopt;
    text.remove_prefix(used);
    return value;
}

/// A number with marks between its thousands: "1,234.5", "1.234,5", "1 234,5", "1'234.5". Every
/// group but the first has three digits, the first does not begin with a nought, and there is at
/// least one mark.
inline std::optional<double> parseGrouped(std::string_view cell, char decimal) {
    std::string plain;
    bool marked = false;
    std::size_t group = 0;
    std::size_t at = 0;
    if (at < cell.size() && (cell[at] == '-' || cell[at] == '+')) plain.push_back(cell[at++]);
    for (; at < cell.size() && cell[at] != decimal; ++at) {
        const char c = cell[at];
        if (c >= '0' && c <= '9') {
            plain.push_back(c);
            ++group;
            continue;
        }
        // A narrow or plain no-break space is two or three bytes of UTF-8.
        std::size_t length = 0;
        if (c == (decimal == '.' ? ',' : '.') || c == '\'' || c == ' ') length = 1;
        if (cell.substr(at, 2) == "\xC2\xA0") length = 2;
        if (cell.substr(at, 3) == "\xE2\x80\xAF" || cell.substr(at, 3) == "\xE2\x80\x99")
            length = 3;
        if (!marked && group == 1 && plain.back() == '0')
            return std::nullopt;  // "0,050" is no thousands
        if (length == 0 || group == 0 || (marked && group != 3) || group > 3) return std::nullopt;
        at += length - 1;
        marked = true;
        group = 0;
    }
    if (!marked || group != 3) return std::nullopt;
    plain += cell.substr(at);
    return parseNumber(plain, decimal);
}

}  // namespace nk
