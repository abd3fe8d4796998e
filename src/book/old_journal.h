// The undo journal of schemas 2 and 3, which held SQL that triggers of the file wrote. Nothing of
// it is run any more: its statements are parsed as the few forms that those programs wrote, and
// kept as rows (journal.h).
#pragma once

#include <string>

namespace SQLite {
class Database;
}

namespace nk {

/// Tables and triggers of the journal of schema 2 or 3, as those programs made them: to recognise
/// their books.
std::string oldJournalSql(int version);

/// Drops the triggers and turns the entries into those of schema 4, inside the caller's
/// transaction. Throws Refused when an entry cannot have been written by the program.
void convertJournal(SQLite::Database& db);

/// Names an entry of an old journal that the program cannot have written; empty when there is none.
std::string foreignOldEntry(SQLite::Database& db);

}  // namespace nk
