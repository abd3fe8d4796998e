// Samples, steps and readings as CSV and JSON, for other programs. Numbers never depend on the
// locale; a text cell that a spreadsheet would run as a formula is made harmless.
#pragma once

#include <string>

#include "analysis/analysis.h"

namespace nk {

/// A text as a CSV cell: quoted where needed; one that begins with = + - @ (or a tab or return)
/// gets an apostrophe before it, so that no spreadsheet runs it.
std::string csvCell(const std::string& text);

std::string samplesCsv(const Recording& recording);
std::string stepsCsv(const Analysis& analysis);
std::string readingsCsv(const Analysis& analysis);

/// The samples as JSON: {"schema": "narrow-knee/samples/1", "columns": {"time_s": [...], ...}};
/// numbers that are not known are null. Steps and readings: analysis_json.h.
std::string samplesJson(const Recording& recording);

/// A table as tab-separated text for the clipboard, with the same care.
std::string tsvRow(const std::vector<std::string>& cells);

}  // namespace nk
