#include "notes.h"

#include <cmath>
#include <nlohmann/json.hpp>

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
        data.cells_V.resize(j.value("cells", std::size_t{0}));
        data.moreTemperatures_C.resize(j.value("temperatures", std::size_t{0}));
    } catch (const std::exception& e) {
        return fail(ErrorKind::Storage,
                    std::string("The notes of a recording are damaged: ") + e.what() + ".",
                    "bench book");
    }
    return {};
}

std::string summaryJson(const RecordingSummary& s) {
    return json{{"capacity_Ah", number(s.capacity_Ah)},
                {"health_percent", number(s.health_percent)},
                {"conditions", s.conditions},
                {"hazard", s.hazard},
                {"version", s.version}}
        .dump(-1, ' ', false, json::error_handler_t::replace);
}

RecordingSummary readSummary(const std::string& text) {
    RecordingSummary s;
    const json j = json::parse(text, nullptr, false);
    if (j.is_discarded() || !j.is_object()) return s;
    s.capacity_Ah = real(j, "capacity_Ah");
    s.health_percent = real(j, "health_percent");
    s.conditions = j.value("conditions", "");
    s.hazard = j.value("hazard", false);
    s.version = j.value("version", 0);
    return s;
}

}  // namespace nk
