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

#include "change_label.h"

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
void beginChange(SQLite::Database& db, const ChangeLabel& label);
void endChange(SQLite::Database& db);
/// A change is open on this connection.
bool inChange(SQLite::Database& db);

/// A part of an open change: taken back alone when it fails.
class ChangePart {
  public:
    explicit ChangePart(SQLite::Database& db) : db_(db) { db_.exec("SAVEPOINT change_part"); }
    ~ChangePart();
    ChangePart(const ChangePart&) = delete;
    ChangePart& operator=(const ChangePart&) = delete;
    void keep();

  private:
    SQLite::Database& db_;
    bool kept_ = false;
};

/// Runs `work` as one transaction and one step for undo; inside an open change, as a part of that.
template <class Work>
auto journaled(SQLite::Database& db, const ChangeLabel& label, Work work) -> decltype(work()) {
    if (inChange(db)) {
        ChangePart part(db);
        auto result = work();
        if (result) part.keep();
        return result;
    }
    SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
    beginChange(db, label);
    auto result = work();
    if (!result) return result;  // rolled back
    endChange(db);
    transaction.commit();
    return result;
}

/// A revision that no row of this book has had: whoever holds an older one is told so.
std::int64_t nextRevision(SQLite::Database& db);

/// Stored label of the change that undo would take back, or that redo would make again.
std::optional<std::string> undoLabel(SQLite::Database& db);
std::optional<std::string> redoLabel(SQLite::Database& db);
/// Takes the newest change back, or makes the newest undone one again, inside the caller's
/// transaction. Returns its label, or nothing when there is none.
std::optional<std::string> undoChange(SQLite::Database& db);
std::optional<std::string> redoChange(SQLite::Database& db);

}  // namespace nk
