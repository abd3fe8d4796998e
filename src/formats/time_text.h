// Times in cells: clocks, dates, ISO 8601. Number columns are not treated here.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

namespace nk {

enum class TimeShape { Number, Clock, DateTime };
enum class DateOrder { YearMonthDay, DayMonthYear, MonthDayYear };

struct TimeStyle {
    TimeShape shape = TimeShape::Number;
    DateOrder order = DateOrder::DayMonthYear;  ///< for dates that do not start with the year
    bool twoPartIsHours = false;                ///< "1:30" is h:mm, not mm:ss
    char decimal = '.';
};

/// "h:mm:ss(.fff)", "mm:ss", "d hh:mm:ss", "1d 02:03:04" in seconds.
std::optional<double> parseClock(std::string_view cell, const TimeStyle& style);

/// A date with or without a clock, ISO 8601 or national orders, AM/PM and zone offsets, in
/// seconds since 1970-01-01 UTC (a time without zone counts as UTC).
std::optional<double> parseDateTime(std::string_view cell, const TimeStyle& style);

/// Days from 1970-01-01 of a civil date (Gregorian, proleptic).
long long daysFromCivil(long long year, unsigned month, unsigned day);

}  // namespace nk
