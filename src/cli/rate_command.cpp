#include "rate_command.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <ostream>

#include "analysis/compare/cold_warm.h"
#include "analysis/rating/rating.h"
#include "formats/importer.h"
#include "json_figures.h"
#include "quantity/format.h"

namespace nk {

namespace {

using Json = nlohmann::ordered_json;

/// A log read and cut into steps, with what an analysis borrows.
struct LoadedLog {
    RecordingPtr recording;
    Battery battery;
    Steps steps;
    InstrumentAccuracy accuracy;
    AnalysisInput input() const { return {*recording, steps, battery, accuracy}; }
};

Expected<LoadedLog> load(const std::string& path, const CommandInput& given) {
    auto log = readLogFile(path, given.options);
    if (!log) return tl::unexpected<Error>(log.error());
    LoadedLog out;
    out.accuracy = given.accuracy;
    out.recording = log->recording;
    const Recording& r = *out.recording;
    out.battery = completeBattery(given.battery, r.voltage_V(), r.current_A(),
                                  static_cast<int>(r.cells_V().size()));
    out.steps = findSteps(r, out.battery);
    return out;
}

Json ratioJson(const Ratio& r) {
    return {{"value", number(r.value)}, {"uncertainty", number(r.uncertainty)}};
}

}  // namespace

RateCommand::RateCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("rate", "The true C rating from one or more discharges of one battery");
    command->add_option("LOG", logs_, "logs of discharges, best at different rates")->required();
    command->add_option("--floor", floor_V_,
                        "loaded voltage per cell that must hold (default 3.3 lithium polymer, 3.0 "
                        "other lithium, 2.5 LFP, 1.0 nickel)");
    command->add_option("--top-temperature", top_C_, "highest temperature in °C")
        ->capture_default_str();
    command->add_option("--start-temperature", start_C_, "start and surroundings in °C")
        ->capture_default_str();
    command->add_option("--empty-min", emptyIn_min_, "time view: empty in so many minutes")
        ->capture_default_str()
        ->check(CLI::PositiveNumber);
    command->add_option("--resistance-ohm", resistance_ohm_,
                        "resistance of the whole battery, instead of the logs' own");
    command->add_option("--label-c", label_C_, "the C rating on the label");
    battery_.addTo(*command);
    reading_.addTo(*command);
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/rate/1)");
    command->callback([this, &status] { status = run(); });
}

int RateCommand::run() {
    auto given = commandInput(battery_, reading_);
    if (!given) return err_ << given.error().text() << '\n', 2;
    given->battery.label_C = label_C_;
    if (!(top_C_ > start_C_))
        return err_ << "--top-temperature must be above --start-temperature.\n", 2;
    std::vector<DischargeCurve> curves;
    std::vector<HeatTrace> traces;
    Battery full = given->battery;
    for (const std::string& path : logs_) {
        const auto log = load(path, *given);
        if (!log) return err_ << log.error().text() << '\n', 1;
        full = log->battery;
        const AnalysisInput in = log->input();
        const auto found = dischargeCurves(in);
        if (found.empty()) {
            err_ << path << ": no discharge at a steady current in this log; it is left out.\n";
            continue;
        }
        curves.insert(curves.end(), found.begin(), found.end());
        if (log->recording->hasTemperature()) traces.push_back(heatTrace(in));
    }
    RatingOptions rating;
    rating.floor_V = floor_V_;
    rating.top_C = top_C_;
    rating.start_C = start_C_;
    rating.emptyIn_s = 60 * emptyIn_min_;
    rating.resistance_ohm = resistance_ohm_;
    const auto result = rateBattery(curves, traces, full, given->accuracy, rating);
    if (!result) {
        err_ << result.error().text() << '\n';
        return result.error().where == "battery" ? 2 : 1;
    }
    if (json_) {
        Json views = Json::array();
        for (const RatingView& v : result->views)
            views.push_back({{"view", v.view},
                             {"current_A", number(v.current_A)},
                             {"c_rate", number(v.c_rate)},
                             {"uncertainty_A", number(v.uncertainty_A)},
                             {"interval_95", interval(v.current_A, 2 * v.uncertainty_A)},
                             {"extrapolated", v.extrapolated},
                             {"caveats", v.caveats}});
        out_ << Json{{"schema", "narrow-knee/rate/1"},
                     {"rated_Ah", result->rated_Ah},
                     {"views", views},
                     {"true_c", number(result->trueC)},
                     {"true_c_is", result->bound == Rating::Bound::AtLeast  ? "at_least"
                                   : result->bound == Rating::Bound::AtMost ? "at_most"
                                   : std::isfinite(result->trueC)           ? "value"
                                                                            : "unknown"},
                     {"limited_by",
                      result->limitedBy.empty() ? Json(nullptr) : Json(result->limitedBy)},
                     {"charge_c", number(result->charge_C)},
                     {"charge_c_from", result->chargeBecause},
                     {"resistance_ohm", number(result->resistance_ohm)},
                     {"peukert_exponent", number(result->peukert)}}
                    .dump(2, ' ', false, Json::error_handler_t::replace)
             << '\n';
        return 0;
    }
    out_ << result->sentence << '\n';
    for (const RatingView& v : result->views) {
        out_ << fmt::format("  {:10} ", v.view);
        if (v.known())
            out_ << fmt::format("{} = {:.3g}C{}\n",
                                valueText(v.current_A, v.uncertainty_A, "A").joined(), v.c_rate,
                                v.extrapolated ? ", extrapolated" : "");
        else
            out_ << "not measurable\n";
        for (const std::string& c : v.caveats) out_ << "             " << c << '\n';
    }
    out_ << fmt::format("  charging   {:.3g}C: {}\n", result->charge_C, result->chargeBecause);
    return 0;
}

CompareCommand::CompareCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand(
        "compare", "Two recordings of one battery: the second against the first");
    command->add_option("LOG", logs_, "the first (warm, new) and the second (cold, old) log")
        ->required()
        ->expected(2);
    battery_.addTo(*command);
    reading_.addTo(*command);
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/compare/1)");
    command->callback([this, &status] { status = run(); });
}

int CompareCommand::run() {
    const auto given = commandInput(battery_, reading_);
    if (!given) return err_ << given.error().text() << '\n', 2;
    const auto first = load(logs_[0], *given);
    if (!first) return err_ << first.error().text() << '\n', 1;
    const auto second = load(logs_[1], *given);
    if (!second) return err_ << second.error().text() << '\n', 1;
    const Comparison c = compareRecordings(first->input(), second->input());
    if (json_) {
        out_ << Json{{"schema", "narrow-knee/compare/1"},
                     {"capacity_ratio", ratioJson(c.capacity)},
                     {"energy_ratio", ratioJson(c.energy)},
                     {"resistance_ratio", ratioJson(c.resistance)},
                     {"resistance_delay_s", number(c.delay_s)},
                     {"power_ratio", ratioJson(c.power)},
                     {"mean_voltage_ratio", ratioJson(c.meanVoltage)},
                     {"first_temperature_C", number(c.firstTemperature_C)},
                     {"second_temperature_C", number(c.secondTemperature_C)},
                     {"minutes_off", number(c.minutesOff)},
                     {"caveats", c.caveats}}
                    .dump(2, ' ', false, Json::error_handler_t::replace)
             << '\n';
        return 0;
    }
    for (const std::string& w : c.words) out_ << w << '\n';
    for (const std::string& w : c.caveats) out_ << "  " << w << '\n';
    return 0;
}

}  // namespace nk
