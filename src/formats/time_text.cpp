#include "time_text.h"

#include <cmath>
#include <string>

#include "quantity/number.h"
#include "quantity/units.h"

namespace nk {

namespace {

/// Takes an unsigned whole number from the front; returns the count of digits, 0 for none.
int takeInteger(std::string_view& text, long long& value) {
    int digits = 0;
    value = 0;
    while (!text.empty() && text.front() >= '0' && text.front() <= '9' && digits < 12) {
        value = value * 10 + (text.front() - '0');
        text.remove_prefix(1);
        ++digits;
    }
    return digits;
}

/// "AM" or "PM" behind a clock of twelve hours moves it. False for anything else that stands there.
bool takeHalfDay(std::string_view& text, double& clock) {
    std::string_view rest = text;
    while (!rest.empty() && rest.front() == ' ') rest.remove_prefix(1);
    if (rest.size() < 2) return true;
    const auto letter = [&](std::size_t k) { return static_cast<char>(rest[k] & ~0x20); };
    std::size_t length = 2;
    if (rest.size() >= 4 && rest[1] == '.' && rest[3] == '.')
        length = 4;  // "a.m."
    else if (letter(1) != 'M')
        return true;
    if ((letter(0) != 'A' && letter(0) != 'P') || letter(length == 4 ? 2 : 1) != 'M') return false;
    const double hour = std::floor(clock / 3600);
    if (letter(0) == 'P' && hour < 12) clock += 43200;
    if (letter(0) == 'A' && hour >= 12) clock -= 43200;
    rest.remove_prefix(length);
    while (!rest.empty() && rest.front() == ' ') rest.remove_prefix(1);
    text = rest;
    return true;
}

bool takeChar(std::string_view& text, char c) {
    if (text.empty() || text.front() != c) return false;
    text.remove_prefix(1);
    return true;
}

void skipSpaces(std::string_view& text) {
    while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
}

/// Clock part: parts separated by ':', the last with a fraction. Leaves what follows in `text`.
std::optional<double> takeClock(std::string_view& text, const TimeStyle& style, int& parts) {
    double values[3] = {0, 0, 0};
    parts = 0;
    while (parts < 3) {
        double value = 0;
        std::size_t used = 0;
        if (text.empty() || text.front() < '0' || text.front() > '9') return std::nullopt;
        // A fraction is written with a point or a comma, whatever the number columns use.
        if (!parseNumberPrefix(text, '.', value, used)) return std::nullopt;
        if (used < text.size() && text[used] == ',' && parts >= 1 &&
            !parseNumberPrefix(text, ',', value, used))
            return std::nullopt;
        text.remove_prefix(used);
        values[parts++] = value;
        if (!takeChar(text, ':')) break;
    }
    if (parts == 3) {
        // "21:04:05:123" carries milliseconds after a colon.
        if (!text.empty() && text.front() >= '0' && text.front() <= '9') {
            std::string_view fraction = text;
            long long thousandths = 0;
            const int digits = takeInteger(fraction, thousandths);
            text = fraction;
            values[2] += static_cast<double>(thousandths) / std::pow(10.0, digits);
        }
        if (values[1] >= 60 || values[2] >= 61) return std::nullopt;
        return values[0] * 3600 + values[1] * 60 + values[2];
    }
    if (parts == 2) {
        if (values[1] >= 60) return std::nullopt;
        return style.twoPartIsHours ? values[0] * 3600 + values[1] * 60
                                    : values[0] * 60 + values[1];
    }
    return std::nullopt;
}

}  // namespace

long long daysFromCivil(long long year, unsigned month, unsigned day) {
    // Howard Hinnant's chrono-compatible algorithm (public domain), from memory.
    year -= month <= 2;
    const long long era = (year >= 0 ? year : year - 399) / 400;
    const auto yearOfEra = static_cast<unsigned long long>(year - era * 400);
    const unsigned long long dayOfYear =
        (153ULL * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
    const unsigned long long dayOfEra =
        yearOfEra * 365 + yearOfEra / 4 - yearOfEra / 100 + dayOfYear;
    return era * 146097 + static_cast<long long>(dayOfEra) - 719468;
}

std::optional<double> parseClock(std::string_view cell, const TimeStyle& style) {
    cell = trimCell(cell);
    double days = 0;
    // "1 02:03:04", "1d 02:03:04", "1.02:03:04"
    std::string_view probe = cell;
    long long count = 0;
    if (takeInteger(probe, count) > 0) {
        const bool marked = takeChar(probe, 'd');
        const bool separated = !probe.empty() && (probe.front() == ' ' || probe.front() == '.');
        if (marked || separated) {
            if (separated) probe.remove_prefix(1);
            skipSpaces(probe);
            if (probe.find(':') != std::string_view::npos) {
                days = static_cast<double>(count);
                cell = probe;
            }
        }
    }
    int parts = 0;
    auto clock = takeClock(cell, style, parts);
    if (!clock || !takeHalfDay(cell, *clock) || !cell.empty()) return std::nullopt;
    return days * 86400 + *clock;
}

std::optional<double> parseDateTime(std::string_view cell, const TimeStyle& style) {
    std::string_view text = trimCell(cell);
    long long a = 0, b = 0, c = 0;
    const int digitsA = takeInteger(text, a);
    if (digitsA == 0 || text.empty()) return std::nullopt;
    // cppcheck-suppress containerOutOfBounds ; empty text has returned above
    const char separator = text.front();
    if (separator != '-' && separator != '/' && separator != '.') return std::nullopt;
    text.remove_prefix(1);
    if (takeInteger(text, b) == 0 || !takeChar(text, separator)) return std::nullopt;
    const int digitsC = takeInteger(text, c);
    if (digitsC == 0) return std::nullopt;
    long long year = 0, month = 0, day = 0;
    if (digitsA == 4) {
        year = a, month = b, day = c;
    } else {
        year = digitsC <= 2 ? c + 2000 : c;
        const bool dayFirst = style.order != DateOrder::MonthDayYear;
        day = dayFirst ? a : b;
        month = dayFirst ? b : a;
    }
    if (month < 1 || month > 12 || day < 1 || day > 31 || year < 1970 || year > 9999)
        return std::nullopt;
    constexpr int kLongest[] = {31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    const bool leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
    if (day > kLongest[month - 1] || (month == 2 && day == 29 && !leap)) return std::nullopt;
    double seconds = 86400.0 * static_cast<double>(daysFromCivil(year, static_cast<unsigned>(month),
                                                                 static_cast<unsigned>(day)));
    if (text.empty()) return seconds;
    if (text.front() != 'T' && text.front() != ' ' && text.front() != 't' && text.front() != ',')
        return std::nullopt;
    text.remove_prefix(1);
    skipSpaces(text);
    int parts = 0;
    TimeStyle hours = style;
    hours.twoPartIsHours = true;
    auto clock = takeClock(text, hours, parts);
    if (!clock || *clock > 86400) return std::nullopt;  // "24:00:00" ends a day
    skipSpaces(text);
    if (!takeHalfDay(text, *clock)) return std::nullopt;
    seconds += *clock;
    if (text.empty() || text == "Z" || text == "z" || text == "UTC") return seconds;
    const char sign = text.front();
    if (sign != '+' && sign != '-') return std::nullopt;
    text.remove_prefix(1);
    long long zoneHours = 0, zoneMinutes = 0;
    const int digits = takeInteger(text, zoneHours);
    if (digits == 4) {
        zoneMinutes = zoneHours % 100;
        zoneHours /= 100;
    } else if (digits == 2) {
        if (takeChar(text, ':') && takeInteger(text, zoneMinutes) == 0) return std::nullopt;
    } else {
        return std::nullopt;
    }
    if (!text.empty()) return std::nullopt;
    const double offset = static_cast<double>(zoneHours * 3600 + zoneMinutes * 60);
    return seconds + (sign == '+' ? -offset : offset);
}

}  // namespace nk
