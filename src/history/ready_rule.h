// Ready by, every week: kept with a battery, told by the due list and the calendar.
#pragma once

#include <array>
#include <optional>
#include <string>

#include "book/bench_book.h"
#include "planning/program.h"

namespace nk {

struct ReadyRule {
    std::array<bool, 7> days{};  ///< Monday first
    int minute = 18 * 60;        ///< of the day, local
    double fromSoc = -1;         ///< level before; under 0: not known
    double rate_C = 0;           ///< 0: a kind one
    Presence present;
    bool any() const;
};

std::string keptReadyText(const ReadyRule& rule);
/// Nothing when it is none of ours, has no day, or figures that cannot be.
std::optional<ReadyRule> keptReadyIn(const std::string& text);
std::string readySetting(std::int64_t battery);

/// "mon,wed,fri". Errors: anything else.
Expected<std::array<bool, 7>> readWeekdays(const std::string& text);

/// The next time of use after a moment, local seconds since 1970; nothing without a day.
std::optional<double> nextReady(const ReadyRule& rule, double now_s);
/// The charge that is done by then. Errors: as planReadyBy.
Expected<Program> planReadyWeek(const Battery& battery, const ReadyRule& rule, double now_s);

/// Seconds that local time is ahead of UTC at a moment (UTC seconds).
double localOffset_s(double utc_s);

}  // namespace nk
