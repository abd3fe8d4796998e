// The undo journal: every change of the book that a person makes is written down, in the same
// transaction, as the rows before and after it. It holds data, never SQL: what undo runs are
// statements of this program with those values bound to them, on the tables of row_text.h and no
// others. Triggers of the connection (temporary ones: the file holds none) do the writing, so no
// change can forget it, and it survives a restart. Samples and original bytes are never journaled:
// taking a recording off the shelf only marks it as removed.
#pragma once

#include <SQLiteCpp/SQLiteCpp.h>

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace nk {

/// How many changes can be taken back.
inline constexpr int kJournalDepth = 300;

/// The journal's tables, as SQL.
extern const char* const kJournalTables;

/// Makes the connection write the journal. Needs the tables of schema 4.
void watchChanges(SQLite::Database& db);

/// Entries of the journal that this program cannot have written, in plain words; empty when there
/// are none.
std::vector<std::string> foreignEntries(SQLite::Database& db);

/// Opens a change inside the caller's transaction; what happens until endChange is one step for
/// undo. Forgets changes that were undone before (they can no longer be made again).
void beginChange(SQLite::Database& db, const std::string& label);
void endChange(SQLite::Database& db);

/// Runs `work` as one transaction and one step for undo.
template <class Work>
auto journaled(SQLite::Database& db, const std::string& label, Work work) -> decltype(work()) {
    SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
    beginChange(db, label);
    auto result = work();
    if (!result) return result;  // rolled back
    endChange(db);
    transaction.commit();
    return result;
}

/// Label of the change that undo would take back, or that redo would make again.
std::optional<std::string> undoLabel(SQLite::Database& db);
std::optional<std::string> redoLabel(SQLite::Database& db);
/// Takes the newest change back, or makes the newest undone one again, inside the caller's
/// transaction. Returns its label, or nothing when there is none.
std::optional<std::string> undoChange(SQLite::Database& db);
std::optional<std::string> redoChange(SQLite::Database& db);

}  // namespace nk
