// Edits of steps as they are stored, with what they made.
#pragma once

#include <cstdint>
#include <vector>

#include "steps/edit.h"

namespace SQLite {
class Database;
}

namespace nk {

/// Throws SQLite::Exception.
std::vector<StepEdit> readEdits(SQLite::Database& db, std::int64_t recordingId);
void writeEdits(SQLite::Database& db, std::int64_t recordingId, const std::vector<StepEdit>& edits);

/// "[[from_s, to_s, kind], …]" and back; text that is damaged gives nothing made.
std::string madeText(const std::vector<EditedStep>& made);
std::vector<EditedStep> readMade(const std::string& text);

/// Edits of books before schema 5 say only what was asked for: applies each once to its recording
/// as its steps are found today, and keeps what came of it. Those of recordings that cannot be read
/// stay as they are. Works inside the caller's transaction.
void settleStoredEdits(SQLite::Database& db);

}  // namespace nk
