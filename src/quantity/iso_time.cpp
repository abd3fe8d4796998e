#include "iso_time.h"

#include <fmt/chrono.h>

#include <chrono>
#include <cmath>
#include <limits>

namespace nk {

std::string isoTime(double epoch_s) {
    constexpr double kYear9999 = 253402300799.0;
    if (!std::isfinite(epoch_s) || epoch_s < 0 || epoch_s > kYear9999) return {};
    return fmt::format("{:%Y-%m-%dT%H:%M:%S}Z", fmt::gmtime(static_cast<std::time_t>(epoch_s)));
}

double fromIsoTime(std::string_view text) {
    constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
    const auto number = [&](std::size_t at, std::size_t digits) {
        int value = 0;
        for (std::size_t k = at; k < at + digits; ++k) {
            if (k >= text.size() || text[k] < '0' || text[k] > '9') return -1;
            value = 10 * value + (text[k] - '0');
        }
        return value;
    };
    if (text.ends_with('Z')) text.remove_suffix(1);
    if (text.size() != 10 && text.size() != 16 && text.size() != 19) return kNone;
    const int year = number(0, 4);
    const int month = number(5, 2);
    const int day = number(8, 2);
    if (year < 1970 || month < 0 || day < 0 || text[4] != '-' || text[7] != '-') return kNone;
    const std::chrono::year_month_day date{std::chrono::year(year),
                                           std::chrono::month(static_cast<unsigned>(month)),
                                           std::chrono::day(static_cast<unsigned>(day))};
    if (!date.ok()) return kNone;
    double seconds = 86400.0 * std::chrono::sys_days(date).time_since_epoch().count();
    if (text.size() == 10) return seconds;
    const int hour = number(11, 2);
    const int minute = number(14, 2);
    const int second = text.size() == 19 ? number(17, 2) : 0;
    if ((text[10] != 'T' && text[10] != ' ') || text[13] != ':' || hour < 0 || hour > 23 ||
        minute < 0 || minute > 59 || second < 0 || second > 60 ||
        (text.size() == 19 && text[16] != ':'))
        return kNone;
    return seconds + 3600.0 * hour + 60.0 * minute + second;
}

}  // namespace nk
