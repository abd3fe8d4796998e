#include "fade_command.h"

#include "options.h"

#include <ostream>

#include "history/fade_report.h"
#include "report/fade_json.h"

namespace nk {

FadeCommand::FadeCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand(
        "fade", "How a battery fades over its cycles, and when it is at its end");
    command
        ->add_option("TABLE", table_,
                     "a table with one row a cycle (cycle, capacity, resistance, temperature, "
                     "date); with --book the battery's number or exact name")
        ->required();
    command->add_option("--book", book_, "take the cycles of a battery from this bench book");
    command->add_option("--cell", cell_, "which battery of a table that names several");
    command->add_option("--rated-ah", rated_Ah_, "capacity of the label, Ah")
        ->check(within(0.001, 100000.0));
    command->add_option("--end", end_, "the end: 80%, 2.0Ah; of a resistance 150%, 30mohm")
        ->capture_default_str();
    command->add_option("--reference", reference_, "the end is a share of: initial or label")
        ->check(CLI::IsMember({"initial", "label"}))
        ->capture_default_str();
    command->add_option("--against", against_, "cycles, throughput or days")
        ->check(CLI::IsMember({"cycles", "throughput", "days"}))
        ->capture_default_str();
    command->add_option("--of", of_, "capacity or resistance")
        ->check(CLI::IsMember({"capacity", "resistance"}))
        ->capture_default_str();
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/fade/1)");
    command->callback([this, &status] { status = run(); });
}

int FadeCommand::run() {
    FadeQuestion question;
    question.of = of_ == "capacity" ? FadeOf::Capacity : FadeOf::Resistance;
    question.against = against_ == "cycles" ? FadeAxis::Cycles
                       : against_ == "days" ? FadeAxis::Days
                                            : FadeAxis::Throughput;
    question.ofLabel = reference_ == "label";
    question.rated_Ah = rated_Ah_;
    const bool usual = end_ == "80%" && question.of == FadeOf::Resistance;
    if (auto ok = readEnd(usual ? "150%" : end_, question); !ok)
        return err_ << ok.error().text() << '\n', 2;
    Expected<CycleTable> table = CycleTable();
    std::optional<Standing> standing;
    if (!book_.empty()) {
        auto book = BenchBook::open(book_, false);
        if (!book) return err_ << book.error().text() << '\n', 1;
        const auto battery = findBattery(**book, table_);
        if (!battery) return err_ << battery.error().text() << '\n', 1;
        if (question.rated_Ah <= 0) question.rated_Ah = battery->battery.rated_Ah;
        const auto history = batteryHistory(**book, battery->id);
        if (!history) return err_ << history.error().text() << '\n', 1;
        for (const std::string& left : history->leftOut) err_ << left << '\n';
        if (auto made = standingOf(**book, *history)) standing = std::move(*made);
        table = cyclesOf(*history, question.of);
    } else {
        const auto plain = readPlainTableFile(table_);
        if (!plain) return err_ << plain.error().text() << '\n', 1;
        table = readCycles(*plain, rated_Ah_, cell_);
    }
    if (!table) return err_ << table.error().text() << '\n', 1;
    auto report = fadeOf(std::move(*table), question);
    if (!report) return err_ << report.error().text() << '\n', 1;
    if (standing) quoteStanding(*report, *standing);
    out_ << (json_ ? fadeJson(*report) : fadeText(*report));
    return 0;
}

}  // namespace nk
