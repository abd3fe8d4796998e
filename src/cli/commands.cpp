#include "commands.h"

#include <fmt/format.h>

#include <exception>
#include <fstream>
#include <new>
#include <ostream>

#include "analyse_command.h"
#include "book_command.h"
#include "fade_command.h"
#include "group_command.h"
#include "habit_command.h"
#include "harmless_stream.h"
#include "history_command.h"
#include "identify_command.h"
#include "options.h"
#include "plan_command.h"
#include "predict_command.h"
#include "rainflow_command.h"
#include "rate_command.h"
#include "replay_command.h"
#include "shelf_command.h"
#include "simulate_command.h"
#include "standing_command.h"
#include "verdict_command.h"
#include "watch_command.h"

namespace nk {

int runCommandLine(std::vector<std::string> args, std::ostream& rawOut, std::ostream& rawErr) {
    HarmlessStream out(rawOut);
    HarmlessStream err(rawErr);
    CLI::App app(
        "Narrow Knee: honest numbers from battery logs.\n\n"
        "Start with:   narrow-knee-cli analyse LOG --chemistry nmc --series 3 --rated-ah 5\n"
        "No log yet?   narrow-knee-cli simulate dew-heater-full-cycle -o demo.csv",
        "narrow-knee-cli");
    app.set_version_flag("--version", std::string("narrow-knee-cli ") + NK_VERSION + "\n");
    app.require_subcommand(1);
    app.footer(
        "Exit status: 0 done; 1 input cannot be read; 2 wrong usage; 3 hazard found (with "
        "--fail-on-hazard).");
    int status = 0;
    AnalyseCommand analyse(app, status, out, err);
    ReplayCommand replay(app, status, out, err);
    RateCommand rate(app, status, out, err);
    CompareCommand compare(app, status, out, err);
    SimulateCommand simulate(app, status, out, err);
    BookCommand book(app, status, out, err);
    HistoryCommand history(app, status, out, err);
    IdentifyCommand identify(app, status, out, err);
    StandingCommand standing(app, status, out, err);
    VerdictCommand verdict(app, status, out, err);
    GroupCommand group(app, status, out, err);
    FadeCommand fade(app, status, out, err);
    HabitCommand habit(app, status, out, err);
    PlanCommand plan(app, status, out, err);
    PredictCommand predict(app, status, out, err);
    WatchCommand watch(app, status, out, err);
    RainflowCommand rainflow(app, status, out, err);
    ShelfCommand shelf(app, status, out, err);
    DueCommand due(app, status, out, err);
    try {
        args = joinRuleValues(args);
        std::vector<std::string> reversed(args.rbegin(), args.rend());
        app.parse(reversed);
    } catch (const CLI::ParseError& e) {
        const int code = app.exit(e, out, err);
        return code == 0 ? 0 : 2;
    } catch (const std::bad_alloc&) {
        err << "There is not enough memory for this. Nothing was changed.\n";
        return 1;
    } catch (const std::exception&) {
        err << "The program met something it does not expect and stopped. Nothing was changed.\n";
        return 1;
    }
    out.flush();
    if (!rawOut) {
        err << "standard output: the result could not be written.\n";
        return 1;
    }
    return status;
}

}  // namespace nk
