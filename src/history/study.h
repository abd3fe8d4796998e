// From an analysis to what the book keeps of it, and back to what the study of several recordings
// needs.
#pragma once

#include "analysis/rating/strength_study.h"
#include "open_recording.h"

namespace nk {

/// Readings with their conditions, findings, and what studyStrength needs. Only what is measurable
/// is kept. Texts are English whatever the language of the thread.
StoredStudy studyOf(const OpenedRecording& opened);
/// Of a recording that cannot be read: the reason, so that it is not tried again and again.
StoredStudy studyOf(const Error& problem, const std::string& fingerprint);

std::string packStrength(const StudiedLog& log);
/// Errors: damaged, or of another version of this program.
Expected<StudiedLog> unpackStrength(const std::string& packed, std::int64_t id,
                                    const std::string& title);

}  // namespace nk
