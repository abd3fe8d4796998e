// Alarms of the bench that nobody has marked as seen, kept in the book: they survive a restart.
#pragma once

#include <string>
#include <vector>

namespace nk {

struct KeptAlarm {
    std::string channel, code, words;
    double at_s = 0;  ///< since 1970 UTC
    bool hazard = false;
    std::string told = {};  ///< the words written down, for every language; may be empty
    bool operator==(const KeptAlarm&) const = default;
};

inline constexpr const char* kAlarmSetting = "bench_alarms";

/// narrow-knee/bench-alarms/1; the newest hundred.
std::string keptAlarmsText(const std::vector<KeptAlarm>& alarms);
/// What cannot be read is left out.
std::vector<KeptAlarm> keptAlarmsIn(const std::string& text);

}  // namespace nk
