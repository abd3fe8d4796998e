#include "notes.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "quantity/phrase.h"

namespace nk {

namespace {

using nlohmann::json;

json number(double x) {
    return std::isfinite(x) ? json(x) : json(nullptr);
}
double real(const json& j, const char* key) {
    return j.contains(key) && j[key].is_number() ? j[key].get<double>() : kNaN;
}

}  // namespace

/// More columns of one kind than any log has; a damaged book must not ask for all memory.
constexpr std::size_t kMostChannels = 100'000;

std::string notesJson(const Imported& imported) {
    const RecordingData& d = imported.recording->data();
    json problems = json::array();
    for (const Problem& p : d.problems)
        problems.push_back({p.line, number(p.time_s), p.kind, p.message});
    json repairs = json::array();
    for (const Repair& r : d.repairs)
        repairs.push_back({r.index, static_cast<int>(r.channel), r.original, r.kind});
    json gaps = json::array();
    for (const Gap& g : d.gaps) gaps.push_back({g.before, g.duration_s, g.restart});
    const json out = {{"problems", problems},
                      {"repairs", repairs},
                      {"gaps", gaps},
                      {"guesses", imported.dialect.guesses},
                      {"step_V", d.textStep_V},
                      {"step_A", d.textStep_A},
                      {"step_C", d.textStep_C},
                      {"cells", d.cells_V.size()},
                      {"temperatures", d.moreTemperatures_C.size()}};
    return out.dump(-1, ' ', false, json::error_handler_t::replace);
}

Expected<void> readNotes(const std::string& text, RecordingData& data,
                         std::vector<std::string>& guesses) {
    try {
        const json j = json::parse(text);
        for (const auto& p : j.at("problems"))
            data.problems.push_back({p.at(0).get<std::int64_t>(),
                                     p.at(1).is_null() ? kNaN : p.at(1).get<double>(),
                                     p.at(2).get<std::string>(), p.at(3).get<std::string>()});
        for (const auto& r : j.at("repairs"))
            data.repairs.push_back({r.at(0).get<std::size_t>(),
                                    static_cast<Channel>(r.at(1).get<int>()), r.at(2).get<double>(),
                                    r.at(3).get<std::string>()});
        for (const auto& g : j.at("gaps"))
            data.gaps.push_back(
                {g.at(0).get<std::size_t>(), g.at(1).get<double>(), g.at(2).get<bool>()});
        guesses = j.value("guesses", std::vector<std::string>());
        data.textStep_V = j.value("step_V", 0.0);
        data.textStep_A = j.value("step_A", 0.0);
        data.textStep_C = j.value("step_C", 0.0);
        const auto count = [&](const char* key) {
            const auto n = j.value(key, std::size_t{0});
            if (n > kMostChannels) throw std::length_error(fmt::format("{} {}", n, key));
            return n;
        };
        data.cells_V.resize(count("cells"));
        data.moreTemperatures_C.resize(count("temperatures"));
    } catch (const std::exception& e) {
        return fail(ErrorKind::Storage,
                    std::string(phrase("The notes of a recording are damaged: ")) + e.what() + ".",
                    phrase("bench book"));
    }
    return {};
}

namespace {
constexpr std::pair<const char*, double RecordingSummary::*> kSummaryFigures[] = {
    {"capacity_Ah", &RecordingSummary::capacity_Ah},
    {"health_percent", &RecordingSummary::health_percent},
    {"rate_C", &RecordingSummary::rate_C},
    {"mean_A", &RecordingSummary::mean_A},
    {"floor_V_per_cell", &RecordingSummary::floor_V_per_cell},
    {"highest_C", &RecordingSummary::highest_C},
    {"resistance_ohm", &RecordingSummary::resistance_ohm},
    {"moved_Ah", &RecordingSummary::moved_Ah},
};
}  // namespace

std::string summaryJson(const RecordingSummary& s) {
    json j = {{"resistance_method", s.resistanceMethod}, {"hazard", s.hazard}};
    for (const auto& [key, figure] : kSummaryFigures) j[key] = number(s.*figure);
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

RecordingSummary readSummary(const std::string& text) {
    RecordingSummary s;
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || !j.is_object()) return s;
    for (const auto& [key, figure] : kSummaryFigures) s.*figure = real(j, key);
    if (j.contains("resistance_method") && j["resistance_method"].is_string())
        s.resistanceMethod = j["resistance_method"].get<std::string>();
    s.hazard = j.contains("hazard") && j["hazard"].is_boolean() && j["hazard"].get<bool>();
    return s;
}

std::string cardJson(const Battery& b) {
    json j = json::object();
    const auto put = [&](const char* key, double x) {
        if (std::isfinite(x) && x != 0) j[key] = x;
    };
    put("label_C", b.label_C);
    if (b.hasAmbient()) j["ambient_C"] = b.ambient_C;
    put("charger_current_A", b.charger.current_A);
    put("charger_cutoff_A", b.charger.cutoff_A);
    put("charger_charge_Ah", b.charger.charge_Ah);
    if (!b.rules.empty()) j["rules"] = b.rules;
    const MakerLimits& m = b.limits();
    const auto maker = [&](const char* key, double x) {
        if (std::isfinite(x)) j["maker"][key] = x;
    };
    maker("set_V", m.set_V);
    maker("discharge_floor_V", m.dischargeFloor_V);
    maker("charge_min_C", m.chargeMin_C);
    maker("charge_max_C", m.chargeMax_C);
    maker("discharge_max_C", m.dischargeMax_C);
    maker("charge_rate_C", m.chargeC);
    if (const OwnCurve& own = b.ownCurve(); !own.empty())
        j["open_circuit"] = {
            {"soc", own.soc}, {"voltage_V", own.voltage_V}, {"uncertainty_V", own.uncertainty_V}};
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

void readCard(const std::string& text, Battery& b) {
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || !j.is_object()) return;
    const auto get = [&](const char* key, double fallback) {
        const double x = real(j, key);
        return std::isfinite(x) ? x : fallback;
    };
    b.label_C = get("label_C", 0);
    b.ambient_C = get("ambient_C", Battery::kUnknown);
    b.charger.current_A = get("charger_current_A", 0);
    b.charger.cutoff_A = get("charger_cutoff_A", 0);
    b.charger.charge_Ah = get("charger_charge_Ah", 0);
    if (j.contains("rules") && j["rules"].is_array())
        for (const auto& rule : j["rules"])
            if (rule.is_string()) b.rules.push_back(rule.get<std::string>());
    if (j.contains("maker") && j["maker"].is_object()) {
        const json& m = j["maker"];
        b.setLimits({real(m, "set_V"), real(m, "discharge_floor_V"), real(m, "charge_min_C"),
                     real(m, "charge_max_C"), real(m, "discharge_max_C"),
                     real(m, "charge_rate_C")});
    }
    if (j.contains("open_circuit") && j["open_circuit"].is_object()) {
        const json& c = j["open_circuit"];
        OwnCurve own;
        const auto column = [&](const char* key, std::vector<double>& into) {
            if (c.contains(key) && c[key].is_array())
                for (const auto& x : c[key])
                    if (x.is_number()) into.push_back(x.get<double>());
        };
        column("soc", own.soc);
        column("voltage_V", own.voltage_V);
        if (const double u = real(c, "uncertainty_V"); std::isfinite(u)) own.uncertainty_V = u;
        // A damaged curve is none: both columns as long, and rising.
        bool rising = own.soc.size() == own.voltage_V.size();
        for (std::size_t k = 1; rising && k < own.soc.size(); ++k)
            rising = own.soc[k] > own.soc[k - 1] && own.voltage_V[k] >= own.voltage_V[k - 1];
        if (rising) b.setOwnCurve(own);
    }
}

std::string spotDetailsJson(const SpotReading& s) {
    return json{{"method", s.method},
                {"temperature_C", number(s.temperature_C)},
                {"current_A", number(s.current_A)},
                {"repeats", s.repeats},
                {"note", s.note}}
        .dump(-1, ' ', false, json::error_handler_t::replace);
}

void readSpotDetails(const std::string& text, SpotReading& s) {
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || !j.is_object()) return;
    s.method = j.value("method", "");
    s.temperature_C = real(j, "temperature_C");
    s.current_A = real(j, "current_A");
    s.note = j.value("note", "");
    if (j.contains("repeats") && j["repeats"].is_array())
        for (const auto& x : j["repeats"])
            if (x.is_number()) s.repeats.push_back(x.get<double>());
}

}  // namespace nk
