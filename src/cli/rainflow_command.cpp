#include "rainflow_command.h"

#include "options.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <ostream>

#include "ageing/rainflow.h"
#include "formats/importer.h"
#include "formats/plain_table.h"
#include "recording/integral.h"
#include "report/json_writer.h"

namespace nk {

namespace {

struct History {
    std::vector<double> values;
    double full = 1;  ///< of one full cycle
    std::size_t blank = 0;
};

/// A column of a table; a charge level over 1.5 is in per cent.
Expected<History> fromTable(const PlainTable& table, int column) {
    History out;
    double largest = 0;
    for (std::size_t row = 0; row < table.rows.size(); ++row) {
        const auto x = table.number(row, column);
        if (!x) return tl::unexpected<Error>(x.error());
        if (std::isfinite(*x)) {
            out.values.push_back(*x);
            largest = std::max(largest, std::abs(*x));
        } else {
            ++out.blank;
        }
    }
    out.full = largest > 1.5 ? 100 : 1;
    return out;
}

}  // namespace

RainflowCommand::RainflowCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("rainflow", "Cycles of a column of charge levels (ASTM E1049-85)");
    command->add_option("TABLE", table_, "a table with such a column, or a log with --rated-ah")
        ->required();
    command->add_option("--column", column_, "the column's title")->capture_default_str();
    command->add_option("--rated-ah", rated_Ah_, "of a log: its charge over this is the level")
        ->check(within(0.001, 100000.0));
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/rainflow/1)");
    command->callback([this, &status] { status = run(); });
}

int RainflowCommand::run() {
    History history;
    const auto table = readPlainTableFile(table_);
    const int column = table ? table->column({column_.c_str()}) : -1;
    if (column >= 0) {
        auto read = fromTable(*table, column);
        if (!read) return err_ << read.error().text() << '\n', 1;
        history = std::move(*read);
    } else if (rated_Ah_ > 0) {
        const auto log = readLogFile(table_, {});
        if (!log) return err_ << log.error().text() << '\n', 1;
        for (const double q : cumulativeCharge_Ah(*log->recording))
            history.values.push_back(q / rated_Ah_);
    } else {
        if (!table) return err_ << table.error().text() << '\n', 1;
        std::string titles;
        for (const std::string& t : table->titles) titles += (titles.empty() ? "" : ", ") + t;
        err_ << table_ << ": there is no column \"" << column_
             << "\". Accepted: --column with one of " << titles << "; or --rated-ah for a log.\n";
        return 1;
    }
    const auto cycles = rainflow(history.values);
    const double full = equivalentFullCycles(cycles, history.full);
    if (!json_) {
        std::map<double, double> counts;
        for (const CountedCycle& c : cycles) counts[c.range] += c.count;
        out_ << fmt::format("{:.3g} equivalent full cycles, {} cycles and half cycles\n", full,
                            cycles.size());
        std::size_t shown = 0;
        for (auto it = counts.rbegin(); it != counts.rend() && shown < 20; ++it, ++shown)
            out_ << fmt::format("  range {:<10.6g} {:g} times\n", it->first, it->second);
        if (history.blank > 0) out_ << fmt::format("Blank cells passed over: {}.\n", history.blank);
        return 0;
    }
    JsonWriter out([this](std::string_view piece) { out_ << piece; });
    out.beginObject();
    out.key("schema").text("narrow-knee/rainflow/1");
    out.key("cycles").beginList();
    for (const CountedCycle& c : cycles) {
        out.beginObject();
        out.key("range").number(c.range);
        out.key("mean").number(c.mean);
        out.key("count").number(c.count);
        out.endObject();
    }
    out.endList();
    out.key("equivalent_full_cycles").number(full);
    out.key("full_range").number(history.full);
    out.key("blank_cells").whole(static_cast<std::int64_t>(history.blank));
    out.endObject();
    out.done();
    return 0;
}

}  // namespace nk
