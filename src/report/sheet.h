// A bench sheet: one page about one recording, from its readings and findings.
#pragma once

#include <string>

#include "analysis/analysis.h"
#include "quantity/format.h"

namespace nk {

struct SheetInput {
    std::string title;  ///< recording
    std::string batteryName;
    std::string source;  ///< file name, date, rows
    std::string madeOn;  ///< date of the sheet, written by the caller (the core has no clock)
    const Recording* recording = nullptr;
    const Analysis* analysis = nullptr;
    NumberStyle style;
};

/// The curve as an SVG picture: voltage, current and temperature lanes and the step ribbon.
std::string curveSvg(const Recording& recording, const Steps& steps, int width, int height);

/// A whole HTML page. `picture` is the markup of the curve: an inline SVG, or an img element.
std::string benchSheetHtml(const SheetInput& input, const std::string& picture);

/// How every sheet begins (its style) and ends (what ± means, the usual caution, the date).
std::string sheetHead(const std::string& title);
std::string sheetFoot(const std::string& madeOn);

/// Text with the characters that HTML reserves replaced.
std::string escapeHtml(const std::string& text);

}  // namespace nk
