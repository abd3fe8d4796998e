// Connections to a bench book's file. A file from elsewhere is hostile until proven: no trigger or
// view of it ever runs, its schema is not trusted, nothing else can be attached, lengths are
// bounded.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "quantity/error.h"

namespace SQLite {
class Database;
}

namespace nk {

inline constexpr int kBusy_ms = 5000;

enum class Access {
    Write,
    Read,    ///< as a reader beside others: needs a folder SQLite may write to
    Frozen,  ///< a file that nobody writes, in a folder nobody may write to
};

/// Opens an existing file. Throws SQLite::Exception.
std::unique_ptr<SQLite::Database> connect(const std::filesystem::path& path, Access access);

/// Runs `sql`, which needs one more database beside the book's for a moment (VACUUM).
void execVacuum(SQLite::Database& db, const std::string& sql, const std::string& target = {});

/// A name that SQLite would take for something else than a file: empty, ":memory:", "file:…".
bool noFileName(const std::filesystem::path& path);

/// Makes a new book: whole under another name first, then under its own, so that whoever looks sees
/// all of it or nothing. When another was faster, theirs stays and this is no error. Errors: no
/// permission, no room.
Expected<void> makeBook(const std::filesystem::path& path);

}  // namespace nk
