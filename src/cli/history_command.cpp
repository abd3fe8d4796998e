#include "history_command.h"

#include <ostream>

#include "report/history_json.h"

namespace nk {

HistoryCommand::HistoryCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("history", "All readings of a battery over time, with their conditions");
    command->add_option("BOOK", book_, "the bench book (.nkbook)")->required();
    command->add_option("BATTERY", battery_, "the battery's number or exact name")->required();
    auto* json =
        command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/history/1)");
    command->add_flag("--csv", csv_, "a table, one reading a row")->excludes(json);
    command->callback([this, &status] { status = run(); });
}

int HistoryCommand::run() {
    auto book = BenchBook::open(book_, false);
    if (!book) return err_ << book.error().text() << '\n', 1;
    const auto battery = findBattery(**book, battery_);
    if (!battery) return err_ << battery.error().text() << '\n', 1;
    const auto history = batteryHistory(**book, battery->id);
    if (!history) return err_ << history.error().text() << '\n', 1;
    for (const std::string& left : history->leftOut) err_ << left << '\n';
    out_ << (json_ ? historyJson(*history) : csv_ ? historyCsv(*history) : historyText(*history));
    return 0;
}

}  // namespace nk
