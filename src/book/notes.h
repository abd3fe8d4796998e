// What is kept beside the samples as JSON: problems, repairs, gaps, resolution, and the summary.
#pragma once

#include <string>
#include <vector>

#include "bench_book.h"

namespace nk {

std::string notesJson(const Imported& imported);
/// Fills everything but the sample columns. Unknown fields are passed over; damaged text is an
/// error.
Expected<void> readNotes(const std::string& json, RecordingData& data,
                         std::vector<std::string>& guesses);

std::string summaryJson(const RecordingSummary& summary);
RecordingSummary readSummary(const std::string& json);

}  // namespace nk
