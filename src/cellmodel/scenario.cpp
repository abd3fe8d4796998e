#include "scenario.h"
#include "quantity/json_whole.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

namespace nk {

namespace {

using nlohmann::json;

double get(const json& j, const char* key, double fallback) {
    return j.value(key, fallback);
}

void readBattery(const json& j, Scenario& s) {
    const auto& b = j.at("battery");
    s.battery.name = b.value("name", s.name);
    s.battery.chemistry = b.at("chemistry").get<std::string>();
    s.battery.series = wholeIn(b, "series", 1);
    s.battery.parallel = wholeIn(b, "parallel", 1);
    s.battery.rated_Ah = b.at("rated_Ah").get<double>();
    s.battery.mass_kg = get(b, "mass_kg", 0);
    const auto chemistry = findChemistry(s.battery.chemistry);
    if (!chemistry) throw std::runtime_error(chemistry.error().text());
    CellParameters p;
    p.chemistry = *chemistry;
    p.capacity_Ah = get(b, "capacity_Ah", s.battery.rated_Ah);
    p.r0_ohm = get(b, "r0_ohm", 0.06 / p.capacity_Ah);
    p.r1_ohm = get(b, "r1_ohm", 0.35 * p.r0_ohm);
    p.tau1_s = get(b, "tau1_s", 15);
    p.r2_ohm = get(b, "r2_ohm", 0.5 * p.r0_ohm);
    p.tau2_s = get(b, "tau2_s", 400);
    p.heatCapacity_J_K = get(b, "heat_capacity_J_K", 18 * p.capacity_Ah);
    p.heatLoss_W_K = get(b, "heat_loss_W_K", 0.03 * p.capacity_Ah + 0.02);
    p.leak_A = get(b, "leak_A", 0);
    p.warmDrop_V_K = get(b, "warm_drop_V_K",
                         s.battery.chemistry == "nicd"   ? 0.0020
                         : s.battery.chemistry == "nimh" ? 0.0009
                                                         : 0);
    p.fullSharpness = get(b, "full_sharpness", 0.012);
    CellState state;
    state.soc = get(b, "soc", 0.3);
    state.temperature_C = get(b, "temperature_C", s.ambient_C);
    const int series = s.battery.series;
    if (series < 1 || series > 400)
        throw std::runtime_error("battery.series must be from 1 to 400");
    s.cells.assign(static_cast<std::size_t>(series), p);
    s.states.assign(static_cast<std::size_t>(series), state);
    const auto within = [](const char* field, double x, double low, double high) {
        if (!(x >= low && x <= high))
            throw std::runtime_error(
                fmt::format("battery.{} must be from {} to {}", field, low, high));
    };
    const auto sound = [&](const CellParameters& c, const CellState& at) {
        within("capacity_Ah", c.capacity_Ah, 0.001, 100000);
        within("r0_ohm", c.r0_ohm, 0, 1000);
        within("r1_ohm", c.r1_ohm, 0, 1000);
        within("r2_ohm", c.r2_ohm, 0, 1000);
        within("tau1_s", c.tau1_s, 0.001, 1e7);
        within("tau2_s", c.tau2_s, 0.001, 1e7);
        within("heat_capacity_J_K", c.heatCapacity_J_K, 0.001, 1e9);
        within("heat_loss_W_K", c.heatLoss_W_K, 0, 1e6);
        within("full_sharpness", c.fullSharpness, 1e-6, 10);
        within("soc", at.soc, 0, 1.2);
        within("temperature_C", at.temperature_C, -60, 300);
    };
    if (auto good = s.battery.check(); !good) throw std::runtime_error(good.error().what);
    within("rated_Ah", s.battery.rated_Ah, 0.001, 100000);
    sound(p, state);
    if (b.contains("cells")) {
        std::size_t n = 0;
        for (const auto& c : b.at("cells")) {
            if (n >= s.cells.size())
                throw std::runtime_error("battery.cells has more entries than battery.series");
            s.cells[n].capacity_Ah *= get(c, "capacity", 1);
            s.cells[n].r0_ohm *= get(c, "resistance", 1);
            s.states[n].soc = get(c, "soc", state.soc);
            sound(s.cells[n], s.states[n]);
            ++n;
        }
    }
}

ProgramStep readStep(const json& j) {
    using Kind = ProgramStep::Kind;
    ProgramStep step;
    const std::string what = j.at("do").get<std::string>();
    if (what == "rest")
        step.kind = Kind::Rest;
    else if (what == "charge")
        step.kind = Kind::Charge;
    else if (what == "discharge")
        step.kind = Kind::Discharge;
    else if (what == "power")
        step.kind = Kind::Power;
    else if (what == "resistor")
        step.kind = Kind::Resistor;
    else if (what == "profile")
        step.kind = Kind::Profile;
    else
        throw std::runtime_error("program.do is '" + what +
                                 "'; accepted: rest, charge, discharge, power, resistor, profile");
    step.current_A = get(j, "current_A", 0);
    step.power_W = get(j, "power_W", 0);
    step.resistance_ohm = get(j, "resistance_ohm", 0);
    step.set_V = get(j, "set_V", 0);
    step.cutoff_A = get(j, "cutoff_A", 0);
    step.floor_V = get(j, "floor_V", 0);
    step.cellFloor_V = get(j, "cell_floor_V", 0);
    step.longest_s = get(j, "longest_s", 0);
    step.peakDrop_V = get(j, "peak_drop_V", 0);
    step.holdOff_s = get(j, "hold_off_s", 600);
    step.softness_ohm = get(j, "softness_ohm", 0);
    step.charge_Ah = get(j, "charge_Ah", 0);
    step.ambient_C = j.value("ambient_C", kNaN);
    step.times = wholeIn(j, "times", 1);
    if (step.times < 1 || step.times > 10000)
        throw std::runtime_error("times must be from 1 to 10000");
    if (j.contains("levels_A")) step.levels_A = j.at("levels_A").get<std::vector<double>>();
    const bool needsCurrent = step.kind == Kind::Charge || step.kind == Kind::Discharge;
    if (needsCurrent && step.current_A <= 0)
        throw std::runtime_error("a " + what + " step needs current_A above 0");
    const bool ends = step.longest_s > 0 || step.floor_V > 0 || step.cellFloor_V > 0 ||
                      step.cutoff_A > 0 || step.peakDrop_V > 0 || step.charge_Ah > 0;
    if (!ends)
        throw std::runtime_error(
            "a " + what + " step never ends: give longest_s, a floor, a cut-off or a charge");
    return step;
}

void readProgram(const json& list, std::vector<ProgramStep>& out, int depth = 0) {
    constexpr std::size_t kMostSteps = 100'000;
    if (depth > 20) throw std::runtime_error("repeats stand in one another more than 20 deep");
    for (const auto& j : list) {
        if (out.size() > kMostSteps)
            throw std::runtime_error("the program has more than 100,000 steps");
        if (j.contains("repeat")) {
            const int times = wholeOf<int>(j.at("repeat"));
            if (times < 1 || times > 10000)
                throw std::runtime_error("repeat must be from 1 to 10000");
            for (int n = 0; n < times; ++n) {
                const std::size_t before = out.size();
                readProgram(j.at("program"), out, depth + 1);
                // Nothing, as often as asked for, in one another, would never end.
                if (out.size() == before) throw std::runtime_error("a repeat has no step in it");
            }
        } else {
            out.push_back(readStep(j));
        }
    }
}

void readLogger(const json& j, Scenario& s) {
    if (j.contains("logger")) {
        const auto& l = j.at("logger");
        LoggerSettings& g = s.logger;
        g.interval_s = get(l, "interval_s", 1);
        if (!(g.interval_s >= 0.001 && g.interval_s <= 3600))
            throw std::runtime_error("logger.interval_s must be from 0.001 to 3600");
        g.resolution_V = get(l, "resolution_V", g.resolution_V);
        g.resolution_A = get(l, "resolution_A", g.resolution_A);
        g.resolution_C = get(l, "resolution_C", g.resolution_C);
        g.noise_V = get(l, "noise_V", 0);
        g.noise_A = get(l, "noise_A", 0);
        g.noise_C = get(l, "noise_C", 0);
        g.gain_V = get(l, "gain_V", 1);
        g.gain_A = get(l, "gain_A", 1);
        g.offset_V = get(l, "offset_V", 0);
        g.offset_A = get(l, "offset_A", 0);
        g.cells = l.value("cells", false);
        g.temperature = l.value("temperature", true);
    }
    if (!j.contains("format")) return;
    const auto& f = j.at("format");
    LogFormat& o = s.format;
    const auto letter = [&](const char* key, char fallback) {
        const std::string text = f.value(key, std::string(1, fallback));
        return text == "tab" ? '\t' : text.empty() ? fallback : text.front();
    };
    o.delimiter = letter("delimiter", ',');
    o.decimal = letter("decimal", '.');
    o.time = f.value("time", o.time);
    o.start = f.value("start", o.start);
    o.dischargePositive = f.value("discharge_positive", false);
    o.unsignedCurrent = f.value("unsigned", false);
    if (f.contains("modes")) {
        o.chargeWord = f.at("modes").at(0).get<std::string>();
        o.dischargeWord = f.at("modes").at(1).get<std::string>();
        o.restWord = f.at("modes").at(2).get<std::string>();
    }
    o.milliAmps = f.value("milliamps", false);
    o.milliVolts = f.value("millivolts", false);
    o.fahrenheit = f.value("fahrenheit", false);
    o.bom = f.value("bom", false);
    o.crlf = f.value("crlf", false);
    o.counter = f.value("counter", false);
    o.unitLine = f.value("unit_line", false);
    o.header = f.value("header", true);
    if (f.contains("preamble")) o.preamble = f.at("preamble").get<std::vector<std::string>>();
    if (f.contains("titles")) o.titles = f.at("titles").get<std::vector<std::string>>();
}

}  // namespace

Expected<Scenario> parseScenario(std::string_view text, const std::string& name) {
    Scenario s;
    s.name = name;
    try {
        const json j = json::parse(text, nullptr, true, true);
        s.ambient_C = get(j, "ambient_C", 25);
        s.seed = wholeIn(j, "seed", std::uint64_t{1});
        readBattery(j, s);
        readProgram(j.at("program"), s.program);
        std::size_t runs = 0;
        for (const ProgramStep& step : s.program) runs += static_cast<std::size_t>(step.times);
        if (runs > 1'000'000)
            throw std::runtime_error("the program runs more than a million steps");
        readLogger(j, s);
    } catch (const json::parse_error& e) {
        return fail(
            ErrorKind::InvalidArgument,
            fmt::format("The scenario cannot be read: it is no JSON from byte {} on.", e.byte),
            name, "a scenario as described in docs/formats.md.");
    } catch (const json::exception&) {
        return fail(ErrorKind::InvalidArgument,
                    "The scenario cannot be read: a field is missing or of the wrong kind.", name,
                    "a scenario as described in docs/formats.md.");
    } catch (const std::exception& e) {
        return fail(ErrorKind::InvalidArgument,
                    std::string("The scenario cannot be read: ") + e.what() + ".", name,
                    "a scenario as described in docs/formats.md.");
    }
    return s;
}

Expected<std::vector<Scenario>> parseScenarios(std::string_view text, const std::string& name) {
    std::vector<Scenario> out;
    const auto take = [&](std::string_view one, const std::string& under) -> Expected<void> {
        auto scenario = parseScenario(one, under);
        if (!scenario) return tl::unexpected<Error>(scenario.error());
        out.push_back(std::move(*scenario));
        return {};
    };
    if (auto ok = take(text, name); !ok) return tl::unexpected<Error>(ok.error());
    const json base = json::parse(text, nullptr, false, true);
    if (!base.contains("again") || !base["again"].is_array()) return out;
    for (const json& change : base["again"]) {
        if (!change.is_object() || !change.contains("name") || !change["name"].is_string())
            return fail(ErrorKind::InvalidArgument, "An entry of \"again\" has no name.", name,
                        "a scenario as described in docs/formats.md.");
        json one = base;
        one.erase("again");
        one.merge_patch(change);
        if (auto ok = take(one.dump(), name + "-" + change["name"].get<std::string>()); !ok)
            return tl::unexpected<Error>(ok.error());
    }
    return out;
}

}  // namespace nk
