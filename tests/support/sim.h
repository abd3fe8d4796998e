// Simulated logs for tests, with their truth.
#pragma once

#include <string>

#include "cellmodel/scenario.h"
#include "formats/text_table.h"

namespace nk::test {

/// A scenario from JSON text; fails the test when it cannot be read.
Scenario scenario(const std::string& json);

/// A lithium 3S charge (constant current, constant voltage), rest, discharge, rest. `logger` and
/// `format` are JSON objects to vary.
std::string lithiumCycle(const std::string& logger = "{}", const std::string& format = "{}",
                         int seed = 1);

/// Simulates, writes the log in its dialect and reads it back through the importer.
struct Logged {
    Scenario scenario;
    Simulation simulation;
    std::string text;
    Imported imported;
    const TruePhase& phase(ProgramStep::Kind kind, int nth = 0) const;
};
Logged logged(const std::string& json, const ReadOptions& options = {});

/// A recording straight from columns.
RecordingPtr recording(std::vector<double> time_s, std::vector<double> voltage_V,
                       std::vector<double> current_A, std::vector<double> temperature_C = {});

}  // namespace nk::test
