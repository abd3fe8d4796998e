#include "side_sheet.h"

#include "quantity/phrase.h"
#include "quantity/sentence.h"
#include "sheet.h"

namespace nk {

std::string sideSheetHtml(const SideSheetInput& in, const std::string& picture) {
    std::string h = sheetHead(in.title);
    h += "<h1>" + escapeHtml(in.title) + "</h1>\n<p class=\"s\">" + escapeHtml(in.axes) + "</p>\n" +
         picture + "\n";
    if (!in.sentences.empty()) {
        h += "<h2>" + escapeHtml(phrase("What differs")) + "</h2>\n<ul>\n";
        for (const std::string& s : in.sentences) h += "<li>" + escapeHtml(s) + "</li>\n";
        h += "</ul>\n";
    }
    h += "<h2>" + escapeHtml(phrase("The curves")) + "</h2>\n<table><tr>";
    for (const char* column : {sentence("Curve"), sentence("Battery"), sentence("Log"),
                               sentence("Step"), sentence("Date"), sentence("Shifted by hand")})
        h += "<th>" + escapeHtml(phrase(column)) + "</th>";
    h += "</tr>\n";
    for (const SideSheetRow& r : in.rows) {
        h += "<tr>";
        for (const std::string& cell :
             {r.name, r.battery, r.log, r.step.empty() ? phrase("whole log") : r.step, r.when,
              r.shifted})
            h += "<td>" + (cell.empty() ? std::string("–") : escapeHtml(cell)) + "</td>";
        h += "</tr>\n";
    }
    return h + "</table>\n" + sheetFoot(in.madeOn);
}

}  // namespace nk
