// The schema of the bench book and the steps from one version to the next.
#pragma once

namespace SQLite {
class Database;
}

namespace nk {

inline constexpr int kBookApplicationId = 0x4E4B4231;  // "NKB1"

/// Creates the newest schema in an empty file, or brings an older book up, in one transaction.
/// Throws SQLite::Exception.
void migrate(SQLite::Database& db, int fromVersion);

}  // namespace nk
