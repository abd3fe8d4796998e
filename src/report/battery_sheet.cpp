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
              m.dischargeFloor_V < c->overdrained_V - 0.001);
        limit(phrase("Charge up to"), m.chargeMax_C, "C", m.chargeMax_C > c->chargeMax_C);
    }
    return h + "</table>\n";
}

std::string logs(const BatterySheetInput& in) {
    if (in.recordings.empty())
        return "<p>" + phrase("No log of this battery is in the book.") + "</p>\n";
    std::string h = fmt::format(
        "<h2>{}</h2>\n<table><tr><th>{}</th><th>{}</th><th>{}</th><th class=\"n\">{}</th><th>{}"
        "</th><th class=\"n\">{}</th></tr>\n",
        phrase("Logs"), phrase("Day"), phrase("Log"), phrase("Lasted"), phrase("Gave"),
        phrase("Conditions"), phrase("Of the label"));
    for (const RecordingEntry& e : in.recordings) {
        const RecordingSummary& s = e.summary;
        const bool gave = std::isfinite(s.capacity_Ah);
        h += fmt::format(
            "<tr><td>{}</td><td>{}{}</td><td>{}</td><td class=\"n\">{}</td><td>{}</td><td "
            "class=\"n\">{}</td></tr>\n",
            dayOf(e), escapeHtml(e.title),
            s.hazard ? " <b>" + phrase("HAZARD") + "</b>" : std::string(),
            durationText(e.duration_s), gave ? shortValue(s.capacity_Ah, "Ah", in.style) : "–",
            escapeHtml(s.conditions),
            std::isfinite(s.health_percent) ? fixed(s.health_percent, 0, in.style) + "\u202F%"
                                            : "–");
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
    std::string rows;
    for (const StudiedLog& log : in.study->logs)
        for (const StepResistance& s : log.steps)
            if (std::isfinite(s.resistance_ohm) && s.nominalDelay_s == 10) {
                rows += fmt::format(
                    "<tr><td>{}</td><td class=\"n\">{}</td><td>{}</td></tr>\n",
                    escapeHtml(log.title),
                    valueText(s.resistance_ohm, s.coverage * s.uncertainty_ohm / 2, "ohm", in.style)
                        .joined(),
                    std::isfinite(s.temperature_C) ? shortValue(s.temperature_C, "C", in.style)
                                                   : std::string("–"));
                break;  // one a log: the first load
            }
    if (!rows.empty())
        h += fmt::format(
            "<table><tr><th>{}</th><th class=\"n\">{}</th><th>{}</th></tr>\n{}</table>\n",
            phrase("Log"), phrase("Resistance after 10 s ± (k = 2)"), phrase("Temperature"), rows);
    return h.empty() ? h : "<h2>" + phrase("Strength") + "</h2>\n" + h;
}

}  // namespace

std::string capacitySvg(const BatterySheetInput& in, int width, int height) {
    double top = in.battery.rated_Ah;
    std::size_t count = 0;
    for (const RecordingEntry& e : in.recordings)
        if (std::isfinite(e.summary.capacity_Ah))
            top = std::max(top, e.summary.capacity_Ah), ++count;
    if (count == 0 || top <= 0) return {};
    const double x0 = 52;
    const double foot = height - 26;
    const double head = 18;
    const double slot = (width - x0 - 8) / static_cast<double>(count);
    const auto y = [&](double charge) { return foot - charge / (1.08 * top) * (foot - head); };
    std::string svg = fmt::format(
        "<svg xmlns='http://www.w3.org/2000/svg' width='{0}' height='{1}' viewBox='0 0 {0} {1}' "
        "font-family='Inter, sans-serif'><text x='0' y='10' font-size='10' font-weight='600' "
        "fill='#41527a'>{2}</text>",
        width, height, escapeHtml(phrase("Capacity of each log")));
    svg += fmt::format("<line x1='{}' y1='{}' x2='{}' y2='{}' stroke='#d8d4ca'/>", x0, foot,
                       width - 8, foot);
    double x = x0;
    for (const RecordingEntry& e : in.recordings) {
        if (!std::isfinite(e.summary.capacity_Ah)) continue;
        const double wide = std::min(64.0, 0.7 * slot);
        const double left = x + (slot - wide) / 2;
        const double high = y(e.summary.capacity_Ah);
        svg += fmt::format(
            "<rect x='{:.1f}' y='{:.1f}' width='{:.1f}' height='{:.1f}' fill='#41527a'/>", left,
            high, wide, foot - high);
        if (slot > 40)
            svg += fmt::format(
                "<text x='{:.1f}' y='{:.1f}' font-size='10' text-anchor='middle' "
                "fill='#ffffff'>{}</text>",
                left + wide / 2, high + 13, shortValue(e.summary.capacity_Ah, "Ah", in.style));
        if (static_cast<double>(e.title.size()) * 5.4 < slot)
            svg += fmt::format(
                "<text x='{:.1f}' y='{:.1f}' font-size='10' text-anchor='middle' "
                "fill='#55534d'>{}</text>",
                left + wide / 2, foot + 13, escapeHtml(e.title));
        x += slot;
    }
    if (in.battery.rated_Ah > 0)
        svg += fmt::format(
            "<line x1='{0}' y1='{1:.1f}' x2='{2}' y2='{1:.1f}' stroke='#0f5c62' "
            "stroke-dasharray='5 3'/><text x='{3}' y='{4:.1f}' font-size='10' text-anchor='end' "
            "fill='#0f5c62'>{5}</text>",
            x0, y(in.battery.rated_Ah), width - 8, x0 - 4, y(in.battery.rated_Ah) + 3,
            escapeHtml(phrase("label")));
    return svg + "</svg>";
}

std::string batterySheetHtml(const BatterySheetInput& in, const std::string& picture) {
    const std::string name = in.battery.name.empty() ? phrase("Battery") : in.battery.name;
    std::string h = sheetHead(name);
    h += "<h1>" + escapeHtml(name) + "</h1>\n" + card(in) + picture + "\n" + logs(in) +
         strength(in) + readByHand(in);
    return h + sheetFoot(in.madeOn);
}

}  // namespace nk
