#include "battery_sheet.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "sheet.h"
#include "words.h"

namespace nk {

namespace {

std::string day(double epoch_s) {
    if (!std::isfinite(epoch_s) || epoch_s <= 0 || epoch_s > 4e9) return "–";
    return fmt::format("{:%Y-%m-%d}", fmt::gmtime(static_cast<std::time_t>(epoch_s)));
}

/// When a log was taken: its own date, or the day it came into the book.
std::string dayOf(const RecordingEntry& e) {
    return std::isfinite(e.startEpoch_s) ? day(e.startEpoch_s)
                                         : phrase("added {}", day(e.importedAt_s));
}

std::string row(const std::string& name, const std::string& value) {
    return fmt::format("<tr><td>{}</td><td>{}</td></tr>\n", escapeHtml(name), escapeHtml(value));
}

/// What the card says, a line each; figures beyond the chemistry's own limits are marked.
std::string card(const BatterySheetInput& in) {
    const Battery& b = in.battery;
    const auto value = [&](double x, const char* unit) { return shortValue(x, unit, in.style); };
    std::string h = "<table>\n" + row(phrase("Kind"), batteryWords(b));
    if (b.mass_kg > 0) h += row(phrase("Mass"), fixed(1000 * b.mass_kg, 0, in.style) + "\u202Fg");
    if (b.label_C > 0) h += row(phrase("Label says"), fixed(b.label_C, 0, in.style) + "\u202FC");
    if (b.charger.current_A > 0)
        h += row(phrase("Set on the charger"), value(b.charger.current_A, "A"));
    const MakerLimits& m = b.limits();
    const Chemistry* c = b.chemistryData();
    const auto limit = [&](const std::string& name, double x, const char* unit, bool beyond) {
        if (std::isfinite(x) && x != 0)
            h += row(name,
                     value(x, unit) + (beyond ? phrase(" (by the maker; beyond the usual limit)")
                                              : phrase(" (by the maker)")));
    };
    if (m.any() && c != nullptr) {
        limit(phrase("Full at, per cell"), m.set_V, "V", m.set_V > c->set_V + 0.001);
        limit(phrase("Empty at, per cell"), m.dischargeFloor_V, "V",
              m.dischargeFloor_V < c->overdischarge_V - 0.001);
        limit(phrase("Charge up to"), m.chargeMax_C, "C", m.chargeMax_C > c->chargeMax_C);
    }
    return h + "</table>\n";
}

/// The reading of this name in the same step of the same log.
const StoredReading* beside(const BatterySheetInput& in, const StoredReading& r, const char* name) {
    for (const StoredReading& s : in.readings)
        if (s.recordingId == r.recordingId && s.step == r.step && s.name == name) return &s;
    return nullptr;
}

std::string conditions(const StoredReading& r, const NumberStyle& style) {
    const ReadingConditions& c = r.conditions;
    std::string out = std::isfinite(c.cRate)    ? phrase("{:.2g}C", c.cRate)
                      : std::isfinite(c.mean_A) ? shortValue(std::abs(c.mean_A), "A", style)
                                                : std::string();
    const auto add = [&](const std::string& words) { out += (out.empty() ? "" : ", ") + words; };
    if (std::isfinite(c.floor_V_per_cell)) add(phrase("to {:.2f} V a cell", c.floor_V_per_cell));
    if (std::isfinite(c.temperature_C)) add(shortValue(c.temperature_C, "C", style));
    if (c.beganFull) add(*c.beganFull ? phrase("from full") : phrase("not from full"));
    return out;
}

/// One row a discharge; a log without one has a row too.
std::string logs(const BatterySheetInput& in) {
    if (in.recordings.empty())
        return "<p>" + phrase("No log of this battery is in the book.") + "</p>\n";
    std::string h = fmt::format(
        "<h2>{}</h2>\n<table><tr><th>{}</th><th>{}</th><th>{}</th><th class=\"n\">{}</th><th>{}"
        "</th><th class=\"n\">{}</th></tr>\n",
        phrase("Logs"), phrase("Day"), phrase("Log"), phrase("Lasted"), phrase("Gave"),
        phrase("Conditions"), phrase("Of the label"));
    for (const RecordingEntry& e : in.recordings) {
        const std::string head =
            fmt::format("<tr><td>{}</td><td>{}{}</td><td>{}</td>", dayOf(e), escapeHtml(e.title),
                        e.summary.hazard ? " <b>" + phrase("HAZARD") + "</b>" : std::string(),
                        durationText(e.duration_s));
        bool any = false;
        for (const StoredReading& r : in.readings) {
            if (r.recordingId != e.id || r.name != "delivered_capacity") continue;
            const StoredReading* health = beside(in, r, "health_capacity");
            h += fmt::format(
                "{}<td class=\"n\">{}</td><td>{}</td><td class=\"n\">{}</td></tr>\n",
                any ? "<tr><td></td><td></td><td></td>" : head,
                valueText(r.value, (r.high - r.value) / 2, "Ah", in.style).joined(),
                escapeHtml(conditions(r, in.style)),
                health != nullptr ? fixed(health->value, 0, in.style) + "\u202F%" : "–");
            any = true;
        }
        if (!any) h += head + "<td class=\"n\">–</td><td></td><td class=\"n\">–</td></tr>\n";
    }
    return h + "</table>\n";
}

std::string readByHand(const BatterySheetInput& in) {
    if (in.spots.empty()) return {};
    static const std::pair<const char*, const char*> units[] = {
        {"charge", "Ah"}, {"energy", "Wh"}, {"voltage", "V"}, {"resistance", "ohm"}};
    std::string h =
        fmt::format("<h2>{}</h2>\n<table><tr><th>{}</th><th class=\"n\">{}</th><th>{}</th></tr>\n",
                    phrase("Read by hand"), phrase("Day"), phrase("Value"), phrase("How"));
    for (const SpotReading& s : in.spots) {
        std::string text = durationText(s.value);
        for (const auto& [kind, unit] : units)
            if (s.kind == kind) text = shortValue(s.value, unit, in.style);
        std::string how = s.method == "ac_1khz"   ? phrase("1 kHz meter")
                          : s.method == "charger" ? phrase("a charger's display")
                          : s.method == "other"   ? phrase("another way")
                                                  : s.method;
        if (std::isfinite(s.temperature_C))
            how += ", " + shortValue(s.temperature_C, "C", in.style);
        if (!s.note.empty()) how += ", " + s.note;
        h += fmt::format("<tr><td>{}</td><td class=\"n\">{}</td><td>{}</td></tr>\n",
                         day(s.atEpoch_s), text, escapeHtml(how));
    }
    return h + "</table>\n";
}

std::string strength(const BatterySheetInput& in) {
    if (in.study == nullptr) return {};
    std::string h;
    if (in.study->rating) h += "<p>" + escapeHtml(in.study->rating->sentence) + "</p>\n";
    return h.empty() ? h : "<h2>" + phrase("Strength") + "</h2>\n" + h;
}

/// The resistance of each log that its findings quote: the same figure as on the shelf.
std::string resistances(const BatterySheetInput& in) {
    std::string rows;
    for (const RecordingEntry& e : in.recordings)
        for (const StoredReading& r : in.readings) {
            if (r.recordingId != e.id || !r.quoted || !r.name.starts_with("resistance_")) continue;
            const Metric* m = findMetric(r.name);
            rows += fmt::format(
                "<tr><td>{}</td><td>{}</td><td class=\"n\">{}</td><td>{}</td></tr>\n",
                escapeHtml(e.title), escapeHtml(m != nullptr ? phrase(m->title) : r.name),
                valueText(r.value, (r.high - r.value) / 2, "ohm", in.style).joined(),
                std::isfinite(r.conditions.temperature_C)
                    ? shortValue(r.conditions.temperature_C, "C", in.style)
                    : std::string("–"));
        }
    if (rows.empty()) return rows;
    return fmt::format(
        "<h2>{}</h2>\n<table><tr><th>{}</th><th>{}</th><th class=\"n\">{}</th><th>{}</th></tr>\n{}"
        "</table>\n",
        phrase("Resistance"), phrase("Log"), phrase("School"), phrase("Value ± (95 %)"),
        phrase("Temperature"), rows);
}

}  // namespace

std::string capacitySvg(const BatterySheetInput& in, int width, int height) {
    double top = in.battery.rated_Ah;
    std::size_t count = 0;
    for (const RecordingEntry& e : in.recordings)
        if (std::isfinite(e.summary.capacity_Ah))
            top = std::max(top, e.summary.capacity_Ah), ++count;
    if (count == 0 || top <= 0) return {};
    const double x0 = 58;
    const double foot = height - 30;
    const double head = 26;
    const double slot = (width - x0 - 8) / static_cast<double>(count);
    const auto y = [&](double charge) { return foot - charge / (1.08 * top) * (foot - head); };
    std::string svg = fmt::format(
        "<svg xmlns='http://www.w3.org/2000/svg' width='{0}' height='{1}' viewBox='0 0 {0} {1}' "
        "font-family='Inter, sans-serif'><text x='0' y='13' font-size='13' font-weight='600' "
        "fill='#41527a'>{2}</text>",
        width, height, escapeHtml(phrase("Capacity of each log")));
    svg += fmt::format("<line x1='{}' y1='{}' x2='{}' y2='{}' stroke='#d8d4ca'/>", x0, foot,
                       width - 8, foot);
    double x = x0;
    for (const RecordingEntry& e : in.recordings) {
        if (!std::isfinite(e.summary.capacity_Ah)) continue;
        const double wide = std::min(84.0, 0.8 * slot);
        const double left = x + (slot - wide) / 2;
        const double high = y(e.summary.capacity_Ah);
        svg += fmt::format(
            "<rect x='{:.1f}' y='{:.1f}' width='{:.1f}' height='{:.1f}' fill='#41527a'/>", left,
            high, wide, foot - high);
        if (slot > 62)
            svg += fmt::format(
                "<text x='{:.1f}' y='{:.1f}' font-size='13' text-anchor='middle' "
                "fill='#ffffff'>{}</text>",
                left + wide / 2, high + 17, shortValue(e.summary.capacity_Ah, "Ah", in.style));
        if (static_cast<double>(e.title.size()) * 7.0 < slot)
            svg += fmt::format(
                "<text x='{:.1f}' y='{:.1f}' font-size='13' text-anchor='middle' "
                "fill='#55534d'>{}</text>",
                left + wide / 2, foot + 18, escapeHtml(e.title));
        x += slot;
    }
    if (in.battery.rated_Ah > 0)
        svg += fmt::format(
            "<line x1='{0}' y1='{1:.1f}' x2='{2}' y2='{1:.1f}' stroke='#0f5c62' "
            "stroke-dasharray='5 3'/><text x='{3}' y='{4:.1f}' font-size='13' text-anchor='end' "
            "fill='#0f5c62'>{5}</text>",
            x0, y(in.battery.rated_Ah), width - 8, x0 - 4, y(in.battery.rated_Ah) + 4,
            escapeHtml(phrase("label")));
    return svg + "</svg>";
}

namespace {

/// The verdict with its reasons; where the label is false the logs that prove it, each with the
/// hash of the file it came from, so that anybody can measure it again.
std::string verdictPart(const BatterySheetInput& in) {
    if (in.verdict.verdict.empty()) return {};
    std::string h = "<h2>" + escapeHtml(verdictWords(in.verdict.verdict)) + "</h2>\n<ul>\n";
    for (const VerdictReason& r : in.verdict.reasons)
        h += "<li>" + escapeHtml(unitsKept(r.text)) + "</li>\n";
    if (!in.verdict.logNext.empty()) h += "<li>" + escapeHtml(in.verdict.logNext) + "</li>\n";
    h += "</ul>\n";
    if (in.verdict.verdict != "return") return h;
    if (!in.life.serial.empty())
        h += "<p>" + escapeHtml(phrase("Serial number {}.", in.life.serial)) + "</p>\n";
    h += fmt::format(
        "<p>{}</p>\n<table><tr><th>{}</th><th class=\"n\">{}</th><th>{}</th><th>{}</th></tr>\n",
        phrase("What proves it: every whole discharge in the book, at 95 %, with the file "
               "of the logger as it came. Lasted and conditions stand in the table of "
               "logs."),
        phrase("Log"), phrase("Gave"), phrase("Conditions"), phrase("SHA-256 of the file"));
    for (const RecordingEntry& e : in.recordings)
        for (const StoredReading& r : in.readings) {
            if (r.recordingId != e.id || r.name != "delivered_capacity" ||
                beside(in, r, "health_capacity") == nullptr)
                continue;
            h += fmt::format(
                "<tr><td>{}</td><td "
                "class=\"n\">{}</td><td>{}</td><td><small>{}</small></td></tr>\n",
                escapeHtml(e.title),
                valueText(r.value, (r.high - r.value) / 2, "Ah", in.style).joined(),
                conditions(r, in.style), e.sha256);
        }
    return h + "</table>\n";
}

}  // namespace

std::string batterySheetHtml(const BatterySheetInput& in, const std::string& picture) {
    const std::string name = in.battery.name.empty() ? phrase("Battery") : in.battery.name;
    std::string h = sheetHead(name);
    h += "<h1>" + escapeHtml(name) + "</h1>\n" + card(in) + verdictPart(in) + picture + "\n" +
         logs(in) + resistances(in) + strength(in) + readByHand(in);
    return h + sheetFoot(in.madeOn);
}

}  // namespace nk
