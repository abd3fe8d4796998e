// An analysis as JSON, for the command line and for exports: a public, versioned contract
// (docs/analysis-json.md). Fields are added, never renamed; numbers that are not measurable are
// null, never 0.
#pragma once

#include <functional>
#include <string>
#include <string_view>

#include "analysis/analysis.h"
#include "formats/text_table.h"
#include "history/open_recording.h"

namespace nk {

/// Takes JSON in pieces as it is written, so that a large one need not stand in memory.
using JsonSink = std::function<void(std::string_view)>;

/// "narrow-knee/analysis/1" as indented text with a final newline. `sha256` may be empty. With a
/// sink the text goes there and nothing is returned.
std::string analysisJson(const Imported& log, const Analysis& analysis,
                         const InstrumentAccuracy& accuracy, const std::string& file,
                         const std::string& sha256, const JsonSink& sink = {});

/// The same of a recording in a book, with its card, edits and corrections; `source` has a member
/// "book" that tells of them.
std::string analysisJson(const OpenedRecording& opened, const JsonSink& sink = {});

/// {"schema": "narrow-knee/steps/1", "steps": […]} and {"schema": "narrow-knee/readings/1",
/// "readings": […]}, each entry as in the analysis.
std::string stepsJson(const Analysis& analysis);
std::string readingsJson(const Analysis& analysis);

}  // namespace nk
