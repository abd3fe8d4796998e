// The JSON of the command line: a public, versioned contract (docs/analysis-json.md). Fields are
// added, never renamed; numbers that are not measurable are null, never 0.
#pragma once

#include <string>

#include "analysis/analysis.h"
#include "formats/text_table.h"

namespace nk {

/// "narrow-knee/analysis/1" as indented text with a final newline. `sha256` may be empty.
std::string analysisJson(const Imported& log, const Analysis& analysis,
                         const InstrumentAccuracy& accuracy, const std::string& file,
                         const std::string& sha256);

}  // namespace nk
