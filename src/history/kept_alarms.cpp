#include "kept_alarms.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "quantity/harmless.h"
#include "quantity/phrase.h"

namespace nk {

namespace {
using nlohmann::json;
constexpr std::size_t kMost = 100;
constexpr std::size_t kLongest = 400;
}  // namespace

std::string keptAlarmsText(const std::vector<KeptAlarm>& alarms) {
    json list = json::array();
    const std::size_t from = alarms.size() > kMost ? alarms.size() - kMost : 0;
    for (std::size_t k = from; k < alarms.size(); ++k) {
        const KeptAlarm& a = alarms[k];
        list.push_back({{"channel", a.channel},
                        {"code", a.code},
                        {"words", a.told.empty() ? a.words : a.told},
                        {"at_s", a.at_s},
                        {"hazard", a.hazard}});
    }
    return json{{"schema", "narrow-knee/bench-alarms/1"}, {"alarms", list}}.dump(
        -1, ' ', false, json::error_handler_t::replace);
}

std::vector<KeptAlarm> keptAlarmsIn(const std::string& text) {
    std::vector<KeptAlarm> out;
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || !j.is_object()) return out;
    const auto list = j.find("alarms");
    if (list == j.end() || !list->is_array()) return out;
    const auto words = [](const json& a, const char* key) {
        const auto at = a.find(key);
        return at != a.end() && at->is_string() ? harmless(at->get<std::string>(), kLongest)
                                                : std::string();
    };
    for (const json& a : *list) {
        if (!a.is_object() || out.size() >= kMost) continue;
        KeptAlarm k;
        k.channel = words(a, "channel");
        k.code = words(a, "code");
        if (const auto said = a.find("words"); said != a.end() && said->is_string()) {
            const auto kept = said->get<std::string>().substr(0, 4 * kLongest);
            if (isRecorded(kept)) k.told = kept;
            k.words = harmless(retold(kept), kLongest);
        }
        const auto at = a.find("at_s");
        k.at_s = at != a.end() && at->is_number() ? at->get<double>() : 0;
        k.hazard = a.value("hazard", json()).is_boolean() && a["hazard"].get<bool>();
        if (!k.code.empty() && std::isfinite(k.at_s)) out.push_back(std::move(k));
    }
    return out;
}

}  // namespace nk
