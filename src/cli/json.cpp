#include "json.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "analysis/finish/taper.h"
#include "json_figures.h"

namespace nk {

namespace {

using Json = nlohmann::ordered_json;

/// An object written member by member, indented by two as the whole would be.
class Text {
  public:
    void member(const char* name, const Json& value) { key(name) += indented(value, 2); }
    void open(const char* name) {
        key(name) += '[';
        items_ = 0;
    }
    void item(const Json& value) {
        text_ += items_++ == 0 ? "\n    " : ",\n    ";
        text_ += indented(value, 4);
    }
    /// The same as an item, written straight: there may be hundreds of thousands of them.
    void reading(const Reading& r) {
        text_ += items_++ == 0 ? "\n    {" : ",\n    {";
        const Json range = interval(r.value, r.expanded());
        field("name", quoted(r.name), true);
        field("step", r.evidence.step >= 0 ? std::to_string(r.evidence.step) : "null");
        field("value", number(r.value).dump());
        field("unit", quoted(r.unit));
        field("uncertainty", r.measurable() ? number(r.uncertainty).dump() : "null");
        field("interval_95", range.is_null() ? "null" : indented(range, 6));
        field("method", quoted(r.method));
        field("from_s", number(r.evidence.from_s).dump());
        field("to_s", number(r.evidence.to_s).dump());
        text_ += ",\n      \"caveats\": [";
        for (std::size_t k = 0; k < r.caveats.size(); ++k) {
            text_ += k == 0 ? "\n        " : ",\n        ";
            text_ += quoted(r.caveats[k]);
        }
        text_ += r.caveats.empty() ? "]\n    }" : "\n      ]\n    }";
    }
    void close() { text_ += items_ == 0 ? "]" : "\n  ]"; }
    std::string done() {
        text_ += "\n}\n";
        return std::move(text_);
    }

  private:
    std::string& key(const char* name) {
        text_ += members_++ == 0 ? "{\n  " : ",\n  ";
        text_ += Json(name).dump();
        return text_ += ": ";
    }
    void field(const char* name, const std::string& value, bool first = false) {
        text_ += first ? "\n      \"" : ",\n      \"";
        text_ += name;
        text_ += "\": ";
        text_ += value;
    }
    static std::string quoted(const std::string& text) {
        const auto plain = [](char c) { return c >= ' ' && c <= '~' && c != '"' && c != '\\'; };
        if (std::all_of(text.begin(), text.end(), plain)) return '"' + text + '"';
        return Json(text).dump(-1, ' ', false, Json::error_handler_t::replace);
    }
    static std::string indented(const Json& value, std::size_t by) {
        const std::string flat = value.dump(2, ' ', false, Json::error_handler_t::replace);
        std::string out;
        out.reserve(flat.size() + flat.size() / 4);
        for (const char c : flat) {
            out += c;
            if (c == '\n') out.append(by, ' ');
        }
        return out;
    }
    std::string text_;
    std::size_t members_ = 0;
    std::size_t items_ = 0;
};

Json textOrNull(const std::string& text) {
    return text.empty() ? Json(nullptr) : Json(text);
}

/// Bytes that are no UTF-8 (file names, odd headers) must not end the program.
std::string safe(const std::string& text) {
    return Json::parse(Json(text).dump(-1, ' ', false, Json::error_handler_t::replace))
        .get<std::string>();
}

Json sourceJson(const Imported& log, const std::string& file, const std::string& sha256) {
    const Dialect& d = log.dialect;
    Json cells = Json::array();
    Json temperatures = Json::array();
    Json columns = {
        {"time", nullptr}, {"voltage", nullptr}, {"current", nullptr}, {"temperature", nullptr}};
    for (const Column& c : d.columns) {
        if (c.role == Role::Cell) cells.push_back(safe(c.title));
        if (c.role == Role::Temperature) temperatures.push_back(safe(c.title));
        const std::string role = toString(c.role);
        if (columns.contains(role) && columns[role].is_null()) columns[role] = safe(c.title);
    }
    columns["cells"] = cells;
    if (temperatures.size() > 1) columns["temperatures"] = temperatures;
    Json problems = Json::array();
    for (const Problem& p : log.recording->problems())
        problems.push_back({{"line", p.line},
                            {"time_s", number(p.time_s)},
                            {"kind", p.kind},
                            {"message", safe(p.message)}});
    Json guesses = Json::array();
    for (const std::string& g : d.guesses) guesses.push_back(safe(g));
    const std::string delimiter = d.delimiter == '\t' ? "\t" : std::string(1, d.delimiter);
    return {{"file", safe(file)},
            {"sha256", textOrNull(sha256)},
            {"rows_read", log.rowsRead},
            {"rows_skipped", log.rowsSkipped},
            {"dialect",
             {{"delimiter", delimiter},
              {"decimal", std::string(1, d.decimal)},
              {"encoding", d.encoding},
              {"header_line", d.headerLine},
              {"sign", d.sign == SignConvention::DischargePositive ? "discharge-positive"
                                                                   : "charge-positive"},
              {"unsigned_current", d.unsignedCurrent},
              {"guesses", guesses}}},
            {"columns", columns},
            {"problems", problems}};
}

Json stepJson(const Step& s, std::size_t index) {
    return {{"index", index},
            {"kind", toString(s.kind)},
            {"start_s", number(s.start_s)},
            {"end_s", number(s.end_s)},
            {"charge_Ah", number(s.sum.charge_Ah)},
            {"energy_Wh", number(s.sum.energy_Wh)},
            {"start_voltage_V", number(s.startVoltage_V)},
            {"end_voltage_V", number(s.endVoltage_V)},
            {"mean_current_A", number(s.meanCurrent_A)},
            {"end_current_A", number(s.endCurrent_A)},
            {"max_temperature_C", number(s.maxTemperature_C)},
            {"ended_by", toString(s.endedBy)}};
}

}  // namespace

std::string analysisJson(const Imported& log, const Analysis& analysis,
                         const InstrumentAccuracy& accuracy, const std::string& file,
                         const std::string& sha256) {
    const Battery& b = analysis.battery;
    Json battery = {{"chemistry", textOrNull(b.chemistry)},
                    {"series", b.series > 0 ? Json(b.series) : Json(nullptr)},
                    {"parallel", b.parallel},
                    {"rated_Ah", b.rated_Ah > 0 ? Json(b.rated_Ah) : Json(nullptr)},
                    {"assumed", b.assumed}};
    // Piece by piece: a log of a hundred thousand steps must not stand in memory three times.
    Text out;
    out.member("schema", "narrow-knee/analysis/1");
    out.member("source", sourceJson(log, file, sha256));
    out.member("battery", battery);
    out.open("steps");
    for (std::size_t k = 0; k < analysis.steps.list.size(); ++k)
        out.item(stepJson(analysis.steps.list[k], k));
    out.close();
    out.open("readings");
    for (const Reading& r : analysis.readings) out.reading(r);
    out.close();
    const AnalysisInput input{*log.recording, analysis.steps, b, accuracy, analysis.memo};
    out.open("cutoffs");
    for (std::size_t k = 0; k < analysis.steps.list.size(); ++k) {
        if (analysis.steps.list[k].kind != StepKind::CvCharge) continue;
        for (const CutoffRow& row : cutoffTable(input, static_cast<int>(k)))
            out.item({{"step", k},
                      {"rate", "C/" + std::to_string(row.denominator)},
                      {"current_A", number(row.current_A)},
                      {"time_s", number(row.time_s)},
                      {"charge_Ah", number(row.charge_Ah)},
                      {"uncertainty_Ah", number(row.uncertainty_Ah)},
                      {"interval_95", interval(row.charge_Ah, 2 * row.uncertainty_Ah)},
                      {"extrapolated", row.extrapolated}});
    }
    out.close();
    out.open("findings");
    for (const Finding& f : analysis.findings)
        out.item({{"severity", toString(f.severity)},
                  {"code", f.code},
                  {"text", f.text},
                  {"advice", f.advice},
                  {"from_s", number(f.evidence.from_s)},
                  {"to_s", number(f.evidence.to_s)}});
    out.close();
    return out.done();
}

}  // namespace nk
