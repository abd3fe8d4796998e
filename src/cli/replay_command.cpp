#include "replay_command.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <ostream>

#include "analysis/finish/replay.h"
#include "formats/importer.h"
#include "quantity/format.h"

namespace nk {

ReplayCommand::ReplayCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("replay", "When other stop rules would have ended the charges of a log");
    command->add_option("LOG", log_, "the log file")->required();
    command
        ->add_option("--rule", rules_,
                     "-dv:5mV, 0dv:5min, inflection, dtdt:1C/min, dt:15C, tmax:50C, timer:16h, "
                     "input:120%, taper:C/20; joined by |; @holdoff=10min")
        ->required()
        ->take_all()
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    battery_.addTo(*command);
    reading_.addTo(*command);
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/replay/1)");
    command->callback([this, &status] { status = run(); });
}

int ReplayCommand::run() {
    const auto given = commandInput(battery_, reading_);
    if (!given) return err_ << given.error().text() << '\n', 2;
    std::vector<StopRule> rules;
    for (const std::string& text : rules_) {
        auto rule = parseRule(text);
        if (!rule) return err_ << rule.error().text() << '\n', 2;
        rules.push_back(std::move(*rule));
    }
    const auto log = readLogFile(log_, given->options);
    if (!log) return err_ << log.error().text() << '\n', 1;
    const Recording& r = *log->recording;
    const Battery full = completeBattery(given->battery, r.voltage_V(), r.current_A(),
                                         static_cast<int>(r.cells_V().size()));
    const Steps steps = findSteps(r, full);
    const auto results = replayAll({r, steps, full, given->accuracy}, rules);
    if (json_) {
        using Json = nlohmann::ordered_json;
        const auto number = [](double x) { return std::isfinite(x) ? Json(x) : Json(nullptr); };
        Json list = Json::array();
        for (const ReplayResult& x : results)
            list.push_back({{"rule", x.rule},
                            {"step", x.step},
                            {"fired", x.fired == Fired::Undecidable ? Json(nullptr)
                                                                    : Json(x.fired == Fired::Yes)},
                            {"time_s", number(x.time_s)},
                            {"charge_Ah", number(x.charge_Ah)},
                            {"temperature_C", number(x.temperature_C)},
                            {"overcharge_Ah", number(x.overcharge_Ah)},
                            {"caveats", x.caveats}});
        out_ << Json{{"schema", "narrow-knee/replay/1"}, {"results", list}}.dump(
                    2, ' ', false, Json::error_handler_t::replace)
             << '\n';
        return 0;
    }
    if (results.empty()) out_ << "There is no charge in this log.\n";
    for (const ReplayResult& x : results) {
        out_ << fmt::format("step {:>2}  {:32} ", x.step, x.rule);
        if (x.fired == Fired::Yes) {
            out_ << fmt::format("fires at {}, {} in", clockText(x.time_s),
                                shortValue(x.charge_Ah, "Ah"));
            if (std::isfinite(x.temperature_C)) out_ << ", " << shortValue(x.temperature_C, "C");
            if (std::isfinite(x.overcharge_Ah))
                out_ << ", " << shortValue(x.overcharge_Ah, "Ah") << " after the peak";
        } else {
            out_ << (x.fired == Fired::No ? "does not fire" : "cannot be decided from this log");
        }
        out_ << '\n';
        for (const std::string& c : x.caveats) out_ << "           " << c << '\n';
    }
    return 0;
}

std::vector<std::string> joinRuleValues(const std::vector<std::string>& args) {
    std::vector<std::string> out;
    for (std::size_t k = 0; k < args.size(); ++k) {
        if (args[k] == "--rule" && k + 1 < args.size()) {
            out.push_back("--rule=" + args[k + 1]);
            ++k;
        } else {
            out.push_back(args[k]);
        }
    }
    return out;
}

}  // namespace nk
