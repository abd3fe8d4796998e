#include "tests/support/sim.h"

#include <gtest/gtest.h>

namespace nk::test {

Scenario scenario(const std::string& json) {
    auto s = parseScenario(json, "test");
    if (!s) {
        ADD_FAILURE() << s.error().text();
        return {};
    }
    return *s;
}

std::string lithiumCycle(const std::string& logger, const std::string& format, int seed) {
    return R"({"seed": )" + std::to_string(seed) + R"(, "ambient_C": 22,
  "battery": {"chemistry": "nmc", "series": 3, "rated_Ah": 2.5, "capacity_Ah": 2.4, "r0_ohm": 0.03, "soc": 0.1},
  "program": [{"do": "rest", "longest_s": 600},
              {"do": "charge", "current_A": 1.25, "set_V": 12.6, "cutoff_A": 0.12},
              {"do": "rest", "longest_s": 900},
              {"do": "discharge", "current_A": 1.25, "floor_V": 9.0},
              {"do": "rest", "longest_s": 900}],
  "logger": )" +
           logger + R"(, "format": )" + format + "}";
}

Logged logged(const std::string& json, const ReadOptions& options) {
    Logged out;
    out.scenario = scenario(json);
    out.simulation = simulate(out.scenario);
    out.text = writeLog(out.scenario, out.simulation);
    auto imported = readTextTable(out.text, "test.csv", options);
    if (!imported)
        ADD_FAILURE() << imported.error().text();
    else
        out.imported = std::move(*imported);
    return out;
}

const TruePhase& Logged::phase(ProgramStep::Kind kind, int nth) const {
    for (const TruePhase& p : simulation.truth)
        if (p.kind == kind && nth-- == 0) return p;
    ADD_FAILURE() << "no such phase";
    return simulation.truth.front();
}

RecordingPtr recording(std::vector<double> time_s, std::vector<double> voltage_V,
                       std::vector<double> current_A, std::vector<double> temperature_C) {
    RecordingData d;
    d.time_s = std::move(time_s);
    d.voltage_V = std::move(voltage_V);
    d.current_A = std::move(current_A);
    d.temperature_C = std::move(temperature_C);
    return Recording::make(std::move(d));
}

}  // namespace nk::test
