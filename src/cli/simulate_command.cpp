#include "simulate_command.h"

#include <filesystem>
#include <fstream>
#include <ostream>

#include "cellmodel/scenario.h"
#include "formats/bytes.h"
#include "formats/file_out.h"

namespace nk {

SimulateCommand::SimulateCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand(
        "simulate", "Makes a log with the simulated battery, charger and logger");
    command->add_option("SCENARIO", scenario_,
                        "a scenario file (JSON), or the name of one that ships with the program");
    command->add_option("-o,--output", output_, "the log to write");
    command->add_flag("--force", force_, "replace a log of that name");
    command->add_option("--seed", seed_, "seed of the noise, instead of the scenario's own");
    command->add_flag("--list", list_, "list the scenarios that ship with the program");
    command->callback([this, &status] { status = run(); });
}

int SimulateCommand::run() {
    if (list_) {
        for (const auto& [name, text] : scenarioFiles()) out_ << name << '\n';
        return 0;
    }
    if (scenario_.empty() || output_.empty()) {
        err_ << "simulate: a scenario and -o LOG are needed. Accepted: simulate SCENARIO -o LOG, "
                "or simulate --list.\n";
        return 2;
    }
    std::string text;
    for (const auto& [name, json] : scenarioFiles())
        if (name == scenario_) text = json;
    if (text.empty()) {
        auto bytes = readFile(scenario_);
        if (!bytes) {
            err_ << bytes.error().text()
                 << " (simulate --list names the scenarios that ship with the program)\n";
            return 1;
        }
        text = std::move(*bytes);
    }
    auto scenario = parseScenario(text, scenario_);
    if (!scenario) {
        err_ << scenario.error().text() << '\n';
        return 1;
    }
    if (seed_) scenario->seed = *seed_;
    const std::string log = writeLog(*scenario, simulate(*scenario));
    if (const auto done = writeFile(output_, log, force_, {scenario_}); !done) {
        err_ << done.error().text() << '\n';
        return 1;
    }
    return 0;
}

}  // namespace nk
