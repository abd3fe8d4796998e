#include "simulated_instrument.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <random>

#include "engine.h"
#include "quantity/number.h"
#include "scenario.h"

namespace nk {

namespace {

constexpr double kStep_s = 0.5;
constexpr std::size_t kMostErrors = 20;

struct Start {
    const char *name, *battery, *program;
    double ambient_C;
};

/// The observatory's bench: a dew-heater pack before its knee, a radio module before its peak, a
/// flash pack at work, a mount pack that rests.
constexpr Start kStarts[] = {
    {"Dew heater 2",
     R"({"name": "x", "chemistry": "nmc", "series": 3, "rated_Ah": 5, "capacity_Ah": 4.4, "r0_ohm": 0.02, "soc": 0.82})",
     R"({"do": "charge", "current_A": 2.5, "set_V": 12.6, "cutoff_A": 0.25})", 20},
    {"Radio module 3",
     R"({"name": "x", "chemistry": "nimh", "series": 8, "rated_Ah": 2.0, "capacity_Ah": 1.8, "r0_ohm": 0.02, "soc": 0.86})",
     R"({"do": "charge", "current_A": 1.0, "peak_drop_V": 0.005})", 21},
    {"Flash pack 1",
     R"({"name": "x", "chemistry": "lipo", "series": 2, "rated_Ah": 1.3, "capacity_Ah": 1.25, "r0_ohm": 0.012, "soc": 0.9})",
     R"({"do": "discharge", "current_A": 1.3, "floor_V": 6.6})", 20},
    {"Mount pack B",
     R"({"name": "x", "chemistry": "nmc", "series": 4, "rated_Ah": 10, "capacity_Ah": 9, "r0_ohm": 0.01, "soc": 0.5})",
     R"({"do": "rest", "longest_s": 1e9})", 15}};

std::vector<std::string> fieldsOf(const std::string& text) {
    std::vector<std::string> out(1);
    for (const char c : text) {
        if (c == ',')
            out.emplace_back();
        else if (c != ' ' && c != '\t')
            out.back() += c;
    }
    return out;
}

bool numberOf(const std::string& text, double& into) {
    const auto value = readNumber(text);
    into = value.value_or(0);
    return value.has_value();
}

}  // namespace

struct SimulatedInstrument::Channel {
    Scenario scenario;
    Engine engine;
    std::mt19937_64 random;
    bool on = true;
    double current_A = 0;
    double since_s = 0;    ///< the output was switched on
    double highest_V = 0;  ///< of a nickel charge
    Fault fault = Fault::None;
    double faultSince_s = 0;

    Channel(Scenario s, std::uint64_t seed)
        : scenario(std::move(s)),
          engine(
              [](const Scenario& from) {
                  std::vector<Cell> cells;
                  for (std::size_t k = 0; k < from.cells.size(); ++k)
                      cells.emplace_back(from.cells[k], from.states[k]);
                  return cells;
              }(scenario),
              scenario.ambient_C),
          random(seed) {}

    const ProgramStep& step() const { return scenario.program.front(); }
    void begin() {
        on = true;
        since_s = engine.time_s();
        highest_V = 0;
    }
    void move() {
        const ProgramStep& p = step();
        current_A = 0;
        if (on && p.kind == ProgramStep::Kind::Charge) {
            current_A = p.current_A;
            if (p.set_V > 0)
                current_A = std::clamp(engine.currentAt_A(p.set_V, 0.01), 0.0, p.current_A);
            const bool held = p.set_V > 0 && current_A < 0.999 * p.current_A;
            bool done = held && p.cutoff_A > 0 && current_A < p.cutoff_A;
            if (p.peakDrop_V > 0) {
                const double volts = engine.voltage_V(current_A);
                highest_V = std::max(highest_V, volts);
                done = done || (engine.time_s() - since_s > 300 &&
                                volts < highest_V - p.peakDrop_V *
                                                        static_cast<double>(scenario.cells.size()));
            }
            if (done && fault != Fault::NeverStops) {
                on = false;
                current_A = 0;
            }
        } else if (on && p.kind == ProgramStep::Kind::Discharge) {
            current_A = -p.current_A;
            if (engine.voltage_V(current_A) <= p.floor_V && fault != Fault::NeverStops) {
                on = false;
                current_A = 0;
            }
        }
        engine.setAmbient(fault == Fault::Hot ? scenario.ambient_C + 50 : scenario.ambient_C);
        engine.advance(current_A, kStep_s);
    }
};

SimulatedInstrument::SimulatedInstrument(std::uint64_t seed) : seed_(seed) {
    answerOne("*RST");
}
SimulatedInstrument::~SimulatedInstrument() = default;

void SimulatedInstrument::advance(double seconds) {
    if (!(seconds > 0) || !std::isfinite(seconds)) return;
    time_s_ += seconds;
    left_s_ += seconds;
    while (left_s_ >= kStep_s) {
        for (const auto& c : channels_) c->move();
        left_s_ -= kStep_s;
    }
}

Expected<SimulatedInstrument::Fault> SimulatedInstrument::faultOf(const std::string& name) {
    constexpr std::pair<const char*, Fault> kNames[] = {
        {"none", Fault::None},      {"drop_out", Fault::DropOut},
        {"noise", Fault::Noise},    {"clock", Fault::Clock},
        {"hot", Fault::Hot},        {"never_stops", Fault::NeverStops},
        {"garbage", Fault::Garbage}};
    std::string low;
    for (const char c : name) low += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    for (const auto& [known, fault] : kNames)
        if (low == known) return fault;
    return fail(ErrorKind::InvalidArgument, "This is no fault: " + name, "fault",
                "none, drop_out, noise, clock, hot, never_stops, garbage.");
}

void SimulatedInstrument::setFault(int channel, Fault fault) {
    if (channel < 1 || channel > kChannels) return;
    Channel& c = *channels_[static_cast<std::size_t>(channel - 1)];
    c.fault = fault;
    c.faultSince_s = c.engine.time_s();
}

void SimulatedInstrument::setSpeed(double speed) {
    speed_ = std::clamp(speed, 1.0, 600.0);
}

std::string SimulatedInstrument::refuse(int code, const std::string& words) {
    if (errors_.size() < kMostErrors) errors_.push_back(fmt::format("{},\"{}\"", code, words));
    return {};
}

std::string SimulatedInstrument::measure(Channel& c, int number) {
    const double since = c.engine.time_s() - c.faultSince_s;
    if (c.fault == Fault::DropOut && std::fmod(since, 120) > 60) return {};
    if (c.fault == Fault::Garbage && std::fmod(since, 10) > 5)
        return fmt::format("\x7f#{}?!{}", number,
                           std::string(static_cast<std::size_t>(since) % 40, '~'));
    const double wild = c.fault == Fault::Noise ? 30 : 1;
    const double cells = static_cast<double>(c.scenario.cells.size());
    std::normal_distribution<double> volts(0, 0.0004 * cells * wild);
    std::normal_distribution<double> amps(0, 0.001 * wild);
    std::normal_distribution<double> warm(0, 0.05 * wild);
    const double t = c.engine.time_s() - (c.fault == Fault::Clock && since > 30 ? 3600 : 0);
    return fmt::format("{:.1f},{:.3f},{:.3f},{:.1f}", t,
                       c.engine.voltage_V(c.current_A) + volts(c.random),
                       c.current_A + amps(c.random), c.engine.highest_C() + warm(c.random));
}

std::string SimulatedInstrument::answer(const std::string& line) {
    // Several messages in a line are parted by semicolons (IEEE 488.2, 7.3).
    std::string out;
    std::string one;
    for (const char c : line + ";") {
        if (c != ';') {
            if (c != '\r' && c != '\n') one += c;
            continue;
        }
        const std::string told = answerOne(one);
        if (!told.empty()) out += (out.empty() ? "" : ";") + told;
        one.clear();
    }
    return out;
}

std::string SimulatedInstrument::answerOne(const std::string& given) {
    std::string line = given;
    while (!line.empty() && (line.front() == ' ' || line.front() == ':')) line.erase(0, 1);
    if (line.empty()) return {};
    const auto space = line.find(' ');
    std::string head = line.substr(0, space);
    for (char& c : head) c = c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
    const std::string rest = space == std::string::npos ? "" : line.substr(space + 1);
    if (head == "*IDN?") return "Narrow Knee,simulated instrument,0,1.0";
    if (head == "*OPC?") return "1";
    if (head == "*CLS") return errors_.clear(), std::string();
    if (head == "*RST") {
        channels_.clear();
        for (int k = 0; k < kChannels; ++k) {
            const Start& s = kStarts[k];
            const auto scenario = parseScenario(
                fmt::format(R"({{"seed": {}, "ambient_C": {}, "battery": {}, "program": [{}]}})",
                            seed_ + static_cast<std::uint64_t>(k), s.ambient_C, s.battery,
                            s.program),
                s.name);
            channels_.push_back(std::make_unique<Channel>(
                scenario.value(), seed_ * 7919 + static_cast<std::uint64_t>(k)));
            channels_.back()->scenario.battery.name = s.name;
        }
        return {};
    }
    if (head == "SYST:ERR?" || head == "SYSTEM:ERROR?") {
        if (errors_.empty()) return "0,\"No error\"";
        std::string first = errors_.front();
        errors_.erase(errors_.begin());
        return first;
    }
    if (head == "SIM:SPEED?") return fmt::format("{:g}", speed_);
    const std::vector<std::string> fields = fieldsOf(rest);
    if (head == "SIM:SPEED") {
        double value = 0;
        if (!numberOf(fields[0], value) || value < 1 || value > 600)
            return refuse(-222, "Data out of range: a speed of 1 to 600");
        speed_ = value;
        return {};
    }
    // All others begin with a channel list of one: (@2).
    int channel = 0;
    if (fields[0].size() == 4 && fields[0].starts_with("(@") && fields[0][3] == ')')
        channel = fields[0][2] - '0';
    constexpr const char* kKnown[] = {"MEAS?",     "MEAS:ALL?", "MEASURE:ALL?", "CONF",
                                      "CONFIGURE", "OUTP",      "OUTPUT",       "OUTP?",
                                      "OUTPUT?",   "BATT?",     "SIM:FAULT"};
    if (std::ranges::find(kKnown, head) == std::end(kKnown))
        return refuse(-113, "Undefined header: " + head.substr(0, 40));
    if (channel < 1 || channel > kChannels)
        return refuse(-222, "Data out of range: a channel (@1) to (@4)");
    Channel& c = *channels_[static_cast<std::size_t>(channel - 1)];
    if (head.starts_with("MEAS")) return measure(c, channel);
    if (head == "BATT?")
        return fmt::format("{},{},{},{:g}", c.scenario.battery.name, c.scenario.battery.chemistry,
                           c.scenario.battery.series, c.scenario.battery.rated_Ah);
    if (head == "OUTP?" || head == "OUTPUT?")
        return c.on && c.step().kind != ProgramStep::Kind::Rest ? "1" : "0";
    if (head.starts_with("OUTP")) {
        std::string word = fields.size() > 1 ? fields[1] : "";
        for (char& l : word) l = l >= 'a' && l <= 'z' ? static_cast<char>(l - 'a' + 'A') : l;
        if (word == "ON" || word == "1")
            c.begin();
        else if (word == "OFF" || word == "0")
            c.on = false;
        else
            return refuse(-224, "Illegal parameter value: ON or OFF");
        return {};
    }
    if (head == "SIM:FAULT") {
        const auto fault = faultOf(fields.size() > 1 ? fields[1] : "");
        if (!fault) return refuse(-224, "Illegal parameter value: a fault");
        setFault(channel, *fault);
        return {};
    }
    // CONF (@1),CHAR,current,set V[,cut-off]   CONF (@1),DISC,current,floor V   CONF (@1),REST
    ProgramStep p;
    std::string what = fields.size() > 1 ? fields[1] : "";
    for (char& l : what) l = l >= 'a' && l <= 'z' ? static_cast<char>(l - 'a' + 'A') : l;
    double amps = 0;
    double volts = 0;
    double cutoff = 0;
    const bool figures = fields.size() >= 4 && numberOf(fields[2], amps) &&
                         numberOf(fields[3], volts) && amps > 0 && amps <= 100 && volts >= 0 &&
                         (fields.size() < 5 || numberOf(fields[4], cutoff));
    if (what == "REST") {
        p.kind = ProgramStep::Kind::Rest;
    } else if (what == "CHAR" && figures) {
        p.kind = ProgramStep::Kind::Charge;
        p.current_A = amps;
        const Chemistry* chemistry = c.scenario.battery.chemistryData();
        if (chemistry == nullptr || chemistry->nickel()) {
            p.peakDrop_V = 0.005;
        } else {
            const double most = chemistry->fault_V * c.scenario.battery.series;
            if (volts > most)
                return refuse(-222, fmt::format("Data out of range: at most {:.2f} V", most));
            p.set_V = volts;
            p.cutoff_A = cutoff > 0 ? cutoff : amps / 20;
        }
    } else if (what == "DISC" && figures) {
        p.kind = ProgramStep::Kind::Discharge;
        p.current_A = amps;
        p.floor_V = volts;
    } else {
        return refuse(-224, "Illegal parameter value: CHAR, DISC or REST with their figures");
    }
    c.scenario.program = {p};
    c.begin();
    return {};
}

}  // namespace nk
