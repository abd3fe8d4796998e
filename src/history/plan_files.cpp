#include "plan_files.h"

#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "formats/bytes.h"
#include "quantity/harmless.h"
#include "quantity/number.h"
#include "quantity/phrase.h"
#include "quantity/reading.h"

namespace nk {

namespace {

using nlohmann::json;

struct ChargerReader {
    const std::string& where;
    std::optional<Error> problem;

    void wrong(const ChargerCard& c, const char* field, const std::string& accepted) {
        if (!problem)
            problem = Error{ErrorKind::InvalidArgument,
                            phrase("{}: the field {} cannot be understood.", c.name, field), where,
                            accepted};
    }
    void number(const json& j, const ChargerCard& c, const char* field, double& into,
                double least) {
        const auto it = j.find(field);
        if (it == j.end() || it->is_null()) return;
        if (!it->is_number() || !std::isfinite(it->get<double>()) || it->get<double>() < least ||
            it->get<double>() > 1e6)
            return wrong(c, field, phrase("a number from {} on.", least));
        into = it->get<double>();
    }
    ChargerCard one(const json& j, std::size_t index) {
        ChargerCard c;
        c.name = phrase("charger {}", index + 1);
        if (const auto it = j.find("name"); it != j.end() && it->is_string())
            c.name = harmless(it->get<std::string>(), 80);
        double channels = 1;
        number(j, c, "channels", channels, 1);
        if (channels > 64 || channels != std::floor(channels))
            wrong(c, "channels", phrase("a whole number from 1 to 64."));
        c.channels = static_cast<int>(std::min(channels, 64.0));
        number(j, c, "max_charge_A", c.maxCharge_A, 0.001);
        number(j, c, "max_discharge_A", c.maxDischarge_A, 0);
        number(j, c, "max_charge_W", c.maxCharge_W, 0.01);
        number(j, c, "max_discharge_W", c.maxDischarge_W, 0);
        number(j, c, "current_step_A", c.currentStep_A, 0);
        number(j, c, "capacity_step_mAh", c.capacityStep_mAh, 0);
        number(j, c, "set_voltage_step_V", c.setVoltageStep_V, 0);
        number(j, c, "max_timer_min", c.maxTimer_min, 1);
        if (const auto it = j.find("balances"); it != j.end() && !it->is_null()) {
            if (it->is_boolean())
                c.balances = it->get<bool>();
            else
                wrong(c, "balances", "true, false");
        }
        if (const auto it = j.find("cells"); it != j.end() && !it->is_null()) {
            const bool pair = it->is_array() && it->size() == 2 && (*it)[0].is_number_integer() &&
                              (*it)[1].is_number_integer() && (*it)[0].get<std::int64_t>() >= 1 &&
                              (*it)[1].get<std::int64_t>() >= (*it)[0].get<std::int64_t>() &&
                              (*it)[1].get<std::int64_t>() <= 1000;
            if (pair) {
                c.cellsMin = (*it)[0].get<int>();
                c.cellsMax = (*it)[1].get<int>();
            } else {
                wrong(c, "cells", "[1, 15]");
            }
        }
        if (const auto it = j.find("chemistries"); it != j.end() && !it->is_null()) {
            if (!it->is_array() || it->size() > 50) {
                wrong(c, "chemistries", phrase("a list of chemistries."));
            } else {
                for (const json& id : *it) {
                    const auto known = id.is_string() ? findChemistry(id.get<std::string>())
                                                      : findChemistry(std::string());
                    if (!known) {
                        wrong(c, "chemistries", known.error().accepted);
                        break;
                    }
                    c.chemistries.push_back((*known)->id);
                }
            }
        }
        if (const auto it = j.find("cutoffs"); it != j.end() && !it->is_null()) {
            if (!it->is_array() || it->size() > 50) {
                wrong(c, "cutoffs", "[\"C/10\", \"C/20\"]");
            } else {
                for (const json& cut : *it) {
                    double value = 0;
                    std::size_t used = 0;
                    const std::string text = cut.is_string() ? cut.get<std::string>() : "";
                    if (text.starts_with("C/") &&
                        parseNumberPrefix(std::string_view(text).substr(2), '.', value, used) &&
                        used + 2 == text.size() && value >= 1 && value <= 1000)
                        c.cutoffs.push_back(value);
                    else
                        wrong(c, "cutoffs", "[\"C/10\", \"C/20\"]");
                }
            }
        }
        return c;
    }
};

/// A named column of numbers; `fallback` where it is missing or blank.
Expected<std::vector<double>> columnOf(const PlainTable& t,
                                       std::initializer_list<const char*> names, double fallback,
                                       bool needed) {
    const int k = t.column(names);
    if (k < 0 && needed)
        return fail(ErrorKind::ColumnsUnknown,
                    phrase("The table has no column {}.", *names.begin()), t.where,
                    phrase("a title {}.", *names.begin()));
    std::vector<double> out(t.rows.size(), fallback);
    if (k < 0) return out;
    for (std::size_t row = 0; row < t.rows.size(); ++row) {
        const auto x = t.number(row, k);
        if (!x) return tl::unexpected<Error>(x.error());
        if (std::isfinite(*x))
            out[row] = *x;
        else if (needed)
            return tl::unexpected<Error>(
                t.at(row, k, phrase("This cell is blank."), phrase("a number.")));
    }
    return out;
}

Expected<std::vector<std::string>> textsOf(const PlainTable& t,
                                           std::initializer_list<const char*> names) {
    const int k = t.column(names);
    if (k < 0)
        return fail(ErrorKind::ColumnsUnknown,
                    phrase("The table has no column {}.", *names.begin()), t.where,
                    phrase("a title {}.", *names.begin()));
    std::vector<std::string> out;
    for (std::size_t row = 0; row < t.rows.size(); ++row) {
        out.push_back(harmless(t.rows[row][static_cast<std::size_t>(k)], 80));
        if (out.back().empty())
            return tl::unexpected<Error>(
                t.at(row, k, phrase("This cell is blank."), phrase("a word.")));
    }
    return out;
}

Expected<std::vector<std::string>> chemistriesOf(const PlainTable& t) {
    auto out = textsOf(t, {"chemistry", "chemie", "type"});
    if (!out) return out;
    const int k = t.column({"chemistry", "chemie", "type"});
    for (std::size_t row = 0; row < out->size(); ++row) {
        std::string& id = (*out)[row];
        for (char& c : id)
            if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
        if (const auto known = findChemistry(id); !known)
            return tl::unexpected<Error>(t.at(row, k, known.error().what, known.error().accepted));
    }
    return out;
}

Expected<void> unique(const PlainTable& t, const std::vector<std::string>& names) {
    std::set<std::string> seen;
    for (std::size_t row = 0; row < names.size(); ++row)
        if (!seen.insert(names[row]).second)
            return tl::unexpected<Error>(t.at(row, t.column({"name", "module", "pack", "id"}),
                                              phrase("{} stands twice.", names[row]),
                                              phrase("a name of its own for each.")));
    if (names.empty())
        return fail(ErrorKind::InvalidArgument, phrase("The table has no rows."), t.where,
                    phrase("one a row."));
    return {};
}

/// Whole numbers from 1 on in a column that was read.
Expected<int> countIn(const PlainTable& t, std::size_t row, double value) {
    if (value >= 1 && value <= 400 && value == std::floor(value)) return static_cast<int>(value);
    return tl::unexpected<Error>(t.at(row, t.column({"series", "cells", "s"}),
                                      phrase("This is no series count: {:.4g}", value),
                                      phrase("a whole number from 1 to 400.")));
}

}  // namespace

Expected<std::vector<ChargerCard>> readChargers(std::string_view text, const std::string& where) {
    if (text.size() > 4'000'000)
        return fail(ErrorKind::InvalidArgument, phrase("This file is too large for chargers."),
                    where, phrase("at most 4 MB."));
    const json j = json::parse(text, nullptr, false, true);
    if (j.is_discarded() || !j.is_object())
        return fail(ErrorKind::InvalidArgument, phrase("This is no JSON object."), where,
                    "{\"schema\": \"narrow-knee/chargers/1\", \"chargers\": […]}");
    const auto schema = j.find("schema");
    const auto list = j.find("chargers");
    if (schema == j.end() || !schema->is_string() ||
        schema->get<std::string>() != "narrow-knee/chargers/1" || list == j.end() ||
        !list->is_array() || list->empty() || list->size() > 500)
        return fail(ErrorKind::InvalidArgument, phrase("This file holds no chargers."), where,
                    "{\"schema\": \"narrow-knee/chargers/1\", \"chargers\": […]}");
    ChargerReader r{where, {}};
    std::vector<ChargerCard> out;
    std::set<std::string> names;
    for (std::size_t k = 0; k < list->size(); ++k) {
        if (!(*list)[k].is_object())
            return fail(ErrorKind::InvalidArgument, phrase("Charger {} is no object.", k + 1),
                        where);
        out.push_back(r.one((*list)[k], k));
        if (r.problem) return tl::unexpected<Error>(*r.problem);
        if (!names.insert(out.back().name).second)
            return fail(ErrorKind::InvalidArgument, phrase("{} stands twice.", out.back().name),
                        where, phrase("a name of its own for each."));
    }
    return out;
}

Expected<ChargerCard> chargerOf(const std::string& fileAndName) {
    std::string file = fileAndName;
    std::string name;
    auto bytes = readFile(file);
    if (!bytes) {
        const auto colon = fileAndName.rfind(':');
        if (colon == std::string::npos) return tl::unexpected<Error>(bytes.error());
        file = fileAndName.substr(0, colon);
        name = fileAndName.substr(colon + 1);
        bytes = readFile(file);
        if (!bytes) return tl::unexpected<Error>(bytes.error());
    }
    auto all = readChargers(*bytes, file);
    if (!all) return tl::unexpected<Error>(all.error());
    std::string list;
    for (const ChargerCard& c : *all) {
        if (c.name == name) return c;
        list += (list.empty() ? "" : ", ") + c.name;
    }
    if (name.empty() && all->size() == 1) return all->front();
    return fail(ErrorKind::NotFound,
                name.empty() ? phrase("This file holds several chargers.")
                             : phrase("There is no charger {} in this file.", name),
                file, phrase("FILE:NAME with one of {}.", list));
}

std::string writeChargers(const std::vector<ChargerCard>& chargers) {
    json list = json::array();
    for (const ChargerCard& c : chargers) {
        json j = {{"name", c.name}, {"channels", c.channels}, {"cells", {c.cellsMin, c.cellsMax}}};
        const auto figure = [&](const char* field, double value, double none) {
            if (std::isfinite(value) && value != none) j[field] = value;
        };
        figure("max_charge_A", c.maxCharge_A, -1);
        figure("max_discharge_A", c.maxDischarge_A, -1);
        figure("max_charge_W", c.maxCharge_W, -1);
        figure("max_discharge_W", c.maxDischarge_W, -1);
        figure("current_step_A", c.currentStep_A, 0);
        figure("capacity_step_mAh", c.capacityStep_mAh, 0);
        figure("set_voltage_step_V", c.setVoltageStep_V, 0);
        figure("max_timer_min", c.maxTimer_min, -1);
        if (c.balances) j["balances"] = true;
        if (!c.chemistries.empty()) j["chemistries"] = c.chemistries;
        for (const double d : c.cutoffs) j["cutoffs"].push_back(fmt::format("C/{:g}", d));
        list.push_back(j);
    }
    return json{{"schema", "narrow-knee/chargers/1"}, {"chargers", list}}.dump(
               2, ' ', false, json::error_handler_t::replace) +
           "\n";
}

Expected<std::vector<QueueModule>> readQueueModules(const PlainTable& t) {
    const auto names = textsOf(t, {"name", "module", "id"});
    if (!names) return tl::unexpected<Error>(names.error());
    if (auto ok = unique(t, *names); !ok) return tl::unexpected<Error>(ok.error());
    const auto chemistries = chemistriesOf(t);
    if (!chemistries) return tl::unexpected<Error>(chemistries.error());
    const auto series = columnOf(t, {"series", "cells", "s"}, 0, true);
    const auto rated = columnOf(t, {"rated_ah", "rated"}, 0, true);
    const auto capacity = columnOf(t, {"capacity_ah", "capacity"}, 0, false);
    const auto charge = columnOf(t, {"charge_a"}, 0, false);
    const auto discharge = columnOf(t, {"discharge_a"}, 0, false);
    const auto floor = columnOf(t, {"floor_v_per_cell", "floor_v"}, 0, false);
    const auto rested = columnOf(t, {"rested_v"}, 0, false);
    const auto ambient = columnOf(t, {"ambient_c"}, 20, false);
    for (const auto* c :
         {&series, &rated, &capacity, &charge, &discharge, &floor, &rested, &ambient})
        if (!*c) return tl::unexpected<Error>(c->error());
    std::vector<QueueModule> out;
    for (std::size_t row = 0; row < names->size(); ++row) {
        QueueModule m;
        m.name = (*names)[row];
        m.chemistry = (*chemistries)[row];
        const auto count = countIn(t, row, (*series)[row]);
        if (!count) return tl::unexpected<Error>(count.error());
        m.series = *count;
        m.rated_Ah = (*rated)[row];
        m.capacity_Ah = (*capacity)[row];
        m.charge_A = (*charge)[row];
        m.discharge_A = (*discharge)[row];
        m.floor_V = (*floor)[row];
        m.rested_V = (*rested)[row];
        m.ambient_C = (*ambient)[row];
        if (!(m.rated_Ah > 0))
            return tl::unexpected<Error>(t.at(row, t.column({"rated_ah", "rated"}),
                                              phrase("The rating is not above 0."),
                                              phrase("ampere-hours.")));
        out.push_back(std::move(m));
    }
    return out;
}

Expected<std::vector<JoinPack>> readJoinPacks(const PlainTable& t) {
    const auto names = textsOf(t, {"name", "pack", "id"});
    if (!names) return tl::unexpected<Error>(names.error());
    if (auto ok = unique(t, *names); !ok) return tl::unexpected<Error>(ok.error());
    const auto chemistries = chemistriesOf(t);
    if (!chemistries) return tl::unexpected<Error>(chemistries.error());
    const auto series = columnOf(t, {"series", "cells", "s"}, 0, true);
    const auto voltage = columnOf(t, {"voltage_v", "voltage", "rested_v"}, 0, true);
    const auto ambient = columnOf(t, {"ambient_c"}, 20, false);
    const auto capacity = columnOf(t, {"capacity_ah"}, 0, false);
    const auto rated = columnOf(t, {"rated_ah", "rated", "capacity_ah"}, 0, true);
    const auto ohms = columnOf(t, {"resistance_ohm", "resistance"}, 0, false);
    const auto limit = columnOf(t, {"charge_limit_c"}, 1, false);
    const auto soc = columnOf(t, {"soc"}, kNaN, false);
    for (const auto* c : {&series, &voltage, &rated, &ohms, &limit, &soc, &ambient, &capacity})
        if (!*c) return tl::unexpected<Error>(c->error());
    std::vector<JoinPack> out;
    for (std::size_t row = 0; row < names->size(); ++row) {
        JoinPack p;
        p.name = (*names)[row];
        p.chemistry = (*chemistries)[row];
        const auto count = countIn(t, row, (*series)[row]);
        if (!count) return tl::unexpected<Error>(count.error());
        p.series = *count;
        p.voltage_V = (*voltage)[row];
        p.rated_Ah = (*rated)[row];
        p.resistance_ohm = (*ohms)[row];
        p.chargeLimit_C = (*limit)[row];
        p.ambient_C = (*ambient)[row];
        if ((*capacity)[row] != p.rated_Ah) p.capacity_Ah = (*capacity)[row];
        p.soc = (*soc)[row] > 1.5 ? (*soc)[row] / 100 : (*soc)[row];
        out.push_back(std::move(p));
    }
    return out;
}

Expected<Presence> readPresence(const std::string& text) {
    const auto minutes = [](std::string_view part) {
        if (part.size() != 5 || part[2] != ':') return -1;
        for (const std::size_t k : {0U, 1U, 3U, 4U})
            if (part[k] < '0' || part[k] > '9') return -1;
        const int h = (part[0] - '0') * 10 + part[1] - '0';
        const int m = (part[3] - '0') * 10 + part[4] - '0';
        return h <= 24 && m <= 59 && h * 60 + m <= 1440 ? h * 60 + m : -1;
    };
    Presence out;
    if (text.size() == 11 && text[5] == '-') {
        out.from_min = minutes(std::string_view(text).substr(0, 5));
        out.to_min = minutes(std::string_view(text).substr(6));
        if (out.from_min >= 0 && out.to_min >= 0 && out.from_min != out.to_min) return out;
    }
    return fail(ErrorKind::InvalidArgument,
                phrase("These are no hours in which somebody is there: {}", text), "--present",
                "07:00-22:30");
}

Expected<double> readMinutes(const std::string& text) {
    double value = 0;
    std::size_t used = 0;
    if (parseNumberPrefix(text, '.', value, used) && value >= 0) {
        const std::string unit = text.substr(used);
        if (unit.empty() || unit == "min" || unit == "m") return value;
        if (unit == "h") return 60 * value;
        if (unit == "s") return value / 60;
    }
    return fail(ErrorKind::InvalidArgument, phrase("This is no time: {}", text), {}, "20min, 1h");
}

}  // namespace nk
