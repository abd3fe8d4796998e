// The sheet of curves side by side: the picture, what differs, and which logs or steps they are.
#pragma once

#include <string>
#include <vector>

namespace nk {

struct SideSheetRow {
    std::string name;     ///< as at the curve's end
    std::string battery;  ///< may be empty
    std::string log;
    std::string when;     ///< may be empty
    std::string step;     ///< empty: the whole log
    std::string shifted;  ///< by hand, with its unit; empty: not
};

struct SideSheetInput {
    std::string title;
    std::string axes;  ///< "Voltage, V over charge, Ah"
    std::vector<SideSheetRow> rows;
    std::vector<std::string> sentences;
    std::string madeOn;  ///< date of the sheet, written by the caller
};

/// A whole HTML page. `picture` is the markup of the curves: an inline SVG, or an img element. All
/// else is escaped.
std::string sideSheetHtml(const SideSheetInput& input, const std::string& picture);

}  // namespace nk
