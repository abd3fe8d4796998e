#include "kept_standing.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "book/hash.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "rules.h"
#include "safety/gate.h"

namespace nk {

namespace {

using nlohmann::json;

/// Of the way standings are made.
constexpr int kVersion = 3;

constexpr std::pair<const char*, double KeptStanding::*> kFields[] = {
    {"capacity_Ah", &KeptStanding::capacity_Ah},
    {"capacity_low_Ah", &KeptStanding::capacityLow_Ah},
    {"capacity_high_Ah", &KeptStanding::capacityHigh_Ah},
    {"capacity_at_s", &KeptStanding::capacityAt_s},
    {"capacity_rate_C", &KeptStanding::capacityRate_C},
    {"capacity_floor_V", &KeptStanding::capacityFloor_V},
    {"capacity_temperature_C", &KeptStanding::capacityTemperature_C},
    {"capacity_more_Ah", &KeptStanding::capacityMore_Ah},
    {"resistance_ohm", &KeptStanding::resistance_ohm},
    {"resistance_at_s", &KeptStanding::resistanceAt_s},
    {"last_seen_s", &KeptStanding::lastSeen_s},
    {"last_use_s", &KeptStanding::lastUse_s},
    {"last_balancing_s", &KeptStanding::lastBalancing_s},
    {"last_full_s", &KeptStanding::lastFull_s},
    {"last_test_s", &KeptStanding::lastTest_s},
    {"hazards", &KeptStanding::hazards},
    {"ends_use", &KeptStanding::endsUse},
    {"unseen_recording", &KeptStanding::unseenRecording},
    {"unseen_ohm", &KeptStanding::unseen_ohm},
    {"unseen_A", &KeptStanding::unseen_A},
    {"unseen_from_s", &KeptStanding::unseenFrom_s},
    {"unseen_to_s", &KeptStanding::unseenTo_s},
};

std::string settingOf(std::int64_t battery) {
    return "standing:" + std::to_string(battery);
}

}  // namespace

KeptStanding keptOf(const Standing& s) {
    KeptStanding out;
    if (s.capacity) {
        out.capacity_Ah = s.capacity->value;
        out.capacityLow_Ah = s.capacity->low;
        out.capacityHigh_Ah = s.capacity->high;
        out.capacityAt_s = s.capacity->at_s;
        out.capacityRate_C = s.capacity->conditions.cRate;
        out.capacityFloor_V = s.capacity->floor_V_per_cell;
        out.capacityTemperature_C = s.capacity->conditions.temperature_C;
        out.capacityMore_Ah = s.capacity->more_Ah;
    }
    if (s.resistance) {
        out.resistance_ohm = s.resistance->value;
        out.resistanceAt_s = s.resistance->at_s;
        out.resistanceSchool = s.resistance->school;
    }
    if (s.unseen) {
        out.unseenRecording = static_cast<double>(s.unseen->recording);
        out.unseen_ohm = s.unseen->ohm;
        out.unseen_A = 0.5 * (s.unseen->low_A + s.unseen->high_A);
        out.unseenFrom_s = s.unseen->from_s;
        out.unseenTo_s = s.unseen->to_s;
    }
    out.lastSeen_s = s.lastSeen_s;
    out.lastUse_s = s.lastUse_s;
    out.lastBalancing_s = s.lastBalancing_s;
    out.lastFull_s = s.lastFull_s;
    out.lastTest_s = s.lastTest_s;
    out.hazards = static_cast<double>(s.hazards.size());
    out.endsUse = std::ranges::any_of(s.hazards, endsUse) ? 1 : 0;
    return out;
}

std::string conditionsWords(const KeptStanding& s) {
    std::string out;
    const auto add = [&](const std::string& words) { out += (out.empty() ? "" : ", ") + words; };
    if (std::isfinite(s.capacityRate_C)) add(phrase("{:.2g}C", s.capacityRate_C));
    if (std::isfinite(s.capacityFloor_V))
        out += (out.empty() ? "" : " ") + phrase("to {:.2f} V a cell", s.capacityFloor_V);
    if (std::isfinite(s.capacityTemperature_C))
        add(phrase("{:.0f} °C on average", s.capacityTemperature_C));
    return out;
}

std::string conditionsShort(const KeptStanding& s) {
    std::string out;
    if (std::isfinite(s.capacityRate_C)) out = phrase("{:.2g}C", s.capacityRate_C);
    if (std::isfinite(s.capacityTemperature_C))
        out += (out.empty() ? "" : ", ") + shortValue(s.capacityTemperature_C, "C");
    return out;
}

std::string keptStandingText(const KeptStanding& standing, const std::string& fingerprint) {
    json j{{"schema", "narrow-knee/standing-kept/1"}, {"fingerprint", fingerprint}};
    for (const auto& [key, value] : kFields)
        if (std::isfinite(standing.*value)) j[key] = standing.*value;
    if (!standing.resistanceSchool.empty()) j["resistance_school"] = standing.resistanceSchool;
    j["verdict"] = standing.verdict;
    return j.dump();
}

std::optional<KeptStanding> keptStandingIn(const std::string& text,
                                           const std::string& fingerprint) {
    const json j = json::parse(text, nullptr, false);
    if (!j.is_object()) return std::nullopt;
    const auto print = j.find("fingerprint");
    if (print == j.end() || !print->is_string() || print->get<std::string>() != fingerprint)
        return std::nullopt;
    KeptStanding out;
    for (const auto& [key, value] : kFields)
        if (const auto at = j.find(key); at != j.end() && at->is_number())
            out.*value = at->get<double>();
    if (const auto at = j.find("resistance_school"); at != j.end() && at->is_string())
        out.resistanceSchool = at->get<std::string>().substr(0, 40);
    if (const auto at = j.find("verdict"); at != j.end() && at->is_string())
        out.verdict = at->get<std::string>().substr(0, 40);
    return out;
}

std::string verdictAmong(const KeptStanding& standing, std::vector<double> siblings_Ah,
                         const VerdictRules& rules) {
    const bool behind = siblings_Ah.size() >= 2 &&
                        standing.capacity_Ah < rules.siblings * medianOf(std::move(siblings_Ah));
    return behind && standing.verdict == "keep" ? "watch" : standing.verdict;
}

Expected<std::map<std::int64_t, KeptStanding>> keptStandings(BenchBook& book,
                                                             const std::set<std::int64_t>& ids) {
    auto all = ownLogs(book, ids);
    if (!all) return tl::unexpected<Error>(all.error());
    const auto lives = book.lives();
    if (!lives) return tl::unexpected<Error>(lives.error());
    const auto spots = book.lastSpotReadings();
    if (!spots) return tl::unexpected<Error>(spots.error());
    const auto rules = verdictRules(book);
    if (!rules) return tl::unexpected<Error>(rules.error());
    std::string rulesText;
    for (const auto& f : verdictFields()) rulesText += fmt::format("{},", *rules.*(f.value));
    std::map<std::int64_t, KeptStanding> out;
    for (OwnLogs& own : *all) {
        const BatteryEntry& e = own.battery;
        const auto found = lives->find(e.id);
        const BatteryLife life = found != lives->end() ? found->second : BatteryLife();
        std::string makes =
            fmt::format("standing {}|{}|{}|{}|{}|{}", kVersion, e.battery.chemistry,
                        e.battery.series, e.battery.rated_Ah, lifeJson(life), rulesText);
        if (const auto spot = spots->find(e.id); spot != spots->end()) {
            const auto hand = book.spotReadings(e.id);
            if (!hand) return tl::unexpected<Error>(hand.error());
            makes += fmt::format("|{}|{}", spot->second, hand->size());
        }
        // What is stale by its makings makes a standing stale too.
        for (std::size_t k = 0; k < own.recordings.size(); ++k) {
            const RecordingEntry& r = own.recordings[k];
            makes += fmt::format("|{}:{}:{}{}", r.id, fingerprintOf(own.makings[k]), r.at_s(),
                                 r.dayKnown() ? "" : "?");
        }
        const std::string fingerprint = sha256(makes).substr(0, 24);
        if (auto kept = keptStandingIn(book.setting(settingOf(e.id)).value_or(std::string()),
                                       fingerprint)) {
            out[e.id] = *kept;
            continue;
        }
        const auto history = batteryHistory(book, own);
        if (!history) return tl::unexpected<Error>(history.error());
        const auto hazards = hazardsOf(book, e.id, own.recordings);
        if (!hazards) return tl::unexpected<Error>(hazards.error());
        const Standing standing = standingOf(*history, *hazards, life, own.recordings);
        KeptStanding made = keptOf(standing);
        made.verdict = life.outOfUse.empty() ? judge(*history, standing, {}, *rules).verdict
                                             : std::string("retire");
        if (!book.readOnly())
            (void)book.keepComputed(settingOf(e.id), keptStandingText(made, fingerprint));
        out[e.id] = std::move(made);
    }
    return out;
}

}  // namespace nk
