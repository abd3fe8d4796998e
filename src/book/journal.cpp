#include "journal.h"

#include <fmt/format.h>

#include <stdexcept>

#include "quantity/phrase.h"
#include "row_text.h"

namespace nk {

const char* const kJournalTables = R"sql(
CREATE TABLE change (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  label TEXT NOT NULL,
  at_s REAL NOT NULL,
  undone INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE change_part (
  position INTEGER PRIMARY KEY AUTOINCREMENT,
  change_id INTEGER NOT NULL REFERENCES change(id) ON DELETE CASCADE,
  place TEXT NOT NULL,
  before TEXT,
  after TEXT
);
CREATE INDEX change_part_change ON change_part(change_id);
)sql";

namespace {

std::string trigger(const RowTable& table, const char* name, const std::string& on,
                    const std::string& before, const std::string& after) {
    return fmt::format(
        "CREATE TEMP TRIGGER journal_{0}_{1} AFTER {2} ON main.{0} WHEN (SELECT open FROM "
        "journal_state) > 0 BEGIN\n"
        "INSERT INTO change_part(change_id, place, before, after) VALUES "
        "((SELECT open FROM journal_state), '{0}', {3}, {4});\nEND;",
        table.name, name, on, before, after);
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

/// One entry of the journal, checked.
struct Part {
    const RowTable* table = nullptr;
    std::optional<Row> before, after;
};

/// Nothing when the entry cannot have been written by this program.
std::optional<Part> readPart(const std::string& place, const std::optional<std::string>& before,
                             const std::optional<std::string>& after) {
    Part part;
    part.table = journaledTable(place);
    if (part.table == nullptr || (!before && !after)) return std::nullopt;
    const bool recording = place == "recording";
    for (const auto& [text, row] :
         {std::pair{&before, &part.before}, std::pair{&after, &part.after}}) {
        if (!*text) continue;
        *row = parseRow(*part.table, **text);
        if (!*row) return std::nullopt;
        if (!recording && !wholeRow(*part.table, **row)) return std::nullopt;
    }
    if (recording && (!part.before || !part.after)) return std::nullopt;
    if (part.before && part.after) {
        if (part.before->size() != part.after->size() || part.before->size() <= part.table->keys)
            return std::nullopt;
        for (std::size_t k = 0; k < part.before->size(); ++k) {
            if ((*part.before)[k].first != (*part.after)[k].first) return std::nullopt;
            if (k < part.table->keys && (*part.before)[k].second != (*part.after)[k].second)
                return std::nullopt;
        }
    }
    return part;
}

std::optional<std::string> textOrNull(const SQLite::Column& column) {
    if (column.isNull()) return std::nullopt;
    return column.getString();
}

std::string condition(const RowTable& table) {
    std::string out;
    for (std::size_t k = 0; k < table.keys; ++k)
        out += fmt::format("{}{}=?", k > 0 ? " AND " : "", table.columns[k].name);
    return out;
}

/// Puts the row `to` in the place of `from`; either may be missing.
void replaceRow(SQLite::Database& db, const RowTable& table, const std::optional<Row>& from,
                const std::optional<Row>& to) {
    if (!to) {
        SQLite::Statement q(db,
                            fmt::format("DELETE FROM {} WHERE {}", table.name, condition(table)));
        for (std::size_t k = 0; k < table.keys; ++k)
            bindValue(q, static_cast<int>(k) + 1, (*from)[k].second);
        q.exec();
        return;
    }
    std::string names;
    std::string values;
    std::string sets;
    for (std::size_t k = 0; k < to->size(); ++k) {
        const std::string& name = (*to)[k].first;
        names += (k > 0 ? ", " : "") + name;
        values += k > 0 ? ", ?" : "?";
        if (k >= table.keys) sets += (sets.empty() ? "" : ", ") + name + "=?";
    }
    // A revision only ever grows, so that another window's check still holds.
    const bool revised = std::string_view(table.name) == "battery" ||
                         std::string_view(table.name) == "instrument" ||
                         std::string_view(table.name) == "charger";
    if (revised) {
        const std::string revision = std::to_string(nextRevision(db));
        names += ", revision";
        values += ", " + revision;
        sets += ", revision=" + revision;
    }
    if (!from) {
        SQLite::Statement q(
            db, fmt::format("INSERT INTO {}({}) VALUES ({})", table.name, names, values));
        for (std::size_t k = 0; k < to->size(); ++k)
            bindValue(q, static_cast<int>(k) + 1, (*to)[k].second);
        q.exec();
        return;
    }
    SQLite::Statement q(
        db, fmt::format("UPDATE {} SET {} WHERE {}", table.name, sets, condition(table)));
    int index = 1;
    for (std::size_t k = table.keys; k < to->size(); ++k) bindValue(q, index++, (*to)[k].second);
    for (std::size_t k = 0; k < table.keys; ++k) bindValue(q, index++, (*to)[k].second);
    q.exec();
}

std::optional<std::string> run(SQLite::Database& db, bool undo) {
    const auto change = newest(db, !undo);
    if (!change) return std::nullopt;
    std::vector<Part> parts;
    {
        SQLite::Statement q(db,
                            undo ? "SELECT place, before, after FROM change_part WHERE change_id=? "
                                   "ORDER BY position DESC"
                                 : "SELECT place, before, after FROM change_part WHERE change_id=? "
                                   "ORDER BY position");
        q.bind(1, change->first);
        while (q.executeStep()) {
            auto part = readPart(q.getColumn(0).getString(), textOrNull(q.getColumn(1)),
                                 textOrNull(q.getColumn(2)));
            if (!part)
                throw std::runtime_error(
                    phrase("an entry of the undo journal is not the program's own"));
            parts.push_back(std::move(*part));
        }
    }
    for (const Part& part : parts)
        replaceRow(db, *part.table, undo ? part.after : part.before,
                   undo ? part.before : part.after);
    SQLite::Statement mark(db, "UPDATE change SET undone=? WHERE id=?");
    mark.bind(1, undo ? 1 : 0);
    mark.bind(2, change->first);
    mark.exec();
    return change->second;
}

}  // namespace

void watchChanges(SQLite::Database& db) {
    db.exec(
        "CREATE TEMP TABLE journal_state (open INTEGER NOT NULL); INSERT INTO journal_state VALUES "
        "(0)");
    for (const RowTable& t : journaledTables()) {
        const std::string before = rowExpression(t, "old");
        const std::string after = rowExpression(t, "new");
        if (std::string_view(t.name) == "recording") {
            // A recording comes and goes by its mark; its samples stay. It lets its battery go, so
            // that the battery that came in with it can be taken back too.
            const std::string whole = rowExpression(
                t, "new", {"id", "battery_id", "removed", "instrument_id", "charger_id"});
            db.exec(trigger(t, "insert", "INSERT",
                            "'id=' || quote(new.id) || "
                            "',battery_id=NULL,removed=1,instrument_id=NULL,charger_id=NULL'",
                            whole));
            db.exec(trigger(t, "update",
                            "UPDATE OF battery_id, title, removed, instrument_id, charger_id",
                            before, after));
            continue;
        }
        db.exec(trigger(t, "insert", "INSERT", "NULL", after));
        db.exec(trigger(t, "delete", "DELETE", before, "NULL"));
        db.exec(trigger(t, "update", "UPDATE", before, after));
    }
}

std::vector<std::string> foreignEntries(SQLite::Database& db) {
    constexpr std::size_t kNamed = 3;
    std::vector<std::string> out;
    SQLite::Statement q(db, "SELECT position, place, before, after FROM change_part");
    while (q.executeStep() && out.size() < kNamed)
        if (!readPart(q.getColumn(1).getString(), textOrNull(q.getColumn(2)),
                      textOrNull(q.getColumn(3))))
            out.push_back(phrase("entry {} of the undo journal", q.getColumn(0).getInt64()));
    return out;
}

ChangePart::~ChangePart() {
    if (kept_) return;
    try {
        db_.exec("ROLLBACK TO change_part");
        db_.exec("RELEASE change_part");
    } catch (const SQLite::Exception&) {
        // The whole transaction is gone already.
    }
}

void ChangePart::keep() {
    db_.exec("RELEASE change_part");
    kept_ = true;
}

std::int64_t nextRevision(SQLite::Database& db) {
    db.exec(
        "INSERT INTO counter(name, value) VALUES ('revision', 1) ON CONFLICT(name) DO UPDATE SET "
        "value=value+1");
    return db.execAndGet("SELECT value FROM counter WHERE name='revision'").getInt64();
}

bool inChange(SQLite::Database& db) {
    return db.execAndGet("SELECT open FROM journal_state").getInt64() > 0;
}

void beginChange(SQLite::Database& db, const ChangeLabel& label) {
    db.exec("DELETE FROM change WHERE undone=1");
    SQLite::Statement insert(
        db, "INSERT INTO change(label, at_s) VALUES (?, (julianday('now') - 2440587.5) * 86400)");
    insert.bind(1, labelText(label));
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
