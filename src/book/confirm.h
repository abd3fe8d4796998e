// Before checksums come in (schema 4) every block of samples is compared with what reading the kept
// original gives.
#pragma once

namespace SQLite {
class Database;
}

namespace nk {

/// Gives a checksum to every block that agrees with the original, or that cannot be compared
/// because the log was brought in with choices that the book does not keep. What disagrees stays
/// without one: it is damaged. Works inside the caller's transaction. Throws SQLite::Exception.
void confirmSamples(SQLite::Database& db);

}  // namespace nk
