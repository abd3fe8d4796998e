#include "log_day.h"

#include <algorithm>
#include <chrono>
#include <cmath>

#include <fmt/format.h>

#include "formats/importer.h"

namespace nk {

namespace {

bool digit(char c) {
    return c >= '0' && c <= '9';
}

/// A number of at most `most` digits from `at`; its length, 0: none.
std::size_t numberAt(std::string_view text, std::size_t at, std::size_t most, int& into) {
    std::size_t n = 0;
    into = 0;
    while (n < most && at + n < text.size() && digit(text[at + n]))
        into = 10 * into + (text[at + n++] - '0');
    return n;
}

bool calendar(int year, int month, int day, int lastYear) {
    const std::chrono::year_month_day date{std::chrono::year(year),
                                           std::chrono::month(static_cast<unsigned>(month)),
                                           std::chrono::day(static_cast<unsigned>(day))};
    return year >= 1990 && year <= lastYear && date.ok();
}

/// A day that begins at `at`; its length, 0: none.
std::size_t dayAt(std::string_view text, std::size_t at, int lastYear, std::string& into) {
    int a = 0;
    int b = 0;
    int c = 0;
    const auto given = [&](int year, int month, int day, std::size_t end) -> std::size_t {
        if (end < text.size() && digit(text[end])) return 0;
        if (!calendar(year, month, day, lastYear)) return 0;
        into = fmt::format("{:04}-{:02}-{:02}", year, month, day);
        return end - at;
    };
    const std::size_t first = numberAt(text, at, 4, a);
    std::size_t k = at + first;
    if (first == 4) {
        const char between = k < text.size() ? text[k] : '\0';
        const bool parted =
            std::string_view("-._/").find(between) != std::string_view::npos && between != '\0';
        if (parted) ++k;
        const std::size_t m = numberAt(text, k, 2, b);
        if (m == 0 || (!parted && m != 2)) return 0;
        k += m;
        if (parted && (k >= text.size() || text[k++] != between)) return 0;
        const std::size_t d = numberAt(text, k, 2, c);
        if (d == 0 || (!parted && d != 2)) return 0;
        return given(a, b, c, k + d);
    }
    if (first == 0 || first > 2 || k >= text.size() || text[k] != '.') return 0;
    const std::size_t m = numberAt(text, ++k, 2, b);
    k += m;
    if (m == 0 || k >= text.size() || text[k] != '.') return 0;
    if (numberAt(text, ++k, 4, c) != 4) return 0;
    // A version is no day: v2.3.2026.1.
    const auto letter = [](char x) { return (x >= 'a' && x <= 'z') || (x >= 'A' && x <= 'Z'); };
    if (at > 0 && letter(text[at - 1])) return 0;
    if (k + 5 < text.size() && text[k + 4] == '.' && digit(text[k + 5])) return 0;
    return given(c, b, a, k + 4);
}

}  // namespace

std::vector<std::string> daysIn(std::string_view text, double now_s) {
    using namespace std::chrono;
    const year_month_day today{floor<days>(sys_seconds(seconds(static_cast<long long>(now_s))))};
    const int lastYear = static_cast<int>(today.year());
    std::vector<std::string> out;
    for (std::size_t at = 0; at < text.size(); ++at) {
        if (!digit(text[at]) || (at > 0 && (digit(text[at - 1]) || text[at - 1] == '.'))) continue;
        std::string day;
        const std::size_t length = dayAt(text, at, lastYear, day);
        if (length == 0) continue;
        if (std::ranges::find(out, day) == out.end()) out.push_back(day);
        at += length - 1;
    }
    return out;
}

std::optional<LogDay> dayOfLog(std::string_view bytes, const std::string& name,
                               const Dialect& dialect, double now_s) {
    // Words stand before the titles, or before the first row where there are none.
    const std::size_t table = dialect.headerLine > 0 ? dialect.headerLine : dialect.firstDataLine;
    if (table > 1)
        if (const auto text = previewText(bytes, name)) {
            std::size_t end = 0;
            for (std::size_t line = 1; line < table && end < text->size(); ++line) {
                const auto next = text->find_first_of("\r\n", end);
                if (next == std::string::npos) {
                    end = text->size();
                } else {
                    end = next + 1;
                    if ((*text)[next] == '\r' && end < text->size() && (*text)[end] == '\n') ++end;
                }
            }
            const auto days = daysIn(std::string_view(*text).substr(0, end), now_s);
            if (days.size() == 1) return LogDay{days.front(), "words"};
            if (days.size() > 1) return std::nullopt;
        }
    const auto slash = name.find_last_of('/');
    const auto days = daysIn(slash == std::string::npos ? name : name.substr(slash + 1), now_s);
    if (days.size() == 1) return LogDay{days.front(), "name"};
    return std::nullopt;
}

}  // namespace nk
