#include "habit_command.h"

#include "options.h"

#include <ostream>

#include "formats/bytes.h"
#include "history/habit_file.h"
#include "report/habit_json.h"

namespace nk {

HabitCommand::HabitCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand(
        "habit", "How charging habits spend a battery's life, by several published laws");
    command->add_option("HABIT", files_, "habit files (narrow-knee/habit-file/1)")->required();
    command->add_option("--chemistry", chemistry_, chemistryIds())->required();
    command->add_option("--series", series_, "cells in series")->check(within(1, 400));
    command->add_option("--rated-ah", rated_Ah_, "capacity of the label, Ah")
        ->check(within(0.001, 100000.0));
    command->add_option("--school", schools_, "table, nmc, lmo or lfp; default: those made for it")
        ->check(CLI::IsMember({"table", "nmc", "lmo", "lfp"}));
    command->add_option("--years", years_, "horizon of capacity_after_years")
        ->check(within(0.1, 100.0))
        ->capture_default_str();
    command->add_option("--base-cycles", base_, "full equivalents of the table of practice")
        ->check(within(10.0, 20000.0))
        ->capture_default_str();
    command->add_option("--drift-percent", drift_, "charge that cells drift apart in a month, %")
        ->check(within(0.0, 50.0));
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/habit/1)");
    command->callback([this, &status] { status = run(); });
}

int HabitCommand::run() {
    const auto chemistry = findChemistry(chemistry_);
    if (!chemistry) return err_ << chemistry.error().text() << '\n', 2;
    HabitBattery battery;
    battery.chemistry = *chemistry;
    battery.series = series_;
    battery.rated_Ah = rated_Ah_;
    battery.baseCycles = base_;
    battery.driftPerMonth = drift_ / 100;
    for (const std::string& id : schools_) battery.schools.push_back(*schoolOf(id));
    std::vector<HabitAnswer> answers;
    for (const std::string& file : files_) {
        const auto bytes = readFile(file);
        if (!bytes) return err_ << bytes.error().text() << '\n', 1;
        const auto read = readHabit(*bytes, file);
        if (!read) return err_ << read.error().text() << '\n', 1;
        auto answer = answerHabit(read->habit, battery);
        if (!answer) return err_ << file << ": " << answer.error().text() << '\n', 1;
        if (answer->habit.name.empty()) answer->habit.name = file;
        std::string assumed;
        for (const std::string& d : read->defaults) assumed += (assumed.empty() ? "" : "; ") + d;
        if (!assumed.empty()) answer->caveats.push_back("Left out, so taken as: " + assumed + ".");
        for (const std::string& u : read->unknown)
            answer->caveats.push_back("The field " + u +
                                      " means nothing here and was passed over.");
        answers.push_back(std::move(*answer));
    }
    const auto changes = whatChangesMost(answers.front(), battery);
    out_ << (json_ ? habitJson(answers, changes, battery, years_)
                   : habitText(answers, changes, battery));
    return 0;
}

}  // namespace nk
