#include "watch_command.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <ostream>
#include <thread>

#include "cellmodel/scenario.h"
#include "formats/bytes.h"
#include "formats/importer.h"
#include "instrument/watch_source.h"
#include "quantity/format.h"
#include "quantity/number.h"
#include "report/analysis_json.h"
#include "report/text.h"

namespace nk {

namespace {

volatile std::sig_atomic_t asked = 0;

Expected<double> seconds(const std::string& text, const char* option) {
    double value = 0;
    std::size_t used = 0;
    if (!parseNumberPrefix(text, '.', value, used)) used = 0;
    const std::string unit = text.substr(used);
    const double factor = unit == "s" || unit.empty() ? 1
                          : unit == "min"             ? 60
                          : unit == "h"               ? 3600
                                                      : 0;
    if (used == 0 || factor == 0 || !(value > 0) || !std::isfinite(value) || value > 1e7)
        return fail(ErrorKind::InvalidArgument, "This is no time: " + text, option,
                    "30s, 5min, 1h.");
    return value * factor;
}

}  // namespace

WatchCommand::WatchCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command =
        app.add_subcommand("watch", "Follows a log that is still written, and says what happens");
    command->add_option("SOURCE", source_, kWatchSources)->required();
    command->add_option("--rule", rules_, "stop rules as in replay; each says when it would stop")
        ->take_all()
        ->expected(1)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    command->add_option("--idle", idle_,
                        "ends when nothing came for so long (30s, 5min); default three usual "
                        "intervals, at least 10 s");
    command->add_option("--for", longest_, "ends after so long");
    battery_.addTo(*command);
    reading_.addTo(*command);
    command->add_flag("--json", json_, "one JSON object a line; the last is the analysis");
    command->add_flag("--no-samples", quiet_, "without an event a row");
    command->callback([this, &status] { status = run(); });
}

void WatchCommand::tell(const LiveEvent& e) {
    if (e.kind == LiveEvent::Kind::Sample && quiet_) return;
    if (!json_) {
        if (e.kind == LiveEvent::Kind::Sample) return;
        out_ << fmt::format("{:>9}  {}{}{}{}\n", clockText(e.t_s), toString(e.kind),
                            e.what.empty() ? "" : " " + e.what,
                            e.words.empty() ? "" : ": " + e.words, e.revision ? " (anew)" : "");
        if (e.kind == LiveEvent::Kind::Estimate && std::isfinite(e.likely_s))
            out_ << fmt::format("           done between {} and {}\n", clockText(e.low_s),
                                clockText(e.high_s));
        if (e.kind == LiveEvent::Kind::StopNow)
            out_ << fmt::format("           since {}, {} too much\n", clockText(e.low_s),
                                shortValue(e.charge_Ah, "Ah"));
        out_.flush();
        return;
    }
    using Json = nlohmann::ordered_json;
    const auto number = [](double x) { return std::isfinite(x) ? Json(x) : Json(nullptr); };
    Json j = {{"t", number(e.t_s)}, {"event", toString(e.kind)}};
    switch (e.kind) {
        case LiveEvent::Kind::Sample:
            j["voltage_V"] = number(e.voltage_V);
            j["current_A"] = number(e.current_A);
            j["temperature_C"] = number(e.temperature_C);
            break;
        case LiveEvent::Kind::Step:
            j["kind"] = e.what;
            j["index"] = e.index;
            j["start_s"] = number(e.low_s);
            j["ended_by"] = e.words;
            j["charge_Ah"] = number(e.charge_Ah);
            break;
        case LiveEvent::Kind::Rule:
            j["rule"] = e.what;
            j["charge_Ah"] = number(e.charge_Ah);
            j["temperature_C"] = number(e.temperature_C);
            break;
        case LiveEvent::Kind::Alarm:
            j["code"] = e.what;
            j["text"] = e.words;
            j["latched"] = true;
            break;
        case LiveEvent::Kind::StopNow:
            j["code"] = e.what;
            j["because"] = e.words;
            j["since_s"] = number(e.low_s);
            j["too_much_Ah"] = number(e.charge_Ah);
            break;
        case LiveEvent::Kind::Estimate:
            j["end_s"] = std::isfinite(e.likely_s)
                             ? Json::array({number(e.low_s), number(e.likely_s), number(e.high_s)})
                             : Json(nullptr);
            if (!e.words.empty()) j["reason"] = e.words;
            break;
        default:
            break;
    }
    if (e.revision) j["revision"] = true;
    out_ << j.dump(-1, ' ', false, Json::error_handler_t::replace) << '\n';
    if (e.kind != LiveEvent::Kind::Sample) out_.flush();
}

int WatchCommand::run() {
    const auto given = commandInput(battery_, reading_);
    if (!given) return err_ << given.error().text() << '\n', 2;
    std::vector<StopRule> rules;
    for (const std::string& text : rules_) {
        auto rule = parseRule(text);
        if (!rule) return err_ << rule.error().text() << '\n', 2;
        rules.push_back(std::move(*rule));
    }
    double idle_s = 0;
    double longest_s = 1e18;
    for (const auto& [text, name, into] :
         {std::tuple(&idle_, "--idle", &idle_s), std::tuple(&longest_, "--for", &longest_s)}) {
        if (text->empty()) continue;
        const auto value = seconds(*text, name);
        if (!value) return err_ << value.error().text() << '\n', 2;
        *into = *value;
    }
    auto source = openWatchSource(source_);
    if (!source) return err_ << source.error().text() << '\n', 1;
    asked = 0;
    const auto before = std::signal(SIGINT, [](int) { asked = 1; });
    using Clock = std::chrono::steady_clock;
    const auto elapsed = [](Clock::time_point since) {
        return std::chrono::duration<double>(Clock::now() - since).count();
    };
    Watcher watcher(given->battery, rules, given->accuracy);
    std::optional<Imported> last;
    std::optional<Error> problem;
    const auto began = Clock::now();
    auto grown = Clock::now();
    auto read = Clock::now() - std::chrono::hours(1);
    double cost_s = 0;
    std::size_t size = 0;
    std::string fingerprint;
    const auto look = [&](bool over) {
        auto bytes = (*source)->bytes();
        if (!bytes) {
            problem = bytes.error();
            return;
        }
        // A line that is still being written is not read.
        if (!over) {
            const auto end = bytes->find_last_of("\r\n");
            bytes->resize(end == std::string::npos ? 0 : end + 1);
        }
        if (bytes->empty()) return;
        auto log = readLog(*bytes, (*source)->name(), given->options);
        if (!log) {
            problem = log.error();
            return;
        }
        problem.reset();
        last = std::move(*log);
        for (const LiveEvent& e :
             over ? watcher.end(*last->recording) : watcher.take(*last->recording))
            tell(e);
    };
    while (asked == 0 && elapsed(began) < longest_s) {
        const std::size_t now = (*source)->size();
        const bool more = now != size || (*source)->replaced();
        // Reading anew costs with every row: at most a twentieth of the time goes into it.
        if (more && elapsed(read) > std::max(0.1, 20 * cost_s)) {
            size = now;
            const auto start = Clock::now();
            look(false);
            cost_s = elapsed(start);
            read = grown = Clock::now();
        }
        const double interval = last ? last->recording->usualInterval_s() : 0;
        const double patience = idle_s > 0 ? idle_s : std::max(10.0, 3 * interval);
        if (!more && ((*source)->ended() || elapsed(grown) > patience)) break;
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
    std::signal(SIGINT, before == SIG_ERR ? SIG_DFL : before);
    look(true);
    if (!last) {
        err_ << (problem ? problem->text() : source_ + ": no row came. Accepted: a log that grows.")
             << '\n';
        return 1;
    }
    if (problem) err_ << problem->text() << '\n';
    const Analysis analysis = analyse(*last->recording, given->battery, {}, given->accuracy);
    if (json_) {
        const std::string whole =
            analysisJson(*last, analysis, given->accuracy, (*source)->name(), {});
        out_ << nlohmann::ordered_json::parse(whole).dump(
                    -1, ' ', false, nlohmann::ordered_json::error_handler_t::replace)
             << '\n';
    } else {
        out_ << analysisText(*last->recording, analysis, (*source)->name());
    }
    return 0;
}

}  // namespace nk
