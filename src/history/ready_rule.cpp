#include "ready_rule.h"

#include <algorithm>
#include <cmath>
#include <ctime>
#include <nlohmann/json.hpp>

#include "quantity/json_whole.h"
#include "quantity/phrase.h"

namespace nk {

namespace {
using Json = nlohmann::json;
constexpr const char* kDays[] = {"mon", "tue", "wed", "thu", "fri", "sat", "sun"};
constexpr double kDay_s = 86400;
}  // namespace

bool ReadyRule::any() const {
    return std::ranges::any_of(days, [](bool d) { return d; });
}

std::string readySetting(std::int64_t battery) {
    return "ready_by:" + std::to_string(battery);
}

std::string keptReadyText(const ReadyRule& r) {
    return Json{{"schema", "narrow-knee/ready-rule/1"},
                {"days", r.days},
                {"minute", r.minute},
                {"from_soc", r.fromSoc},
                {"rate_C", r.rate_C},
                {"present_min", {r.present.from_min, r.present.to_min}}}
        .dump();
}

std::optional<ReadyRule> keptReadyIn(const std::string& text) {
    const Json j = Json::parse(text, nullptr, false);
    if (!j.is_object() || j.value("schema", Json()) != "narrow-knee/ready-rule/1")
        return std::nullopt;
    try {
        ReadyRule r;
        r.days = j.at("days").get<std::array<bool, 7>>();
        r.minute = wholeOf<int>(j.at("minute"));
        r.fromSoc = j.at("from_soc").get<double>();
        r.rate_C = j.at("rate_C").get<double>();
        r.present.from_min = wholeOf<int>(j.at("present_min").at(0));
        r.present.to_min = wholeOf<int>(j.at("present_min").at(1));
        const auto minutes = [](int m) { return m >= 0 && m <= 1440; };
        if (!r.any() || !minutes(r.minute) || !minutes(r.present.from_min) ||
            !minutes(r.present.to_min) || r.present.from_min == r.present.to_min ||
            !(r.fromSoc <= 1) || !(r.rate_C >= 0))
            return std::nullopt;
        return r;
    } catch (const Json::exception&) {
        return std::nullopt;
    }
}

Expected<std::array<bool, 7>> readWeekdays(const std::string& text) {
    std::array<bool, 7> out{};
    std::string part;
    for (const char c : text + ",") {
        if (c != ',') {
            if (c != ' ') part += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
            continue;
        }
        const auto at = std::ranges::find(kDays, part);
        if (at == std::end(kDays))
            return fail(ErrorKind::InvalidArgument, phrase("This is no day of the week: {}", part),
                        "--weekly", "mon,tue,wed,thu,fri,sat,sun.");
        out[static_cast<std::size_t>(at - std::begin(kDays))] = true;
        part.clear();
    }
    return out;
}

std::optional<double> nextReady(const ReadyRule& r, double now_s) {
    if (!r.any()) return std::nullopt;
    const double today = std::floor(now_s / kDay_s);
    for (int k = 0; k <= 7; ++k) {
        // 1 January 1970 was a Thursday.
        const auto weekday =
            static_cast<std::size_t>(std::fmod(std::fmod(today + k + 3, 7.0) + 7.0, 7.0));
        const double at = (today + k) * kDay_s + 60.0 * r.minute;
        if (r.days[weekday] && at > now_s) return at;
    }
    return std::nullopt;
}

Expected<Program> planReadyWeek(const Battery& battery, const ReadyRule& rule, double now_s) {
    const auto at = nextReady(rule, now_s);
    if (!at)
        return fail(ErrorKind::InvalidArgument, phrase("No day of the week is chosen."), {},
                    phrase("one day at least."));
    ReadyWish wish;
    wish.charge.battery = battery;
    wish.charge.fromSoc = rule.fromSoc;
    wish.charge.rate_C = rule.rate_C;
    wish.now_s = now_s;
    wish.ready_s = *at;
    wish.present = rule.present;
    return planReadyBy(wish);
}

double localOffset_s(double utc_s) {
    const auto t = static_cast<std::time_t>(utc_s);
    std::tm local{};
    localtime_r(&t, &local);
    return static_cast<double>(local.tm_gmtoff);
}

}  // namespace nk
