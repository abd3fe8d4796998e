#include "rate_command.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <ostream>

#include "analysis/compare/cold_warm.h"
#include "analysis/overlay/incremental.h"
#include "analysis/overlay/overlay.h"
#include "analysis/rating/rating.h"
#include "formats/importer.h"
#include "quantity/format.h"
#include "report/json_figures.h"

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
    command
        ->add_option("--floor", floor_V_,
                     "loaded voltage per cell that must hold (default 3.3 lithium polymer, 3.0 "
                     "other lithium, 2.5 LFP, 1.0 nickel)")
        ->check(within(0.1, 5.0));
    command->add_option("--top-temperature", top_C_, "highest temperature in °C")
        ->capture_default_str()
        ->check(within(-40.0, 150.0));
    command->add_option("--start-temperature", start_C_, "start and surroundings in °C")
        ->capture_default_str()
        ->check(within(-60.0, 100.0));
    command->add_option("--empty-min", emptyIn_min_, "time view: empty in so many minutes")
        ->capture_default_str()
        ->check(within(0.01, 100000.0));
    command
        ->add_option("--resistance-ohm", resistance_ohm_,
                     "resistance of the whole battery, instead of the logs' own")
        ->check(within(1e-6, 1000.0));
    command->add_option("--label-c", label_C_, "the C rating on the label")
        ->check(within(0.001, 10000.0));
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
                             {"at_least_A", number(v.atLeast_A)},
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
        else if (std::isfinite(v.atLeast_A))
            out_ << fmt::format("at least {} = {:.3g}C, which was held\n",
                                shortValue(v.atLeast_A, "A"), v.atLeast_A / result->rated_Ah);
        else
            out_ << "not measurable\n";
        for (const std::string& c : v.caveats) out_ << "             " << c << '\n';
    }
    out_ << fmt::format("  charging   {:.3g}C: {}\n", result->charge_C, result->chargeBecause);
    return 0;
}

namespace {

Json comparisonJson(const Comparison& c) {
    return {{"capacity_ratio", ratioJson(c.capacity)},
            {"energy_ratio", ratioJson(c.energy)},
            {"resistance_ratio", ratioJson(c.resistance)},
            {"resistance_delay_s", number(c.delay_s)},
            {"power_ratio", ratioJson(c.power)},
            {"mean_voltage_ratio", ratioJson(c.meanVoltage)},
            {"first_temperature_C", number(c.firstTemperature_C)},
            {"second_temperature_C", number(c.secondTemperature_C)},
            {"minutes_off", number(c.minutesOff)},
            {"caveats", c.caveats}};
}

/// The dQ/dV peaks of each log's slowest step that has any, and each peak through all of them.
Json incrementalJson(const std::vector<LoadedLog>& all, const std::vector<std::string>& names) {
    Json logs = Json::array();
    std::vector<IncrementalCapacity> made;
    for (std::size_t k = 0; k < all.size(); ++k) {
        IncrementalCapacity best;
        best.why = "There is no step of an hour at constant current.";
        for (const int step : incrementalSteps(all[k].input())) {
            IncrementalCapacity c = incrementalCapacity(all[k].input(), step);
            const bool good = c.why.empty();
            if (good || best.step < 0) best = std::move(c);
            if (good) break;
        }
        Json peaks = Json::array();
        for (const IncrementalPeak& p : best.peaks)
            peaks.push_back({{"voltage_V", number(p.volts)},
                             {"uncertainty_V", number(p.voltsUncertainty)},
                             {"scatter_V", number(p.voltsScatter)},
                             {"height_Ah_V", number(p.height_Ah_V)},
                             {"height_uncertainty_Ah_V", number(p.heightUncertainty)},
                             {"area_Ah", number(p.area_Ah)},
                             {"area_uncertainty_Ah", number(p.areaUncertainty)}});
        logs.push_back({{"log", names[k]},
                        {"step", best.why.empty() ? Json(best.step) : Json(nullptr)},
                        {"smoothing_V", number(best.width_V)},
                        {"bin_V", number(best.bin_V)},
                        {"why_not", best.why.empty() ? Json(nullptr) : Json(best.why)},
                        {"peaks", peaks}});
        made.push_back(std::move(best));
    }
    Json tracks = Json::array();
    const int cells = static_cast<int>(all.front().input().battery.cells());
    for (const PeakTrack& track : followPeaks(made, cells)) {
        Json one = Json::array();
        for (const int peak : track) one.push_back(peak >= 0 ? Json(peak) : Json(nullptr));
        tracks.push_back(std::move(one));
    }
    return {{"logs", logs}, {"same_peaks", tracks}};
}

}  // namespace

CompareCommand::CompareCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("compare", "Recordings of one battery: each against the first");
    command->add_option("LOG", logs_, "the first (warm, new) log, and those compared with it")
        ->required()
        ->expected(2, 50);
    battery_.addTo(*command);
    reading_.addTo(*command);
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/compare/1)");
    command->callback([this, &status] { status = run(); });
}

int CompareCommand::run() {
    const auto given = commandInput(battery_, reading_);
    if (!given) return err_ << given.error().text() << '\n', 2;
    std::vector<LoadedLog> all;
    for (const std::string& log : logs_) {
        auto one = load(log, *given);
        if (!one) return err_ << one.error().text() << '\n', 1;
        all.push_back(std::move(*one));
    }
    const auto against = [&](std::size_t k) {
        return compareRecordings(all.front().input(), all[k].input());
    };
    const auto words = [&](std::size_t k) {
        return whatDiffers(all.front().input(), -1, logs_.front(), all[k].input(), -1, logs_[k]);
    };
    if (!json_) {
        for (std::size_t k = 1; k < all.size(); ++k) {
            if (all.size() > 2) out_ << logs_[k] << '\n';
            const Comparison c = against(k);
            for (const std::string& w : c.words) out_ << w << '\n';
            for (const std::string& w : words(k))
                if (std::ranges::find(c.caveats, w) == c.caveats.end()) out_ << w << '\n';
            for (const std::string& w : c.caveats) out_ << "  " << w << '\n';
        }
        return 0;
    }
    Json out = {{"schema", "narrow-knee/compare/1"}};
    out.update(comparisonJson(against(1)));
    out["words"] = words(1);
    Json others = Json::array();
    for (std::size_t k = 1; k < all.size(); ++k) {
        Json one = {{"log", logs_[k]}};
        one.update(comparisonJson(against(k)));
        one["words"] = words(k);
        others.push_back(std::move(one));
    }
    out["others"] = std::move(others);
    out["incremental_capacity"] = incrementalJson(all, logs_);
    out_ << out.dump(2, ' ', false, Json::error_handler_t::replace) << '\n';
    return 0;
}

}  // namespace nk
