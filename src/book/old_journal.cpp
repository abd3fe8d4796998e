#include "old_journal.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <optional>

#include "guard.h"
#include "journal.h"
#include "row_text.h"

namespace nk {

namespace {

/// "id=' || quote(old.id) || ' AND …": text that becomes a condition on the key.
std::string condition(const RowTable& t, const char* row) {
    std::string out;
    for (std::size_t k = 0; k < t.keys; ++k)
        out += fmt::format("{}{}=' || quote({}.{}) || '", out.empty() ? "" : " AND ",
                           t.columns[k].name, row, t.columns[k].name);
    return out;
}

std::string insertText(const RowTable& t, const char* row) {
    std::string names;
    std::string values;
    for (const RowColumn& c : t.columns) {
        names += (names.empty() ? "" : ", ") + std::string(c.name);
        values += fmt::format("{}' || quote({}.{}) || '", values.empty() ? "" : ", ", row, c.name);
    }
    return fmt::format("'INSERT INTO {}({}) VALUES ({})'", t.name, names, values);
}

std::string deleteText(const RowTable& t, const char* row) {
    return fmt::format("'DELETE FROM {} WHERE {}'", t.name, condition(t, row));
}

std::string updateText(const RowTable& t, const char* row) {
    std::string sets;
    for (std::size_t k = t.keys; k < t.columns.size(); ++k)
        sets += fmt::format("{}{}=' || quote({}.{}) || '", sets.empty() ? "" : ", ",
                            t.columns[k].name, row, t.columns[k].name);
    if (std::string_view(t.name) == "battery") sets += ", revision=revision+1";
    return fmt::format("'UPDATE {} SET {} WHERE {}'", t.name, sets, condition(t, row));
}

std::string trigger(const std::string& name, const std::string& on, const std::string& undo,
                    const std::string& redo) {
    return fmt::format(
        "CREATE TRIGGER {} AFTER {} WHEN (SELECT open FROM journal_state) > 0 BEGIN\n"
        "INSERT INTO change_part(change_id, undo, redo) VALUES "
        "((SELECT open FROM journal_state), {}, {});\nEND;",
        name, on, undo, redo);
}

bool take(std::string_view& text, std::string_view what) {
    if (!text.starts_with(what)) return false;
    text.remove_prefix(what.size());
    return true;
}

/// "name=literal" for the columns from `from` to `to`, joined by `joint`.
bool takePairs(std::string_view& text, const RowTable& t, std::size_t from, std::size_t to,
               std::string_view joint, Row& row) {
    for (std::size_t k = from; k < to; ++k) {
        if (k > from && !take(text, joint)) return false;
        if (!take(text, t.columns[k].name) || !take(text, "=")) return false;
        auto value = takeLiteral(text);
        if (!value) return false;
        row.emplace_back(t.columns[k].name, std::move(*value));
    }
    return true;
}

struct OldStatement {
    enum class Kind { Insert, Delete, Update, Mark } kind = Kind::Insert;
    const RowTable* table = nullptr;
    Row row;  ///< the key first
};

std::optional<OldStatement> parseOn(const RowTable& t, std::string_view text) {
    OldStatement out;
    out.table = &t;
    std::string names;
    for (const RowColumn& c : t.columns) names += (names.empty() ? "" : ", ") + std::string(c.name);
    if (take(text, fmt::format("INSERT INTO {}({}) VALUES (", t.name, names))) {
        for (std::size_t k = 0; k < t.columns.size(); ++k) {
            if (k > 0 && !take(text, ", ")) return std::nullopt;
            auto value = takeLiteral(text);
            if (!value) return std::nullopt;
            out.row.emplace_back(t.columns[k].name, std::move(*value));
        }
        return text == ")" ? std::optional(out) : std::nullopt;
    }
    if (take(text, fmt::format("DELETE FROM {} WHERE ", t.name))) {
        out.kind = OldStatement::Kind::Delete;
        return takePairs(text, t, 0, t.keys, " AND ", out.row) && text.empty() ? std::optional(out)
                                                                               : std::nullopt;
    }
    if (!take(text, fmt::format("UPDATE {} SET ", t.name))) return std::nullopt;
    out.kind = OldStatement::Kind::Update;
    Row values;
    if (std::string_view(t.name) == "recording" && text.starts_with("removed=")) {
        // The mark alone, as an import leaves it; schema 3 keeps the battery beside it.
        out.kind = OldStatement::Kind::Mark;
        take(text, "removed=");
        auto removed = takeLiteral(text);
        if (!removed) return std::nullopt;
        if (take(text, ", battery_id=")) {
            auto battery = takeLiteral(text);
            if (!battery) return std::nullopt;
            values.emplace_back("battery_id", std::move(*battery));
        }
        values.emplace_back("removed", std::move(*removed));
    } else {
        if (!takePairs(text, t, t.keys, t.columns.size(), ", ", values)) return std::nullopt;
        if (std::string_view(t.name) == "battery" && !take(text, ", revision=revision+1"))
            return std::nullopt;
    }
    if (!take(text, " WHERE ") || !takePairs(text, t, 0, t.keys, " AND ", out.row) || !text.empty())
        return std::nullopt;
    out.row.insert(out.row.end(), values.begin(), values.end());
    return out;
}

std::optional<OldStatement> parseOld(std::string_view text) {
    for (const RowTable& t : firstJournaledTables())
        if (auto statement = parseOn(t, text)) return statement;
    return std::nullopt;
}

struct OldPart {
    const RowTable* table = nullptr;
    std::optional<Row> before, after;
};

std::optional<OldPart> parsePair(const std::string& undo, const std::string& redo) {
    using Kind = OldStatement::Kind;
    const auto u = parseOld(undo);
    const auto r = parseOld(redo);
    if (!u || !r || u->table != r->table) return std::nullopt;
    OldPart out;
    out.table = u->table;
    if (u->kind == Kind::Delete && r->kind == Kind::Insert)
        out.after = r->row;
    else if (u->kind == Kind::Insert && r->kind == Kind::Delete)
        out.before = u->row;
    else if (u->kind == r->kind && (u->kind == Kind::Update || u->kind == Kind::Mark) &&
             u->row.size() == r->row.size())
        out.before = u->row, out.after = r->row;
    else
        return std::nullopt;
    // A value of the wrong kind is not the program's either.
    for (const auto* row : {&out.before, &out.after})
        if (*row && !parseRow(*out.table, rowText(**row))) return std::nullopt;
    return out;
}

}  // namespace

std::string oldJournalSql(int version) {
    std::string sql = R"sql(
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
)sql";
    for (const RowTable& t : firstJournaledTables()) {
        const std::string name = std::string("journal_") + t.name;
        if (std::string_view(t.name) == "recording") {
            const char* lets = version >= 3 ? ", battery_id=NULL" : "";
            const char* takes = version >= 3
                                    ? "removed=0, battery_id=' || quote(new.battery_id) || ' WHERE"
                                    : "removed=0 WHERE";
            sql +=
                trigger(name + "_insert", "INSERT ON recording",
                        fmt::format("'UPDATE recording SET removed=1{} WHERE id=' || new.id", lets),
                        fmt::format("'UPDATE recording SET {} id=' || new.id", takes));
            sql += trigger(name + "_update", "UPDATE OF battery_id, title, removed ON recording",
                           updateText(t, "old"), updateText(t, "new"));
            continue;
        }
        sql += trigger(name + "_insert", fmt::format("INSERT ON {}", t.name), deleteText(t, "new"),
                       insertText(t, "new"));
        sql += trigger(name + "_delete", fmt::format("DELETE ON {}", t.name), insertText(t, "old"),
                       deleteText(t, "old"));
        sql += trigger(name + "_update", fmt::format("UPDATE ON {}", t.name), updateText(t, "old"),
                       updateText(t, "new"));
    }
    return sql;
}

std::string foreignOldEntry(SQLite::Database& db) {
    SQLite::Statement q(db, "SELECT position, undo, redo FROM change_part");
    while (q.executeStep())
        if (!parsePair(q.getColumn(1).getString(), q.getColumn(2).getString()))
            return phrase("entry {} of the undo journal", q.getColumn(0).getInt64());
    return {};
}

void convertJournal(SQLite::Database& db) {
    struct Entry {
        std::int64_t position, change;
        bool undone;
        OldPart part;
    };
    std::vector<Entry> entries;
    {
        SQLite::Statement q(
            db,
            "SELECT p.position, p.change_id, c.undone, p.undo, p.redo FROM change_part p "
            "JOIN change c ON c.id = p.change_id ORDER BY p.position");
        while (q.executeStep()) {
            auto part = parsePair(q.getColumn(3).getString(), q.getColumn(4).getString());
            if (!part)
                throw Refused{{ErrorKind::Storage,
                               phrase("An entry of the undo journal is not the program's own."),
                               phrase("bench book"), ""}};
            entries.push_back({q.getColumn(0).getInt64(), q.getColumn(1).getInt64(),
                               q.getColumn(2).getInt() != 0, std::move(*part)});
        }
    }
    for (const RowTable& t : firstJournaledTables())
        for (const char* kind : {"insert", "delete", "update"})
            db.exec(fmt::format("DROP TRIGGER IF EXISTS journal_{}_{}", t.name, kind));
    // The changes keep their numbers; only their entries get another form.
    db.exec(
        "CREATE TEMP TABLE kept AS SELECT * FROM change; DROP TABLE change_part; DROP TABLE "
        "change; "
        "DROP TABLE journal_state");
    db.exec(kJournalTables);
    db.exec(
        "INSERT INTO change(id, label, at_s, undone) SELECT id, label, at_s, undone FROM kept; "
        "DROP TABLE kept");
    SQLite::Statement insert(
        db,
        "INSERT INTO change_part(position, change_id, place, before, after) VALUES (?,?,?,?,?)");
    for (Entry& e : entries) {
        auto& [table, before, after] = e.part;
        if (before && after && before->size() == 2) {
            // Schema 2: the mark alone. The battery is the one the recording has now, and one that
            // was taken back has let its battery go.
            const RowValue id = (*after)[0].second;
            RowValue battery;
            SQLite::Statement q(db, "SELECT battery_id FROM recording WHERE id=?");
            bindValue(q, 1, id);
            if (q.executeStep() && !q.getColumn(0).isNull())
                battery = static_cast<std::int64_t>(q.getColumn(0).getInt64());
            before->insert(before->begin() + 1, {"battery_id", RowValue()});
            after->insert(after->begin() + 1, {"battery_id", battery});
            if (e.undone) {
                SQLite::Statement loosen(
                    db, "UPDATE recording SET battery_id=NULL WHERE removed=1 AND id=?");
                bindValue(loosen, 1, id);
                loosen.exec();
            }
        }
        insert.reset();
        insert.bind(1, e.position);
        insert.bind(2, e.change);
        insert.bind(3, table->name);
        for (const auto& [index, row] : {std::pair{4, &before}, std::pair{5, &after}})
            if (*row)
                insert.bind(index, rowText(**row));
            else
                insert.bind(index);
        insert.exec();
    }
}

}  // namespace nk
