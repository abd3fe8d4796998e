#include "analysis_json.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "analysis/finish/taper.h"
#include "json_figures.h"
#include "json_writer.h"

namespace nk {

namespace {

using Json = nlohmann::ordered_json;

Json textOrNull(const std::string& text) {
    return text.empty() ? Json(nullptr) : Json(text);
}

/// Bytes that are no UTF-8 (file names, odd headers) must not end the program.
std::string safe(const std::string& text) {
    return Json::parse(Json(text).dump(-1, ' ', false, Json::error_handler_t::replace))
        .get<std::string>();
}

Json problemsJson(const Recording& recording) {
    Json problems = Json::array();
    for (const Problem& p : recording.problems())
        problems.push_back({{"line", p.line},
                            {"time_s", number(p.time_s)},
                            {"kind", p.kind},
                            {"message", safe(p.message)}});
    return problems;
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
            {"problems", problemsJson(*log.recording)}};
}

void writeStep(JsonWriter& out, const Step& s, std::size_t index) {
    out.beginLine();
    out.key("index").whole(static_cast<std::int64_t>(index));
    out.key("kind").text(toString(s.kind));
    out.key("start_s").number(s.start_s);
    out.key("end_s").number(s.end_s);
    out.key("charge_Ah").number(s.sum.charge_Ah);
    out.key("energy_Wh").number(s.sum.energy_Wh);
    out.key("start_voltage_V").number(s.startVoltage_V);
    out.key("end_voltage_V").number(s.endVoltage_V);
    out.key("mean_current_A").number(s.meanCurrent_A);
    out.key("end_current_A").number(s.endCurrent_A);
    out.key("max_temperature_C").number(s.maxTemperature_C);
    out.key("ended_by").text(toString(s.endedBy));
    out.endObject();
}

void writeReading(JsonWriter& out, const Reading& r) {
    out.beginLine();
    out.key("name").text(r.name);
    out.key("step");
    if (r.evidence.step >= 0)
        out.whole(r.evidence.step);
    else
        out.null();
    out.key("value").number(r.value);
    out.key("unit").text(r.unit);
    out.key("uncertainty").number(r.measurable() ? r.uncertainty : kNaN);
    out.key("interval_95").interval(r.value - r.expanded(), r.value + r.expanded());
    out.key("method").text(r.method);
    out.key("from_s").number(r.evidence.from_s);
    out.key("to_s").number(r.evidence.to_s);
    out.key("caveats").texts(r.caveats);
    out.endObject();
}

void writeSteps(JsonWriter& out, const Analysis& a) {
    out.key("steps").beginList();
    out.many(a.steps.list.size(),
             [&](JsonWriter& to, std::size_t k) { writeStep(to, a.steps.list[k], k); });
    out.endList();
}

void writeReadings(JsonWriter& out, const Analysis& a) {
    out.key("readings").beginList();
    out.many(a.readings.size(),
             [&](JsonWriter& to, std::size_t k) { writeReading(to, a.readings[k]); });
    out.endList();
}

void writeCutoffs(JsonWriter& out, const AnalysisInput& in) {
    out.key("cutoffs").beginList();
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        if (in.steps.list[k].kind != StepKind::CvCharge) continue;
        for (const CutoffRow& row : cutoffTable(in, static_cast<int>(k))) {
            out.beginLine();
            out.key("step").whole(static_cast<std::int64_t>(k));
            out.key("rate").text("C/" + std::to_string(row.denominator));
            out.key("current_A").number(row.current_A);
            out.key("time_s").number(row.time_s);
            out.key("charge_Ah").number(row.charge_Ah);
            out.key("uncertainty_Ah").number(row.uncertainty_Ah);
            out.key("interval_95")
                .interval(row.charge_Ah - 2 * row.uncertainty_Ah,
                          row.charge_Ah + 2 * row.uncertainty_Ah);
            out.key("extrapolated").boolean(row.extrapolated);
            out.endObject();
        }
    }
    out.endList();
}

void writeFindings(JsonWriter& out, const Analysis& a) {
    out.key("findings").beginList();
    for (const Finding& f : a.findings) {
        out.beginLine();
        out.key("severity").text(toString(f.severity));
        out.key("code").text(f.code);
        out.key("text").text(f.text);
        out.key("advice").text(f.advice);
        out.key("from_s").number(f.evidence.from_s);
        out.key("to_s").number(f.evidence.to_s);
        out.endObject();
    }
    out.endList();
}

Json batteryJson(const Battery& b) {
    return {{"chemistry", textOrNull(b.chemistry)},
            {"series", b.series > 0 ? Json(b.series) : Json(nullptr)},
            {"parallel", b.parallel},
            {"rated_Ah", b.rated_Ah > 0 ? Json(b.rated_Ah) : Json(nullptr)},
            {"assumed", b.assumed}};
}

/// All but the head.
std::string analysisJson(const Recording& recording, const Analysis& analysis,
                         const InstrumentAccuracy& accuracy, const Json& source,
                         const JsonSink& sink) {
    // Piece by piece: a log of a hundred thousand steps must not stand in memory three times.
    JsonWriter out(sink);
    out.beginObject();
    out.key("schema").text("narrow-knee/analysis/1");
    out.key("source").value(source);
    out.key("battery").value(batteryJson(analysis.battery));
    writeSteps(out, analysis);
    writeReadings(out, analysis);
    writeCutoffs(out, {recording, analysis.steps, analysis.battery, accuracy, analysis.memo});
    writeFindings(out, analysis);
    out.endObject();
    return out.done();
}

}  // namespace

std::string analysisJson(const Imported& log, const Analysis& analysis,
                         const InstrumentAccuracy& accuracy, const std::string& file,
                         const std::string& sha256, const JsonSink& sink) {
    return analysisJson(*log.recording, analysis, accuracy, sourceJson(log, file, sha256), sink);
}

std::string analysisJson(const OpenedRecording& opened, const JsonSink& sink) {
    const RecordingEntry& e = opened.entry;
    const Recording& r = *opened.recording;
    const auto have = [](bool there, const char* title) {
        return there ? Json(title) : Json(nullptr);
    };
    Json cells = Json::array();
    for (std::size_t n = 0; n < r.cells_V().size(); ++n)
        cells.push_back("cell_" + std::to_string(n + 1) + "_V");
    Json corrections = Json::array();
    for (const Correction& c : opened.corrections)
        corrections.push_back({{"kind", toString(c.kind)},
                               {"value", number(c.value)},
                               {"unit", correctionUnit(c.kind)},
                               {"uncertainty", number(c.uncertainty)},
                               {"name", safe(c.name)}});
    const Json source = {{"file", safe(e.fileName)},
                         {"sha256", textOrNull(e.sha256)},
                         {"rows_read", e.rowsRead},
                         {"rows_skipped", e.rowsSkipped},
                         {"dialect", nullptr},
                         {"columns",
                          {{"time", "time_s"},
                           {"voltage", "voltage_V"},
                           {"current", "current_A"},
                           {"temperature", have(r.hasTemperature(), "temperature_C")},
                           {"cells", cells}}},
                         {"problems", problemsJson(r)},
                         {"book",
                          {{"recording", e.id},
                           {"title", safe(e.title)},
                           {"battery", e.batteryId > 0 ? Json(e.batteryId) : Json(nullptr)},
                           {"edits", opened.edits.size()},
                           {"corrections", corrections},
                           {"fingerprint", opened.fingerprint}}}};
    return analysisJson(r, opened.analysis, opened.accuracy, source, sink);
}

std::string stepsJson(const Analysis& a) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/steps/1");
    writeSteps(out, a);
    out.endObject();
    return out.done();
}

std::string readingsJson(const Analysis& a) {
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/readings/1");
    writeReadings(out, a);
    out.endObject();
    return out.done();
}

}  // namespace nk
