#include "journal.h"

#include <fmt/format.h>

#include <vector>

namespace nk {

namespace {

struct Journaled {
    const char* table;
    std::vector<const char*> key;
    std::vector<const char*> columns;  ///< without the key
};

const std::vector<Journaled>& journaledTables() {
    static const std::vector<Journaled> list = {
        {"battery",
         {"id"},
         {"name", "chemistry", "series", "parallel", "rated_Ah", "mass_kg", "card"}},
        {"step_edit", {"recording_id", "position"}, {"action", "at_s", "kind"}},
        {"correction",
         {"id"},
         {"recording_id", "kind", "value", "uncertainty", "from_s", "to_s", "name"}},
        {"spot_reading",
         {"id"},
         {"battery_id", "kind", "value", "resolution", "at_epoch_s", "details"}},
    };
    return list;
}

/// "id=' || quote(old.id) || ' AND …": text that becomes a condition on the key.
std::string condition(const Journaled& t, const char* row) {
    std::string out;
    for (const char* key : t.key)
        out +=
            fmt::format("{}{}=' || quote({}.{}) || '", out.empty() ? "" : " AND ", key, row, key);
    return out;
}

std::string insertText(const Journaled& t, const char* row) {
    std::string names;
    std::string values;
    const auto add = [&](const char* column) {
        names += (names.empty() ? "" : ", ") + std::string(column);
        values += fmt::format("{}' || quote({}.{}) || '", values.empty() ? "" : ", ", row, column);
    };
    for (const char* c : t.key) add(c);
    for (const char* c : t.columns) add(c);
    return fmt::format("'INSERT INTO {}({}) VALUES ({})'", t.table, names, values);
}

std::string deleteText(const Journaled& t, const char* row) {
    return fmt::format("'DELETE FROM {} WHERE {}'", t.table, condition(t, row));
}

std::string updateText(const Journaled& t, const char* row) {
    std::string sets;
    for (const char* c : t.columns)
        sets += fmt::format("{}{}=' || quote({}.{}) || '", sets.empty() ? "" : ", ", c, row, c);
    // A battery's revision only ever grows, so that another window's check still holds.
    if (std::string(t.table) == "battery") sets += ", revision=revision+1";
    return fmt::format("'UPDATE {} SET {} WHERE {}'", t.table, sets, condition(t, row));
}

std::string trigger(const std::string& name, const std::string& on, const std::string& undo,
                    const std::string& redo) {
    return fmt::format(
        "CREATE TRIGGER {} AFTER {} WHEN (SELECT open FROM journal_state) > 0 BEGIN\n"
        "INSERT INTO change_part(change_id, undo, redo) VALUES "
        "((SELECT open FROM journal_state), {}, {});\nEND;",
        name, on, undo, redo);
}

std::optional<std::pair<std::int64_t, std::string>> newest(SQLite::Database& db, bool undone) {
    // Undo takes the youngest that stands; redo the oldest of those that were taken back.
    SQLite::Statement q(db, undone
                                ? "SELECT id, label FROM change WHERE undone=1 ORDER BY id LIMIT 1"
                                : "SELECT id, label FROM change WHERE undone=0 ORDER BY id DESC "
                                  "LIMIT 1");
    if (!q.executeStep()) return std::nullopt;
    return std::pair{q.getColumn(0).getInt64(), q.getColumn(1).getString()};
}

std::optional<std::string> run(SQLite::Database& db, bool undo) {
    const auto change = newest(db, !undo);
    if (!change) return std::nullopt;
    std::vector<std::string> parts;
    {
        SQLite::Statement q(
            db, undo ? "SELECT undo FROM change_part WHERE change_id=? ORDER BY position DESC"
                     : "SELECT redo FROM change_part WHERE change_id=? ORDER BY position");
        q.bind(1, change->first);
        while (q.executeStep()) parts.push_back(q.getColumn(0).getString());
    }
    for (const std::string& sql : parts) db.exec(sql);
    SQLite::Statement mark(db, "UPDATE change SET undone=? WHERE id=?");
    mark.bind(1, undo ? 1 : 0);
    mark.bind(2, change->first);
    mark.exec();
    return change->second;
}

}  // namespace

namespace {

/// A recording comes and goes by its mark; its samples stay. It lets its battery go, so that the
/// battery that came in with it can be taken back too.
void createRecordingTrigger(SQLite::Database& db) {
    db.exec(trigger("journal_recording_insert", "INSERT ON recording",
                    "'UPDATE recording SET removed=1, battery_id=NULL WHERE id=' || new.id",
                    "'UPDATE recording SET removed=0, battery_id=' || quote(new.battery_id) || ' "
                    "WHERE id=' || new.id"));
}

}  // namespace

void mendRecordingJournal(SQLite::Database& db) {
    db.exec("DROP TRIGGER journal_recording_insert");
    createRecordingTrigger(db);
    // What is in the journal already: the battery is the one the recording has now.
    db.exec(R"sql(
UPDATE change_part SET redo = replace(redo, 'SET removed=0 WHERE', 'SET removed=0, battery_id=' ||
  coalesce((SELECT quote(r.battery_id) FROM recording r
            WHERE redo = 'UPDATE recording SET removed=0 WHERE id=' || r.id), 'NULL') || ' WHERE')
  WHERE redo LIKE 'UPDATE recording SET removed=0 WHERE id=%';
UPDATE change_part SET undo = replace(undo, 'SET removed=1 WHERE', 'SET removed=1, battery_id=NULL WHERE')
  WHERE undo LIKE 'UPDATE recording SET removed=1 WHERE id=%';
UPDATE recording SET battery_id=NULL WHERE removed=1 AND id IN (
  SELECT r.id FROM recording r JOIN change_part p
    ON p.undo = 'UPDATE recording SET removed=1, battery_id=NULL WHERE id=' || r.id
    JOIN change c ON c.id = p.change_id WHERE c.undone=1);
)sql");
}

void createJournal(SQLite::Database& db) {
    db.exec(R"sql(
CREATE TABLE change (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  label TEXT NOT NULL,
  at_s REAL NOT NULL,
  undone INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE change_part (
  position INTEGER PRIMARY KEY AUTOINCREMENT,
  change_id INTEGER NOT NULL REFERENCES change(id) ON DELETE CASCADE,
  undo TEXT NOT NULL,
  redo TEXT NOT NULL
);
CREATE INDEX change_part_change ON change_part(change_id);
CREATE TABLE journal_state (open INTEGER NOT NULL);
INSERT INTO journal_state VALUES (0);
)sql");
    for (const Journaled& t : journaledTables()) {
        const std::string name = std::string("journal_") + t.table;
        db.exec(trigger(name + "_insert", fmt::format("INSERT ON {}", t.table),
                        deleteText(t, "new"), insertText(t, "new")));
        db.exec(trigger(name + "_delete", fmt::format("DELETE ON {}", t.table),
                        insertText(t, "old"), deleteText(t, "old")));
        db.exec(trigger(name + "_update", fmt::format("UPDATE ON {}", t.table),
                        updateText(t, "old"), updateText(t, "new")));
    }
    createRecordingTrigger(db);
    const Journaled recording{"recording", {"id"}, {"battery_id", "title", "removed"}};
    db.exec(trigger("journal_recording_update", "UPDATE OF battery_id, title, removed ON recording",
                    updateText(recording, "old"), updateText(recording, "new")));
}

void beginChange(SQLite::Database& db, const std::string& label) {
    db.exec("DELETE FROM change WHERE undone=1");
    SQLite::Statement insert(
        db, "INSERT INTO change(label, at_s) VALUES (?, (julianday('now') - 2440587.5) * 86400)");
    insert.bind(1, label);
    insert.exec();
    SQLite::Statement open(db, "UPDATE journal_state SET open=?");
    open.bind(1, static_cast<std::int64_t>(db.getLastInsertRowid()));
    open.exec();
    SQLite::Statement old(db, "DELETE FROM change WHERE id <= (SELECT max(id) FROM change) - ?");
    old.bind(1, kJournalDepth);
    old.exec();
}

void endChange(SQLite::Database& db) {
    // A change that changed nothing is none.
    db.exec(
        "DELETE FROM change WHERE id=(SELECT open FROM journal_state) AND NOT EXISTS "
        "(SELECT 1 FROM change_part WHERE change_id=change.id)");
    db.exec("UPDATE journal_state SET open=0");
}

std::optional<std::string> undoLabel(SQLite::Database& db) {
    const auto change = newest(db, false);
    return change ? std::optional(change->second) : std::nullopt;
}
std::optional<std::string> redoLabel(SQLite::Database& db) {
    const auto change = newest(db, true);
    return change ? std::optional(change->second) : std::nullopt;
}
std::optional<std::string> undoChange(SQLite::Database& db) {
    return run(db, true);
}
std::optional<std::string> redoChange(SQLite::Database& db) {
    return run(db, false);
}

}  // namespace nk
