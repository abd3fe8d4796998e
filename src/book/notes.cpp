#include "notes.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "quantity/json_whole.h"
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
    // In English for whoever looks at the book, and written down for every language.
    const auto english = [](const std::string& told, const std::string& words) {
        const Presenting plain({});
        return told.empty() ? words : retold(told);
    };
    for (const Problem& p : d.problems) {
        json entry = {p.line, number(p.time_s), p.kind, english(p.told, p.message)};
        if (!p.told.empty()) entry.push_back(p.told);
        problems.push_back(std::move(entry));
    }
    const Dialect& dialect = imported.dialect;
    json guesses = json::array();
    for (std::size_t k = 0; k < dialect.guesses.size(); ++k)
        guesses.push_back(english(k < dialect.guessesTold.size() ? dialect.guessesTold[k] : "",
                                  dialect.guesses[k]));
    json repairs = json::array();
    for (const Repair& r : d.repairs)
        repairs.push_back({r.index, static_cast<int>(r.channel), r.original, r.kind});
    json gaps = json::array();
    for (const Gap& g : d.gaps) gaps.push_back({g.before, g.duration_s, g.restart});
    const json out = {{"problems", problems},
                      {"repairs", repairs},
                      {"gaps", gaps},
                      {"guesses", guesses},
                      {"guesses_told", dialect.guessesTold},
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
            data.problems.push_back(
                {wholeOf<std::int64_t>(p.at(0)), p.at(1).is_null() ? kNaN : p.at(1).get<double>(),
                 p.at(2).get<std::string>(), p.at(p.size() > 4 ? 4 : 3).get<std::string>()});
        for (const auto& r : j.at("repairs"))
            data.repairs.push_back({wholeOf<std::size_t>(r.at(0)),
                                    static_cast<Channel>(wholeOf<int>(r.at(1))),
                                    r.at(2).get<double>(), r.at(3).get<std::string>()});
        for (const auto& g : j.at("gaps"))
            data.gaps.push_back(
                {wholeOf<std::size_t>(g.at(0)), g.at(1).get<double>(), g.at(2).get<bool>()});
        guesses = j.value("guesses", std::vector<std::string>());
        const auto told = j.value("guesses_told", std::vector<std::string>());
        if (told.size() == guesses.size())
            for (std::size_t k = 0; k < told.size(); ++k) guesses[k] = retold(told[k]);
        data.textStep_V = j.value("step_V", 0.0);
        data.textStep_A = j.value("step_A", 0.0);
        data.textStep_C = j.value("step_C", 0.0);
        const auto count = [&](const char* key) {
            const auto n = wholeIn(j, key, std::size_t{0});
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
    maker("balancer_from_V", m.balancerFrom_V);
    if (const OwnCurve& own = b.ownCurve(); !own.empty())
        j["open_circuit"] = {
            {"soc", own.soc}, {"voltage_V", own.voltage_V}, {"uncertainty_V", own.uncertainty_V}};
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

namespace {

/// A damaged curve is none: both columns as long, rising, and of a cell.
bool isCurve(const OwnCurve& own) {
    if (own.soc.size() != own.voltage_V.size()) return false;
    for (std::size_t k = 0; k < own.soc.size(); ++k) {
        const bool cell =
            own.soc[k] >= 0 && own.soc[k] <= 1 && own.voltage_V[k] > 0.3 && own.voltage_V[k] < 6;
        const bool rising =
            k == 0 || (own.soc[k] > own.soc[k - 1] && own.voltage_V[k] >= own.voltage_V[k - 1]);
        if (!cell || !rising) return false;
    }
    return true;
}

/// The text of a member; empty when it is none.
std::string wordsIn(const json& j, const char* key) {
    const auto at = j.find(key);
    return at != j.end() && at->is_string() ? at->get<std::string>() : std::string();
}

}  // namespace

void readCard(const std::string& text, Battery& b) {
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || !j.is_object()) return;
    const auto get = [&](const char* key, double fallback) {
        const double x = real(j, key);
        return std::isfinite(x) ? x : fallback;
    };
    // A card of another hand: what no battery has counts as not given.
    const auto within = [&](const char* key, double low, double high, double otherwise) {
        const double x = get(key, otherwise);
        return x >= low && x <= high ? x : otherwise;
    };
    constexpr double kMost = 1e5;
    b.label_C = within("label_C", 0, 1000, 0);
    b.ambient_C = within("ambient_C", -60, 100, Battery::kUnknown);
    b.charger.current_A = within("charger_current_A", 0, kMost, 0);
    b.charger.cutoff_A = within("charger_cutoff_A", 0, kMost, 0);
    b.charger.charge_Ah = within("charger_charge_Ah", 0, kMost, 0);
    constexpr std::size_t kMostRules = 100;
    if (j.contains("rules") && j["rules"].is_array())
        for (const auto& rule : j["rules"])
            if (rule.is_string() && b.rules.size() < kMostRules)
                b.rules.push_back(rule.get<std::string>());
    if (j.contains("maker") && j["maker"].is_object()) {
        const json& m = j["maker"];
        b.setLimits({real(m, "set_V"), real(m, "discharge_floor_V"), real(m, "charge_min_C"),
                     real(m, "charge_max_C"), real(m, "discharge_max_C"), real(m, "charge_rate_C"),
                     real(m, "balancer_from_V")});
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
        if (const double u = real(c, "uncertainty_V"); u > 0 && u < 0.5) own.uncertainty_V = u;
        if (isCurve(own)) b.setOwnCurve(own);
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
    s.method = wordsIn(j, "method");
    s.temperature_C = real(j, "temperature_C");
    s.current_A = real(j, "current_A");
    s.note = wordsIn(j, "note");
    if (j.contains("repeats") && j["repeats"].is_array())
        for (const auto& x : j["repeats"])
            if (x.is_number() && std::isfinite(x.get<double>()))
                s.repeats.push_back(x.get<double>());
}

}  // namespace nk
