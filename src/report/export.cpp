#include "export.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include <cmath>

namespace nk {

namespace {

bool isNumber(const std::string& text) {
    return !text.empty() && text.find_first_not_of("+-0123456789.eE") == std::string::npos &&
           text.find_first_of("0123456789") != std::string::npos;
}

std::string harmless(const std::string& text) {
    const bool formula =
        !text.empty() && std::string_view("=+-@\t\r").find(text.front()) != std::string_view::npos;
    return formula && !isNumber(text) ? "'" + text : text;
}

std::string number(double x) {
    return std::isfinite(x) ? fmt::format("{:.10g}", x) : std::string();
}

}  // namespace

std::string csvCell(const std::string& text) {
    std::string safe = harmless(text);
    if (safe.find_first_of(",\"\n\r;\t") == std::string::npos) return safe;
    std::string out = "\"";
    for (const char c : safe) {
        if (c == '"') out.push_back('"');
        out.push_back(c);
    }
    return out + "\"";
}

std::string tsvRow(const std::vector<std::string>& cells) {
    std::string out;
    for (std::size_t k = 0; k < cells.size(); ++k) {
        if (k > 0) out.push_back('\t');
        for (const char c : harmless(cells[k])) out.push_back(c == '\t' || c == '\n' ? ' ' : c);
    }
    return out + "\n";
}

std::string samplesCsv(const Recording& r) {
    std::string out = "time_s,voltage_V,current_A";
    if (r.hasTemperature()) out += ",temperature_C";
    for (std::size_t n = 0; n < r.cells_V().size(); ++n) out += fmt::format(",cell_{}_V", n + 1);
    out += "\n";
    for (std::size_t k = 0; k < r.size(); ++k) {
        out +=
            number(r.time_s()[k]) + "," + number(r.voltage_V()[k]) + "," + number(r.current_A()[k]);
        if (r.hasTemperature()) out += "," + number(r.temperature_C()[k]);
        for (const auto& cell : r.cells_V()) out += "," + number(cell[k]);
        out.push_back('\n');
    }
    return out;
}

std::string stepsCsv(const Analysis& a) {
    std::string out =
        "step,kind,start_s,end_s,charge_Ah,energy_Wh,start_voltage_V,end_voltage_V,mean_current_A,"
        "end_current_A,max_temperature_C,ended_by\n";
    for (std::size_t k = 0; k < a.steps.list.size(); ++k) {
        const Step& s = a.steps.list[k];
        out += fmt::format("{},{},{},{},{},{},{},{},{},{},{},{}\n", k, toString(s.kind),
                           number(s.start_s), number(s.end_s), number(s.sum.charge_Ah),
                           number(s.sum.energy_Wh), number(s.startVoltage_V),
                           number(s.endVoltage_V), number(s.meanCurrent_A), number(s.endCurrent_A),
                           number(s.maxTemperature_C), toString(s.endedBy));
    }
    return out;
}

std::string readingsCsv(const Analysis& a) {
    std::string out =
        "reading,step,value,unit,standard_uncertainty,method,from_s,to_s,caveats,interval_95_low,"
        "interval_95_high\n";
    for (const Reading& r : a.readings) {
        std::string caveats;
        for (const std::string& c : r.caveats) caveats += (caveats.empty() ? "" : " ") + c;
        out += fmt::format("{},{},{},{},{},{},{},{},{},{},{}\n", r.name,
                           r.evidence.step >= 0 ? std::to_string(r.evidence.step) : "",
                           number(r.value), r.unit,
                           r.measurable() ? number(r.uncertainty) : std::string(), r.method,
                           number(r.evidence.from_s), number(r.evidence.to_s), csvCell(caveats),
                           number(r.value - r.expanded()), number(r.value + r.expanded()));
    }
    return out;
}

namespace {

using Json = nlohmann::ordered_json;

Json orNull(double x) {
    return std::isfinite(x) ? Json(x) : Json(nullptr);
}

}  // namespace

std::string samplesJson(const Recording& r) {
    Json columns;
    const auto column = [&](const std::string& name, std::span<const double> values) {
        Json& out = columns[name] = Json::array();
        for (const double x : values) out.push_back(orNull(x));
    };
    column("time_s", r.time_s());
    column("voltage_V", r.voltage_V());
    column("current_A", r.current_A());
    if (r.hasTemperature()) column("temperature_C", r.temperature_C());
    for (std::size_t n = 0; n < r.cells_V().size(); ++n)
        column(fmt::format("cell_{}_V", n + 1), r.cells_V()[n]);
    const Json json = {{"schema", "narrow-knee/samples/1"}, {"columns", columns}};
    return json.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace nk
