#include "row_text.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace nk {

const std::vector<RowTable>& journaledTables() {
    using enum ColumnKind;
    static const std::vector<RowTable> list = {
        {"battery",
         1,
         {{"id", Integer},
          {"name", Text},
          {"chemistry", Text},
          {"series", Integer},
          {"parallel", Integer},
          {"rated_Ah", Real},
          {"mass_kg", Real},
          {"card", Text}}},
        {"step_edit",
         2,
         {{"recording_id", Integer},
          {"position", Integer},
          {"action", Text},
          {"at_s", Real},
          {"kind", Text},
          {"made", Text, false, true}}},
        {"correction",
         1,
         {{"id", Integer},
          {"recording_id", Integer},
          {"kind", Text},
          {"value", Real},
          {"uncertainty", Real},
          {"from_s", Real},
          {"to_s", Real, true},
          {"name", Text}}},
        {"spot_reading",
         1,
         {{"id", Integer},
          {"battery_id", Integer},
          {"kind", Text},
          {"value", Real},
          {"resolution", Real},
          {"at_epoch_s", Real},
          {"details", Text}}},
        {"recording",
         1,
         {{"id", Integer},
          {"battery_id", Integer, true},
          {"title", Text},
          {"removed", Integer},
          {"instrument_id", Integer, true, true},
          {"charger_id", Integer, true, true}}},
        {"instrument", 1, {{"id", Integer}, {"name", Text}, {"card", Text}}},
        {"charger", 1, {{"id", Integer}, {"name", Text}, {"card", Text}}},
        {"meter_check",
         1,
         {{"id", Integer},
          {"instrument_id", Integer},
          {"at_epoch_s", Real},
          {"kind", Text},
          {"value", Real},
          {"uncertainty", Real},
          {"name", Text}}},
        {"setting", 1, {{"name", Text}, {"value", Text}}},
        {"battery_life",
         1,
         {{"battery_id", Integer},
          {"part_of", Integer, true},
          {"position", Integer},
          {"details", Text},
          {"photo", Text}}},
        {"task_done",
         1,
         {{"id", Integer}, {"battery_id", Integer}, {"task", Text}, {"at_epoch_s", Real}}},
    };
    return list;
}

const std::vector<RowTable>& firstJournaledTables() {
    static const std::vector<RowTable> list = [] {
        constexpr std::size_t kFirst = 5;
        std::vector<RowTable> out(journaledTables().begin(), journaledTables().begin() + kFirst);
        for (RowTable& t : out)
            std::erase_if(t.columns, [](const RowColumn& c) { return c.later; });
        return out;
    }();
    return list;
}

const RowTable* journaledTable(std::string_view name) {
    for (const RowTable& t : journaledTables())
        if (name == t.name) return &t;
    return nullptr;
}

bool wholeRow(const RowTable& table, const Row& row) {
    std::size_t at = 0;
    for (const RowColumn& c : table.columns) {
        if (at < row.size() && row[at].first == c.name)
            ++at;
        else if (!c.later)
            return false;
    }
    return at == row.size();
}

std::string rowExpression(const RowTable& table, const char* row,
                          const std::vector<std::string>& columns) {
    std::string out;
    for (const RowColumn& c : table.columns) {
        if (!columns.empty() && std::ranges::find(columns, c.name) == columns.end()) continue;
        out += fmt::format("{}'{}{}=' || quote({}.{})", out.empty() ? "" : " || ",
                           out.empty() ? "" : ",", c.name, row, c.name);
    }
    return out;
}

std::optional<RowValue> takeLiteral(std::string_view& text) {
    if (text.starts_with("NULL")) {
        text.remove_prefix(4);
        return RowValue();
    }
    if (text.starts_with('\'')) {
        std::string out;
        for (std::size_t at = 1; at < text.size(); ++at) {
            if (text[at] != '\'') {
                out.push_back(text[at]);
            } else if (at + 1 < text.size() && text[at + 1] == '\'') {
                out.push_back('\'');
                ++at;
            } else {
                text.remove_prefix(at + 1);
                return RowValue(std::move(out));
            }
        }
        return std::nullopt;
    }
    const std::size_t length = std::min(text.find_first_not_of("0123456789+-.eE"), text.size());
    const std::string_view number = text.substr(0, length);
    if (number.empty()) return std::nullopt;
    RowValue value;
    if (number.find_first_of(".eE") == std::string_view::npos) {
        std::int64_t whole = 0;
        const auto [end, error] = std::from_chars(number.data(), number.data() + length, whole);
        if (error != std::errc() || end != number.data() + length) return std::nullopt;
        value = whole;
    } else {
        double real = 0;
        const auto [end, error] = std::from_chars(number.data(), number.data() + length, real);
        if (error != std::errc() || end != number.data() + length || !std::isfinite(real))
            return std::nullopt;
        value = real;
    }
    text.remove_prefix(length);
    return value;
}

std::optional<Row> parseRow(const RowTable& table, std::string_view text) {
    Row row;
    std::size_t next = 0;
    while (true) {
        const std::size_t equals = text.find('=');
        if (equals == std::string_view::npos) return std::nullopt;
        const std::string_view name = text.substr(0, equals);
        text.remove_prefix(equals + 1);
        while (next < table.columns.size() && name != table.columns[next].name) {
            if (next < table.keys) return std::nullopt;
            ++next;
        }
        if (next == table.columns.size()) return std::nullopt;
        const RowColumn& column = table.columns[next++];
        auto value = takeLiteral(text);
        if (!value) return std::nullopt;
        const bool null = std::holds_alternative<std::monostate>(*value);
        const bool whole = std::holds_alternative<std::int64_t>(*value);
        if (null                                 ? !column.nullable
            : column.kind == ColumnKind::Integer ? !whole
            : column.kind == ColumnKind::Real    ? !whole && !std::holds_alternative<double>(*value)
                                                 : !std::holds_alternative<std::string>(*value))
            return std::nullopt;
        row.emplace_back(column.name, std::move(*value));
        if (text.empty()) break;
        if (text.front() != ',') return std::nullopt;
        text.remove_prefix(1);
    }
    if (row.size() < table.keys) return std::nullopt;
    return row;
}

std::string rowText(const Row& row) {
    std::string out;
    for (const auto& [name, value] : row) {
        out += (out.empty() ? "" : ",") + name + "=";
        if (const auto* whole = std::get_if<std::int64_t>(&value)) {
            out += std::to_string(*whole);
        } else if (const auto* real = std::get_if<double>(&value)) {
            std::string number = fmt::format("{}", *real);
            if (number.find_first_of(".e") == std::string::npos) number += ".0";
            out += number;
        } else if (const auto* text = std::get_if<std::string>(&value)) {
            out.push_back('\'');
            for (const char c : *text) {
                if (c == '\'') out.push_back('\'');
                out.push_back(c);
            }
            out.push_back('\'');
        } else {
            out += "NULL";
        }
    }
    return out;
}

void bindValue(SQLite::Statement& statement, int index, const RowValue& value) {
    if (const auto* whole = std::get_if<std::int64_t>(&value))
        statement.bind(index, *whole);
    else if (const auto* real = std::get_if<double>(&value))
        statement.bind(index, *real);
    else if (const auto* text = std::get_if<std::string>(&value))
        statement.bind(index, *text);
    else
        statement.bind(index);
}

}  // namespace nk
