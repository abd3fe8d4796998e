#include "habit_file.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>

#include "quantity/harmless.h"
#include "quantity/phrase.h"
#include "quantity/sentence.h"

namespace nk {

namespace {

using nlohmann::json;

/// Hours of "18:00"; NaN for anything else.
double hoursOf(const std::string& text) {
    if (text.size() != 5 || text[2] != ':') return std::nan("");
    for (const std::size_t k : {0U, 1U, 3U, 4U})
        if (text[k] < '0' || text[k] > '9') return std::nan("");
    const int hours = std::stoi(text.substr(0, 2));
    const int minutes = std::stoi(text.substr(3, 2));
    return hours <= 23 && minutes <= 59 ? hours + minutes / 60.0 : std::nan("");
}

std::string clockOf(double hours) {
    const int minutes = static_cast<int>(std::lround(hours * 60)) % 1440;
    return fmt::format("{:02d}:{:02d}", minutes / 60, minutes % 60);
}

struct Reader {
    const std::string& where;
    HabitFile out;
    std::set<std::string> read;
    std::optional<Error> problem;

    void wrong(const std::string& field, const std::string& accepted) {
        if (!problem)
            problem = Error{ErrorKind::InvalidArgument,
                            phrase("The field {} cannot be understood.", field), where, accepted};
    }
    void number(const json& j, const char* field, double& into, const std::string& missing) {
        read.insert(field);
        const auto it = j.find(field);
        if (it == j.end() || it->is_null()) {
            if (!missing.empty()) out.defaults.push_back(missing);
            return;
        }
        if (!it->is_number() || !std::isfinite(it->get<double>()))
            return wrong(field, phrase("a number."));
        into = it->get<double>();
    }
};

}  // namespace

Expected<HabitFile> readHabit(std::string_view text, const std::string& where) {
    if (text.size() > 1'000'000)
        return fail(ErrorKind::InvalidArgument, phrase("This file is too large for a habit."),
                    where, phrase("at most 1 MB."));
    const json j = json::parse(text, nullptr, false, true);
    if (j.is_discarded() || !j.is_object())
        return fail(ErrorKind::InvalidArgument, phrase("This is no JSON object."), where,
                    "{\"schema\": \"narrow-knee/habit-file/1\", …}");
    const auto schema = j.find("schema");
    if (schema == j.end() || !schema->is_string() ||
        schema->get<std::string>() != "narrow-knee/habit-file/1")
        return fail(ErrorKind::InvalidArgument, phrase("This file holds no habit."), where,
                    "\"schema\": \"narrow-knee/habit-file/1\"");
    Reader r{where, {}, {"schema", "name", "charge", "ready_by", "use_at", "pauses"}, {}};
    Habit& h = r.out.habit;
    if (const auto it = j.find("name"); it != j.end()) {
        if (it->is_string())
            h.name = harmless(it->get<std::string>(), 80);
        else
            r.wrong("name", phrase("a text."));
    }
    r.number(j, "target_V_per_cell", h.target_V,
             phrase("target_V_per_cell: the chemistry's set voltage"));
    r.number(j, "uses_per_week", h.usesPerWeek, phrase("uses_per_week: {:.0f}", h.usesPerWeek));
    r.number(j, "depth", h.depth, phrase("depth: {:.1f}", h.depth));
    r.number(j, "discharge_c", h.discharge_C, phrase("discharge_c: {:.1f}", h.discharge_C));
    r.number(j, "charge_c", h.charge_C, phrase("charge_c: {:.1f}", h.charge_C));
    r.number(j, "parked_C", h.parked_C, phrase("parked_C: {:.0f}", h.parked_C));
    r.number(j, "use_C", h.use_C, phrase("use_C: {:.0f}", h.use_C));
    h.charging_C = h.use_C;
    r.number(j, "charge_temperature_C", h.charging_C, {});
    r.number(j, "device_floor_V_per_cell", h.deviceFloor_V, {});
    r.number(j, "full_charge_every_weeks", h.fullChargeEveryWeeks, {});
    if (const auto it = j.find("charge"); it != j.end()) {
        const std::string way = it->is_string() ? it->get<std::string>() : std::string();
        if (way == "at_once")
            h.charge = ChargeWhen::AtOnce;
        else if (way == "ready_by")
            h.charge = ChargeWhen::ReadyBy;
        else
            r.wrong("charge", "at_once | ready_by");
    } else {
        r.out.defaults.push_back(phrase("charge: at once"));
    }
    bool told = false;
    for (const char* field : {"use_at", "ready_by"}) {
        const auto it = j.find(field);
        if (it == j.end() || it->is_null()) continue;
        const double hours = it->is_string() ? hoursOf(it->get<std::string>()) : std::nan("");
        if (std::isnan(hours)) {
            r.wrong(field, phrase("an hour such as 18:00."));
            continue;
        }
        h.useAt_h = hours;
        told = true;
    }
    if (!told) r.out.defaults.push_back(phrase("ready_by: 18:00"));
    if (const auto it = j.find("pauses"); it != j.end()) {
        if (!it->is_array() || it->size() > 100) {
            r.wrong("pauses", phrase("a list of at most 100 pauses."));
        } else {
            for (const json& one : *it) {
                if (!one.is_object()) {
                    r.wrong("pauses",
                            "{\"days_per_year\": 60, \"soc\": 0.5, \"temperature_C\": 15}");
                    break;
                }
                HabitPause p;
                p.temperature_C = h.parked_C;
                r.number(one, "days_per_year", p.daysPerYear, {});
                r.number(one, "soc", p.soc, {});
                r.number(one, "temperature_C", p.temperature_C, {});
                h.pauses.push_back(p);
            }
        }
    }
    if (r.problem) return tl::unexpected<Error>(*r.problem);
    for (const auto& [key, value] : j.items())
        if (!r.read.contains(key)) r.out.unknown.push_back(harmless(key, 40));
    return r.out;
}

std::string writeHabit(const Habit& h) {
    json j = {{"schema", "narrow-knee/habit-file/1"},
              {"name", h.name},
              {"charge", h.charge == ChargeWhen::AtOnce ? "at_once" : "ready_by"},
              {"ready_by", clockOf(h.useAt_h)},
              {"uses_per_week", h.usesPerWeek},
              {"depth", h.depth},
              {"discharge_c", h.discharge_C},
              {"charge_c", h.charge_C},
              {"parked_C", h.parked_C},
              {"use_C", h.use_C},
              {"charge_temperature_C", h.charging_C},
              {"full_charge_every_weeks", h.fullChargeEveryWeeks}};
    if (h.target_V > 0) j["target_V_per_cell"] = h.target_V;
    if (h.deviceFloor_V > 0) j["device_floor_V_per_cell"] = h.deviceFloor_V;
    j["pauses"] = json::array();
    for (const HabitPause& p : h.pauses)
        j["pauses"].push_back(
            {{"days_per_year", p.daysPerYear}, {"soc", p.soc}, {"temperature_C", p.temperature_C}});
    return j.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

std::vector<Habit> presetHabits(const Chemistry& chemistry) {
    std::vector<Habit> out(3);
    out[0].name = phrase(sentence("As now: full at once after each night"));
    out[0].usesPerWeek = 4, out[0].depth = 0.6, out[0].useAt_h = 20;
    out[0].parked_C = 22, out[0].use_C = 8, out[0].charging_C = 18;
    out[0].discharge_C = 0.15, out[0].charge_C = 0.5;
    out[0].pauses = {{40, 1.0, 22}};
    out[1] = out[0];
    out[1].name = phrase(sentence("Kind: a tenth of a volt less, ready by dusk"));
    out[1].charge = ChargeWhen::ReadyBy;
    out[1].target_V = chemistry.set_V - 0.1;
    out[1].pauses = {{40, 0.5, 15}};
    out[1].fullChargeEveryWeeks = 4;
    out[2] = out[0];
    out[2].name = phrase(sentence("On the shelf: half full in the cool"));
    out[2].usesPerWeek = 0.5;
    out[2].charge = ChargeWhen::ReadyBy;
    out[2].pauses = {{250, 0.5, 12}};
    return out;
}

std::string keptHabits(const std::vector<Habit>& habits) {
    json out = json::array();
    for (const Habit& h : habits) out.push_back(json::parse(writeHabit(h), nullptr, false));
    return out.dump();
}

std::vector<Habit> habitsIn(const std::string& text) {
    std::vector<Habit> out;
    const auto j = json::parse(text, nullptr, false);
    if (!j.is_array()) return out;
    for (const auto& one : j) {
        if (out.size() >= 8) break;
        if (const auto read = readHabit(one.dump(), "bench book")) out.push_back(read->habit);
    }
    return out;
}

std::string habitsSetting(std::int64_t battery) {
    return "habits:" + std::to_string(battery);
}

}  // namespace nk
