// The schema of the bench book and the steps from one version to the next.
#pragma once

#include <string>
#include <vector>

namespace SQLite {
class Database;
}

namespace nk {

inline constexpr int kBookApplicationId = 0x4E4B4231;  // "NKB1"

/// Creates the newest schema in an empty file, inside the caller's transaction.
void createSchema(SQLite::Database& db);

/// Brings an older book up, inside the caller's transaction. Blocks of samples that differ from
/// what the kept original gives get no checksum: they are damaged. Edits of steps get what they
/// make of the steps as they are found today (schema 5). Throws SQLite::Exception,
/// Refused.
void migrate(SQLite::Database& db, int fromVersion);

/// What in the file a book of this version does not have, or lacks: tables, columns, indexes,
/// triggers, views, in plain words, at most ten. Reads the list of the schema only: nothing of the
/// file is run.
std::vector<std::string> foreignSchema(SQLite::Database& db, int version);

}  // namespace nk
