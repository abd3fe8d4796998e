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

/// The fields of the battery card that have no column of their own. Unknown fields are passed over.
std::string cardJson(const Battery& battery);
void readCard(const std::string& json, Battery& battery);

std::string spotDetailsJson(const SpotReading& reading);
void readSpotDetails(const std::string& json, SpotReading& reading);

}  // namespace nk
