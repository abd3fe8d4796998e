// One row of the bench book as text: "id=5,name='Red torch',rated_Ah=2.0". The undo journal keeps
// the rows before and after a change in this form. It is data: it is parsed strictly against the
// columns a table has, and bound to statements of the program's own; nothing of it is ever run.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

namespace SQLite {
class Statement;
}

namespace nk {

/// A value of a column; monostate is NULL.
using RowValue = std::variant<std::monostate, std::int64_t, double, std::string>;
using Row = std::vector<std::pair<std::string, RowValue>>;

enum class ColumnKind { Integer, Real, Text };

struct RowColumn {
    const char* name;
    ColumnKind kind;
    bool nullable = false;
    bool later = false;  ///< came in with a later schema: older entries lack it
};

/// A table whose changes are journaled: its columns, those of the key first.
struct RowTable {
    const char* name;
    std::size_t keys;
    std::vector<RowColumn> columns;
};

/// Whether a row has all columns that its table had when entries of the journal began.
bool wholeRow(const RowTable& table, const Row& row);

/// The journaled tables; nothing else can be changed by undo. A recording is never inserted or
/// deleted by undo: only its battery, title and mark change.
const std::vector<RowTable>& journaledTables();
/// Those of schemas 2 and 3, with the columns they had then.
const std::vector<RowTable>& firstJournaledTables();
const RowTable* journaledTable(std::string_view name);

/// An SQL expression that yields the text of a trigger's row ("new" or "old"); of all columns, or
/// of those named.
std::string rowExpression(const RowTable& table, const char* row,
                          const std::vector<std::string>& columns = {});

/// Parses the text of a row. Nothing unless every column belongs to the table, comes once, in the
/// table's order, the key among them, each with a value of its kind.
std::optional<Row> parseRow(const RowTable& table, std::string_view text);

/// An SQL literal (NULL, number, 'text') at the front of `text`, which is moved behind it. Nothing
/// for anything else.
std::optional<RowValue> takeLiteral(std::string_view& text);

/// Text of a row from its values.
std::string rowText(const Row& row);

void bindValue(SQLite::Statement& statement, int index, const RowValue& value);

}  // namespace nk
