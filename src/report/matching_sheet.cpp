#include "matching_sheet.h"

#include <fmt/format.h>

#include <cmath>

#include "quantity/format.h"
#include "quantity/sentence.h"
#include "sheet.h"

namespace nk {

std::vector<std::string> matchingWords(const std::vector<MatchModule>& modules, const Matching& m) {
    std::vector<std::string> out;
    if (m.groups.empty()) return out;
    double total = 0;
    for (const MatchGroup& g : m.groups) total += g.capacity_Ah;
    const double share = 100 * m.spread_Ah * static_cast<double>(m.groups.size()) / total;
    std::string even = phrase("The groups differ by {} at most, {:.2f} % of one.",
                              shortValue(m.spread_Ah, "Ah"), share);
    even += m.proven ? " " + phrase("No arrangement is evener.")
            : m.lowerBound_Ah > 0
                ? " " + phrase("None can be evener than {}.", shortValue(m.lowerBound_Ah, "Ah"))
                : "";
    out.push_back(even);
    if (std::isfinite(m.low_Ah))
        out.push_back(phrase(
            "The pack holds {} at 95 %, by the modules' own uncertainties: what its smallest group "
            "holds.",
            valueText((m.low_Ah + m.high_Ah) / 2, (m.high_Ah - m.low_Ah) / 4, "Ah").joined()));
    else
        out.push_back(
            phrase("The pack holds {}: what its smallest group holds. How sure the modules' "
                   "figures are is "
                   "not known.",
                   shortValue(m.pack_Ah, "Ah")));
    for (const int k : m.setApart)
        out.push_back(phrase("{} is set apart: it loses its charge lying there.",
                             modules[static_cast<std::size_t>(k)].name));
    return out;
}

std::string matchingSheetHtml(const std::vector<MatchModule>& modules, const Matching& m,
                              const std::string& madeOn, const NumberStyle& style) {
    std::string h = sheetHead(phrase("Build sheet"));
    h += "<h1>" +
         escapeHtml(phrase("Build sheet: {} groups of {}", m.groups.size(), groupSizes(m.groups))) +
         "</h1>\n<ul>\n";
    for (const std::string& w : matchingWords(modules, m)) h += "<li>" + escapeHtml(w) + "</li>\n";
    h += fmt::format(
        "</ul>\n<table><tr><th>{}</th><th class=\"n\">{}</th><th "
        "class=\"n\">{}</th><th>{}</th></tr>\n",
        escapeHtml(phrase("Group")), escapeHtml(phrase("Holds")), escapeHtml(phrase("Resistance")),
        escapeHtml(phrase("Modules, capacity and resistance of each")));
    int number = 1;
    const auto one = [&](int k) {
        const MatchModule& x = modules[static_cast<std::size_t>(k)];
        return x.name + " (" + shortValue(x.capacity_Ah, "Ah", style) +
               (x.resistance_ohm > 0 ? ", " + shortValue(x.resistance_ohm, "ohm", style) : "") +
               ")";
    };
    for (const MatchGroup& g : m.groups) {
        std::string list;
        for (const int k : g.modules) list += (list.empty() ? "" : ", ") + one(k);
        h += fmt::format(
            "<tr><td>{}</td><td class=\"n\">{}</td><td class=\"n\">{}</td><td>{}</td></tr>\n",
            number++, shortValue(g.capacity_Ah, "Ah", style),
            std::isfinite(g.resistance_ohm) ? shortValue(g.resistance_ohm, "ohm", style) : "–",
            escapeHtml(list));
    }
    h += "</table>\n";
    if (!m.spares.empty()) {
        std::string list;
        for (const int k : m.spares) list += (list.empty() ? "" : ", ") + one(k);
        h += "<p>" + escapeHtml(phrase("Spares: {}", list)) + "</p>\n";
    }
    h += "<h2>" + escapeHtml(phrase("Before they are joined")) + "</h2>\n<ul>\n";
    for (const char* words :
         {sentence("Bring all modules to one voltage first, and check each with a meter."),
          sentence("A swollen, dented, torn or leaking module is not built in; recycle it by the "
                   "local rules."),
          sentence("A fuse for each group or module; insulated tools; no rings, no watch."),
          sentence("Over 60 V d.c. it is work for trained people; the maker's data sheet and local "
                   "codes come first.")})
        h += "<li>" + escapeHtml(phrase(words)) + "</li>\n";
    return h + "</ul>\n" + sheetFoot(madeOn);
}

}  // namespace nk
