#include "app/side/kept_views.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>

#include "quantity/harmless.h"

namespace nk {

namespace {

/// No hand shifts a curve farther, in hours, Ah or per cent.
constexpr double kFarthest = 1e6;

/// A log's number, or [number, moment] of a step of it.
std::optional<SideItem> itemFrom(const nlohmann::json& j) {
    if (j.is_number_integer()) return SideItem{j.get<std::int64_t>()};
    if (j.is_array() && j.size() == 2 && j[0].is_number_integer() && j[1].is_number()) {
        const double moment_s = j[1].get<double>();
        return SideItem{j[0].get<std::int64_t>(), moment_s < 0 ? -1 : moment_s};
    }
    return std::nullopt;
}

nlohmann::json itemJson(const SideItem& item) {
    if (item.whole()) return item.recording;
    return nlohmann::json::array({item.recording, item.moment_s});
}

}  // namespace

std::vector<KeptView> readViews(const std::string& text) {
    std::vector<KeptView> out;
    const nlohmann::json all = nlohmann::json::parse(text, nullptr, false);
    if (!all.is_array()) return out;
    for (const auto& j : all) {
        if (!j.is_object() || !j.contains("name") || !j["name"].is_string() ||
            !j.contains("recordings") || !j["recordings"].is_array() || out.size() >= 200)
            continue;
        KeptView v;
        v.name = QString::fromStdString(harmless(j["name"].get<std::string>(), 100));
        const auto whole = [&](const char* key, int most) {
            return j.contains(key) && j[key].is_number_integer()
                       ? std::clamp(j[key].get<int>(), 0, most)
                       : 0;
        };
        v.choice.axis = static_cast<OverlayAxis>(whole("axis", 4));
        v.choice.lane = static_cast<SideLane>(whole("lane", 3));
        for (const auto& one : j["recordings"])
            if (const auto item = itemFrom(one);
                item && v.choice.items.size() < kMostCurves &&
                std::ranges::find(v.choice.items, *item) == v.choice.items.end())
                v.choice.items.push_back(*item);
        if (j.contains("shifts") && j["shifts"].is_array())
            for (const auto& s : j["shifts"])
                if (s.is_array() && s.size() == 2 && s[1].is_number())
                    if (const auto item = itemFrom(s[0]);
                        item && std::abs(s[1].get<double>()) < kFarthest)
                        v.choice.shifts[*item] = s[1].get<double>();
        out.push_back(std::move(v));
    }
    return out;
}

std::string writeViews(const std::vector<KeptView>& views) {
    nlohmann::json all = nlohmann::json::array();
    for (const KeptView& v : views) {
        nlohmann::json items = nlohmann::json::array();
        nlohmann::json shifts = nlohmann::json::array();
        for (const SideItem& item : v.choice.items) items.push_back(itemJson(item));
        for (const auto& [item, by] : v.choice.shifts)
            shifts.push_back(nlohmann::json::array({itemJson(item), by}));
        all.push_back({{"name", v.name.toStdString()},
                       {"recordings", items},
                       {"axis", static_cast<int>(v.choice.axis)},
                       {"lane", static_cast<int>(v.choice.lane)},
                       {"shifts", shifts}});
    }
    return all.dump();
}

}  // namespace nk
