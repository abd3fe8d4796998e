#include "history_json.h"

#include <fmt/format.h>

#include <cmath>

#include "book/condition_fields.h"
#include "export.h"
#include "json_writer.h"
#include "quantity/format.h"
#include "quantity/iso_time.h"
#include "quantity/phrase.h"
#include "words.h"

namespace nk {

namespace {

void writeText(JsonWriter& out, const char* key, const std::string& text) {
    out.key(key);
    if (text.empty())
        out.null();
    else
        out.text(text);
}

std::string csvNumber(double x) {
    return std::isfinite(x) ? fmt::format("{}", x) : std::string();
}

}  // namespace

std::string historyJson(const BatteryHistory& h) {
    const Battery& b = h.battery.battery;
    JsonWriter out;
    out.beginObject();
    out.key("schema").text("narrow-knee/history/1");
    out.key("battery").beginObject();
    out.key("id").whole(h.battery.id);
    out.key("name").text(b.name);
    writeText(out, "chemistry", b.chemistry);
    out.key("series");
    if (b.series > 0)
        out.whole(b.series);
    else
        out.null();
    out.key("parallel").whole(b.parallel);
    out.key("rated_Ah").number(b.rated_Ah > 0 ? b.rated_Ah : kNaN);
    out.endObject();
    out.key("points").beginList();
    for (const HistoryPoint& p : h.points) {
        const StoredReading& r = p.reading;
        out.beginObject();
        out.key("name").text(r.name);
        out.key("value").number(r.value);
        out.key("unit").text(r.unit);
        out.key("uncertainty").number(r.uncertainty);
        out.key("interval_95").interval(r.low, r.high);
        out.key("method").text(r.method);
        writeText(out, "at", p.dayKnown() ? isoTime(p.at_s) : std::string());
        out.key("day_known").boolean(p.dayKnown());
        out.key("carried_Ah").number(p.carried_Ah);
        out.key("efc").number(p.efc);
        out.key("conditions").beginObject();
        for (const auto& [key, value] : kConditions) out.key(key).number(r.conditions.*value);
        out.key("began_full");
        if (r.conditions.beganFull)
            out.boolean(*r.conditions.beganFull);
        else
            out.null();
        out.endObject();
        out.key("source").text(p.byHand() ? "hand" : "recording");
        out.key("recording");
        if (p.byHand())
            out.null();
        else
            out.whole(r.recordingId);
        out.key("step");
        if (r.step >= 0)
            out.whole(r.step);
        else
            out.null();
        out.key("from_s").number(r.from_s);
        out.key("to_s").number(r.to_s);
        writeText(out, "comparable", p.comparable);
        writeText(out, "apart", p.apart);
        out.key("at_25C").number(p.normalised);
        out.key("quoted").boolean(r.quoted);
        out.endObject();
    }
    out.endList();
    out.key("left_out").texts(h.leftOut);
    out.endObject();
    return out.done();
}

std::string historyCsv(const BatteryHistory& h) {
    std::string out =
        "name,value,unit,uncertainty,interval_95_low,interval_95_high,method,at,efc,c_rate,"
        "floor_V_per_cell,set_V_per_cell,cutoff_c,soc,delay_s,temperature_C,rest_before_s,mean_A,"
        "plateau_A,from_level,end_slope_V_per_Ah,end_slope_share,end_doubt_V,began_full,source,"
        "recording,title,step,from_s,to_s,comparable,at_25C\n";
    for (const HistoryPoint& p : h.points) {
        const StoredReading& r = p.reading;
        out += fmt::format("{},{},{},{},{},{},{},{},{}", csvCell(r.name), csvNumber(r.value),
                           csvCell(r.unit), csvNumber(r.uncertainty), csvNumber(r.low),
                           csvNumber(r.high), csvCell(r.method),
                           p.dayKnown() ? isoTime(p.at_s) : std::string(), csvNumber(p.efc));
        for (const auto& [key, value] : kConditions) out += "," + csvNumber(r.conditions.*value);
        out += fmt::format(
            ",{},{},{},{},{},{},{},{},{}\n",
            r.conditions.beganFull ? (*r.conditions.beganFull ? "true" : "false") : "",
            p.byHand() ? "hand" : "recording", p.byHand() ? "" : std::to_string(r.recordingId),
            csvCell(p.title), r.step >= 0 ? std::to_string(r.step) : "", csvNumber(r.from_s),
            csvNumber(r.to_s), csvCell(p.comparable), csvNumber(p.normalised));
    }
    return out;
}

std::string historyText(const BatteryHistory& h) {
    std::string out = h.battery.battery.name + "\n" + batteryWords(h.battery.battery) + "\n";
    for (const std::string& l : h.leftOut) out += "LEFT OUT  " + l + "\n";
    for (const HistoryPoint& p : h.points) {
        const StoredReading& r = p.reading;
        std::string when = p.dayKnown() ? isoTime(p.at_s) : phrase("no day");
        if (when.size() > 10) when.resize(10);
        const Metric* m = findMetric(r.name);
        out += fmt::format("{:10}  {:32} {}", when, m != nullptr ? m->title : r.name.c_str(),
                           valueText(r.value, (r.high - r.value) / 2, r.unit).joined());
        const ReadingConditions& c = r.conditions;
        if (std::isfinite(c.cRate)) out += fmt::format(", {:.2g}C", c.cRate);
        if (std::isfinite(c.floor_V_per_cell))
            out += fmt::format(", to {:.2f} V a cell", c.floor_V_per_cell);
        if (std::isfinite(c.temperature_C)) out += fmt::format(", {:.0f} °C", c.temperature_C);
        if (std::isfinite(p.efc)) out += fmt::format(", after {:.1f} full cycles", p.efc);
        out += p.comparable.empty() ? "" : "  [" + p.comparable + "]";
        out += "\n";
    }
    return out;
}

}  // namespace nk
