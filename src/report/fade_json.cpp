#include "fade_json.h"

#include <fmt/format.h>

#include <cmath>

#include "json_writer.h"
#include "quantity/iso_time.h"

namespace nk {

namespace {

const char* axisName(FadeAxis axis) {
    return axis == FadeAxis::Cycles ? "cycles" : axis == FadeAxis::Days ? "days" : "throughput";
}

std::string date(const FadeReport& r, double day) {
    return r.table.dated && std::isfinite(day) ? isoTime(day * 86400).substr(0, 10) : std::string();
}

void dateOrNull(JsonWriter& out, const std::string& text) {
    if (text.empty())
        out.null();
    else
        out.text(text);
}

void numbers(JsonWriter& out, const std::vector<double>& values) {
    out.beginList();
    for (const double x : values) out.number(x);
    out.endList();
}

}  // namespace

std::string fadeJson(const FadeReport& report) {
    const FadeResult& r = report.result;
    const bool capacity = report.question.of == FadeOf::Capacity;
    const bool inAh = capacity && report.table.unit == "Ah";
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/fade/1");
    out.key("model").text(r.laws.empty() ? std::string("none") : toString(r.laws.front().law));
    out.key("of").text(capacity ? "capacity" : "resistance");
    out.key("against").text(axisName(report.question.against));
    out.key("initial_Ah").number(inAh ? r.initial : kNaN);
    out.key("initial").number(r.initial);
    out.key("unit").text(capacity ? report.table.unit : "ohm");
    out.key("initial_interval_95");
    numbers(out, {r.initialLow, r.initialHigh});
    out.key("end_fraction")
        .number(std::isfinite(report.end.absolute) ? report.end.absolute / r.initial
                                                   : report.end.fraction);
    out.key("reference")
        .text(std::isfinite(report.question.figure) ? "figure"
              : report.question.ofLabel             ? "label"
                                                    : "initial");
    out.key("today").beginObject();
    out.key("value").number(report.today.middle);
    out.key("interval_95");
    numbers(out, {report.today.low, report.today.high});
    out.endObject();
    out.key("loss_seen_of_loss_to_end").number(r.seen);
    out.key("end_cycle").number(r.end.middle);
    out.key("end_cycle_low").number(r.end.low);
    out.key("end_cycle_high").number(r.end.high);
    out.key("end_date");
    dateOrNull(out, date(report, report.day.middle));
    out.key("end_date_low");
    dateOrNull(out, date(report, report.day.low));
    out.key("end_date_high");
    dateOrNull(out, date(report, report.day.high));
    out.key("knee_suspected").boolean(r.kneeSuspected);
    out.key("knee_cycle").number(r.knee);
    out.key("knee_cycle_low").number(r.kneeLow);
    out.key("knee_cycle_high").number(r.kneeHigh);
    out.key("slope_ratio").number(r.slopeRatio);
    out.key("per_cycle_loss_percent").number(100 * (capacity ? r.lossPerUnit : -r.lossPerUnit));
    out.key("cycle_noise").number(r.noise);
    out.key("rows_used")
        .whole(static_cast<std::int64_t>(report.used.rows.size() - report.oddCycles.size() -
                                         report.runInCycles.size()));
    out.key("alternatives").beginList();
    for (const LawFit& law : r.laws) {
        out.beginObject();
        out.key("model").text(toString(law.law));
        out.key("aicc").number(law.aicc);
        out.key("weight").number(law.weight);
        out.key("shape").number(law.shape);
        out.key("end_cycle").number(r.seen < 1.0 / 3 ? kNaN : law.end);
        out.endObject();
    }
    out.endList();
    out.key("excluded_cycles");
    std::vector<double> excluded = report.runInCycles;
    excluded.insert(excluded.end(), report.oddCycles.begin(), report.oddCycles.end());
    numbers(out, excluded);
    out.key("caveats").beginList();
    for (const std::string& c : report.caveats) out.text(c);
    out.endList();
    out.endObject();
    return out.done();
}

std::string fadeText(const FadeReport& report) {
    const FadeResult& r = report.result;
    const bool capacity = report.question.of == FadeOf::Capacity;
    const std::string unit = capacity ? report.table.unit : "ohm";
    const char* axis = report.question.against == FadeAxis::Cycles ? "cycle"
                       : report.question.against == FadeAxis::Days ? "day"
                                                                   : "Ah moved";
    std::string out;
    out +=
        fmt::format("At the first {}: {:.4g} {} ({:.4g} to {:.4g}). Mean change {:.2g} % a {}.\n",
                    axis, r.initial, unit, r.initialLow, r.initialHigh, -100 * r.lossPerUnit, axis);
    if (std::isfinite(report.today.middle))
        out += fmt::format("Today: {:.4g} {} ({:.4g} to {:.4g}).\n", report.today.middle, unit,
                           report.today.low, report.today.high);
    if (std::isfinite(r.end.middle))
        out += std::isfinite(r.end.high)
                   ? fmt::format("The end is reached at {} {:.0f} ({:.0f} to {:.0f}).\n", axis,
                                 r.end.middle, r.end.low, r.end.high)
                   : fmt::format("The end is reached at {} {:.0f} ({:.0f} or later).\n", axis,
                                 r.end.middle, r.end.low);
    else
        out += fmt::format("No end can be told.\n");
    if (const std::string day = date(report, report.day.middle); !day.empty())
        out += fmt::format("At the pace so far that is {} ({} to {}).\n", day,
                           date(report, report.day.low), date(report, report.day.high));
    if (r.kneeSuspected)
        out += fmt::format("A knee at {} {:.0f} ({:.0f} to {:.0f}): it fades faster since.\n", axis,
                           r.knee, r.kneeLow, r.kneeHigh);
    for (const LawFit& law : r.laws)
        out += fmt::format(
            "  {:<12} weight {:.2f}, {}\n", toString(law.law), law.weight,
            std::isfinite(law.end) ? fmt::format("end {:.0f}", law.end) : "reaches no end");
    for (const std::string& c : report.caveats) out += "  " + c + "\n";
    return out;
}

}  // namespace nk
