// A scenario: a battery, what is done to it, the logger that watches, and the dialect it writes.
// Read from JSON (docs/formats.md); the demo bench is made of these with fixed seeds.
#pragma once

#include <string>
#include <vector>

#include "cell.h"
#include "quantity/error.h"
#include "recording/recording.h"

namespace nk {

struct ProgramStep {
    enum class Kind { Rest, Charge, Discharge, Power, Resistor, Profile } kind = Kind::Rest;
    double current_A = 0;  ///< size, without sign
    double power_W = 0;    ///< of a power load; limit of a charger (0: none)
    double resistance_ohm = 0;
    double set_V = 0;         ///< pack voltage of a charger; 0: none (nickel)
    double cutoff_A = 0;      ///< charger stops under this current; 0: never
    double floor_V = 0;       ///< load stops under this pack voltage
    double cellFloor_V = 0;   ///< load stops when any cell is under this
    double longest_s = 0;     ///< time limit; 0: none
    double peakDrop_V = 0;    ///< −ΔV per cell of a nickel charger; 0: off
    double holdOff_s = 600;   ///< … not in this time from the start
    double softness_ohm = 0;  ///< lead resistance between charger and battery: a soft knee
    double charge_Ah = 0;     ///< charge limit; 0: none
    double ambient_C = kNaN;  ///< new surroundings from here on
    int times = 1;
    std::vector<double> levels_A;  ///< Profile: signed currents, `longest_s` each
};

struct LoggerSettings {
    double interval_s = 1;
    double resolution_V = 0.001, resolution_A = 0.001, resolution_C = 0.1;
    double noise_V = 0, noise_A = 0, noise_C = 0;
    double gain_V = 1, gain_A = 1, offset_V = 0, offset_A = 0;
    bool cells = false;
    bool temperature = true;
};

struct LogFormat {
    char delimiter = ',';
    char decimal = '.';
    std::string time = "seconds";  ///< seconds, milliseconds, minutes, clock, iso, datetime
    std::string start = "2026-11-14 18:00:00";
    bool dischargePositive = false;
    bool unsignedCurrent = false;
    std::string chargeWord, dischargeWord, restWord;  ///< mode column when not empty
    bool milliAmps = false;
    bool milliVolts = false;
    bool fahrenheit = false;
    bool bom = false, crlf = false, counter = false, unitLine = false, header = true;
    std::vector<std::string> preamble;
    std::vector<std::string>
        titles;  ///< time, voltage, current, temperature, mode, counter; cells follow
};

struct Scenario {
    std::string name;
    Battery battery;
    std::vector<CellParameters> cells;
    std::vector<CellState> states;
    double ambient_C = 25;
    std::vector<ProgramStep> program;
    LoggerSettings logger;
    LogFormat format;
    std::uint64_t seed = 1;
};

/// Reads a scenario. Errors name the field and what would be accepted.
Expected<Scenario> parseScenario(std::string_view json, const std::string& name);
/// The scenario and those of its list "again", each the scenario with some fields changed (a merge
/// patch, RFC 7386) and its own name behind a hyphen. Errors as parseScenario.
Expected<std::vector<Scenario>> parseScenarios(std::string_view json, const std::string& name);
/// The scenarios that ship with the program, by name, as JSON text.
const std::vector<std::pair<std::string_view, std::string_view>>& scenarioFiles();

/// What really happened, for tests: phases with their exact charge.
struct TruePhase {
    ProgramStep::Kind kind = ProgramStep::Kind::Rest;
    double start_s = 0, end_s = 0;
    double charge_Ah = 0;  ///< signed
    double energy_Wh = 0;
    double knee_s = kNaN;  ///< constant current ended
    double peak_s = kNaN;  ///< highest true voltage of a nickel charge after the hold-off
};

struct Simulation {
    RecordingData logged;  ///< as the logger shows it: noise, gain, resolution
    std::vector<TruePhase> truth;
};

/// Runs a scenario. Same scenario and seed, same result. At most 20 million logged rows.
Simulation simulate(const Scenario& scenario);

/// The log file in the scenario's dialect.
std::string writeLog(const Scenario& scenario, const Simulation& simulation);

}  // namespace nk
