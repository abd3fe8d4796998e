#include "sheet.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "recording/pyramid.h"
#include "words.h"

namespace nk {

std::string escapeHtml(const std::string& text) {
    std::string out;
    for (const char c : text) {
        switch (c) {
            case '&':
                out += "&amp;";
                break;
            case '<':
                out += "&lt;";
                break;
            case '>':
                out += "&gt;";
                break;
            case '"':
                out += "&quot;";
                break;
            case '\'':
                out += "&#39;";
                break;
            default:
                out += c;
        }
    }
    return out;
}

namespace {

/// Round steps of an axis: 1, 2 or 5 times a power of ten, at most `most` of them.
double niceStep(double range, int most) {
    const double raw = range / most;
    const double power = std::pow(10.0, std::floor(std::log10(std::max(raw, 1e-12))));
    for (const double m : {1.0, 2.0, 5.0, 10.0})
        if (m * power >= raw) return m * power;
    return 10 * power;
}

void lane(std::string& svg, const Recording& r, std::span<const double> column,
          const std::string& name, const char* colour, double x0, double x1, double y0, double y1) {
    const Pyramid pyramid(column);
    MinMax all = pyramid.range(0, column.size());
    if (!std::isfinite(all.low)) return;
    double pad = std::max((all.high - all.low) * 0.08, 1e-3);
    all.low -= pad;
    all.high += pad;
    const auto y = [&](double v) { return y1 - (v - all.low) / (all.high - all.low) * (y1 - y0); };
    svg += fmt::format(
        "<rect x='{:.1f}' y='{:.1f}' width='{:.1f}' height='{:.1f}' fill='#ffffff' "
        "stroke='#d8d4ca'/>",
        x0, y0, x1 - x0, y1 - y0);
    const double step = niceStep(all.high - all.low, 4);
    // Counted as numbers with a point: a wild figure has more lines below it than an integer holds.
    const double firstLine = std::ceil(all.low / step);
    constexpr int kMostLines = 20;
    for (int k = 0; k < kMostLines && (firstLine + k) * step < all.high; ++k) {
        const double v = (firstLine + k) * step;
        svg +=
            fmt::format("<line x1='{:.1f}' y1='{:.1f}' x2='{:.1f}' y2='{:.1f}' stroke='#eceae4'/>",
                        x0, y(v), x1, y(v));
        svg += fmt::format(
            "<text x='{:.1f}' y='{:.1f}' text-anchor='end' font-size='12' "
            "fill='#55534d'>{:.6g}</text>",
            x0 - 5, y(v) + 3.5, std::abs(v) < step * 1e-6 ? 0.0 : v);
    }
    const auto t = r.time_s();
    const double t0 = t.front();
    const double span = std::max(t.back() - t0, 1e-9);
    std::string path;
    const int columns = static_cast<int>(x1 - x0);
    std::size_t from = 0;
    for (int c = 0; c < columns; ++c) {
        const std::size_t to =
            c + 1 == columns ? t.size() : r.lowerBound(t0 + span * (c + 1) / columns);
        if (to > from) {
            const MinMax m = pyramid.range(from, to);
            if (std::isfinite(m.low)) {
                const double x = x0 + c + 0.5;
                path +=
                    fmt::format("{}{:.1f} {:.1f}", path.empty() ? "M" : "L", x, y(column[from]));
                if (m.high - m.low > 0)
                    path += fmt::format("L{:.1f} {:.1f}L{:.1f} {:.1f}L{:.1f} {:.1f}", x, y(m.low),
                                        x, y(m.high), x, y(column[to - 1]));
            }
        }
        from = to;
    }
    svg += fmt::format(
        "<path d='{}' fill='none' stroke='{}' stroke-width='1.3' stroke-linejoin='round'/>", path,
        colour);
    svg += fmt::format(
        "<text x='{:.1f}' y='{:.1f}' font-size='12' font-weight='600' fill='{}'>{}</text>", x0,
        y0 - 4, colour, name);
}

}  // namespace

std::string curveSvg(const Recording& r, const Steps& steps, int width, int height) {
    std::string svg = fmt::format(
        "<svg xmlns='http://www.w3.org/2000/svg' width='{0}' height='{1}' viewBox='0 0 {0} {1}' "
        "font-family='Inter, sans-serif'>",
        width, height);
    if (r.size() >= 2) {
        const double x0 = 48;
        const double x1 = width - 8;
        const bool temperature = r.hasTemperature();
        const double ribbon = 20;
        const double axis = 22;
        const double lanes = height - ribbon - axis - 12;
        const double hV = lanes * (temperature ? 0.5 : 0.62);
        const double hI = lanes * (temperature ? 0.26 : 0.38);
        lane(svg, r, r.voltage_V(), phrase("Voltage V"), "#0f5c62", x0, x1, 16, hV - 4);
        lane(svg, r, r.current_A(), phrase("Current A (charge positive)"), "#9a5118", x0, x1,
             hV + 14, hV + hI - 4);
        if (temperature)
            lane(svg, r, r.temperature_C(), phrase("Temperature °C"), "#79367f", x0, x1,
                 hV + hI + 14, lanes - 2);
        const double t0 = r.time_s().front();
        const double span = std::max(r.duration_s(), 1e-9);
        const double ry = height - ribbon - axis;
        for (const Step& s : steps.list) {
            const double a = x0 + (s.start_s - t0) / span * (x1 - x0);
            const double b = x0 + (s.end_s - t0) / span * (x1 - x0);
            const char* fill = s.kind == StepKind::Rest       ? "#e6e2d9"
                               : s.kind == StepKind::CvCharge ? "#e4dac2"
                               : s.meanCurrent_A > 0          ? "#cfe0de"
                                                              : "#ecd0bf";
            svg += fmt::format(
                "<rect x='{:.1f}' y='{:.1f}' width='{:.1f}' height='{:.1f}' fill='{}' "
                "stroke='#ffffff'/>",
                a, ry, std::max(b - a, 0.5), ribbon, fill);
            const std::string words = kindWordsShort(s);
            if (b - a > 5.6 * static_cast<double>(words.size()) + 6)
                svg += fmt::format(
                    "<text x='{:.1f}' y='{:.1f}' font-size='12' fill='#33312c'>{}</text>", a + 4,
                    ry + 14, escapeHtml(words));
        }
        double step = 60;
        for (const double s :
             {60.0, 300.0, 600.0, 1800.0, 3600.0, 7200.0, 14400.0, 43200.0, 86400.0, 604800.0}) {
            step = s;
            if (span / s <= 9) break;
        }
        while (span / step > 9) step *= 2;
        for (int mark = 0; mark * step <= span; ++mark) {
            const double t = mark * step;
            const double x = x0 + t / span * (x1 - x0);
            svg += fmt::format(
                "<text x='{:.1f}' y='{}' font-size='12' text-anchor='{}' "
                "fill='#55534d'>{}</text>",
                x, height - 6, x > x1 - 20 ? "end" : "middle", clockText(t));
        }
    }
    return svg + "</svg>";
}

std::string sheetHead(const std::string& title) {
    return "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
           escapeHtml(title) +
           "</title>\n<style>\n"
           "body{font-family:'Inter','DejaVu "
           "Sans',sans-serif;font-size:10pt;color:#22211e;margin:24px;max-width:760px}\n"
           "h1{font-size:16pt;margin:0}h2{font-size:11pt;margin:14px 0 "
           "4px;color:#0f5c62}p{margin:2px 0}\n"
           "table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:3px "
           "8px 3px 0;border-bottom:1px solid #e3dfd6;vertical-align:top}\n"
           ".n{text-align:right;white-space:nowrap}.s{color:#5d5b55;font-size:8.5pt}."
           "hazard{border-left:4px solid #a3271b;padding-left:8px}\n"
           "</style></head><body>\n";
}

std::string sheetFoot(const std::string& madeOn) {
    return "<p class=\"s\">" +
           phrase(
               "± is the expanded uncertainty (k = 2, about 95 %). The maker's data sheet, local "
               "codes and licensed practice come first.") +
           " " +
           (madeOn.empty() ? phrase("Made with Narrow Knee.")
                           : phrase("Made with Narrow Knee on {}.", escapeHtml(madeOn))) +
           "</p>\n</body></html>\n";
}

std::string benchSheetHtml(const SheetInput& in, const std::string& picture) {
    const Analysis& a = *in.analysis;
    std::string h = sheetHead(in.batteryName + " · " + in.title);
    h += "<h1>" + escapeHtml(in.batteryName) + "</h1>\n<p>" + escapeHtml(in.title) + " · " +
         escapeHtml(batteryWords(a.battery)) + "</p>\n";
    h += "<p class=\"s\">" + escapeHtml(in.source) + "</p>\n" + picture + "\n";
    if (!a.findings.empty()) {
        h += "<h2>" + phrase("Findings") + "</h2>\n";
        for (const Finding& f : a.findings) {
            const bool hazard = f.severity == Severity::Hazard;
            h += fmt::format("<p{}>{}{} <span class=\"s\">{}</span></p>\n",
                             hazard ? " class=\"hazard\"" : "",
                             hazard ? "<b>" + phrase("HAZARD") + "</b> " : std::string(),
                             escapeHtml(f.text), escapeHtml(f.advice));
        }
    }
    h += fmt::format("<h2>{}</h2>\n<table><tr><th>{}</th><th class=\"n\">{}</th><th>{}</th></tr>\n",
                     phrase("Readings"), phrase("Reading"), phrase("Value ± (k = 2)"),
                     phrase("Taken from"));
    std::vector<std::string> notes;
    for (const Reading& r : a.readings) {
        const Metric* m = a.registry->metric(r.name);
        const ValueText v = valueText(r, in.style);
        std::string marks;
        for (const std::string& c : r.caveats) {
            auto it = std::find(notes.begin(), notes.end(), c);
            if (it == notes.end()) it = notes.insert(notes.end(), c);
            marks += fmt::format(" {}", it - notes.begin() + 1);
        }
        h += fmt::format("<tr><td>{}{}</td><td class=\"n\">{}</td><td>{} – {}</td></tr>\n",
                         m != nullptr ? phrase(m->title) : r.name,
                         marks.empty() ? "" : "<sup class=\"s\">" + marks + "</sup>",
                         escapeHtml(v.joined()), clockText(r.evidence.from_s),
                         clockText(r.evidence.to_s));
    }
    h += fmt::format(
        "</table>\n<h2>{}</h2>\n<table><tr><th>{}</th><th>{}</th><th>{}</th><th "
        "class=\"n\">{}</th><th class=\"n\">{}</th><th>{}</th></tr>\n",
        phrase("Steps"), phrase("Starts"), phrase("Ends"), phrase("Step"), phrase("Mean current"),
        phrase("Charge"), phrase("Ended because"));
    constexpr std::size_t kMostSteps = 40;
    for (std::size_t k = 0; k < std::min(kMostSteps, a.steps.list.size()); ++k) {
        const Step& s = a.steps.list[k];
        h += fmt::format(
            "<tr><td>{}</td><td>{}</td><td>{}</td><td class=\"n\">{}</td><td "
            "class=\"n\">{}</td><td>{}</td></tr>\n",
            clockText(s.start_s), clockText(s.end_s), kindWords(s),
            s.isActive() ? shortValue(s.meanCurrent_A, "A", in.style) : "",
            s.isActive() ? shortValue(s.sum.charge_Ah, "Ah", in.style) : "",
            s.isActive() ? endingWords(s.endedBy) : "");
    }
    h += "</table>\n";
    if (a.steps.list.size() > kMostSteps)
        h += fmt::format("<p class=\"s\">{}</p>\n",
                         phrase("and {} further steps.", a.steps.list.size() - kMostSteps));
    if (!notes.empty()) h += "<h2>" + phrase("Notes") + "</h2>\n";
    for (std::size_t k = 0; k < notes.size(); ++k)
        h += fmt::format("<p class=\"s\">{} {}</p>\n", k + 1, escapeHtml(notes[k]));
    h += "<p class=\"s\">" + phrase("Positive current charges the battery.") + "</p>\n";
    return h + sheetFoot(in.madeOn);
}

}  // namespace nk
