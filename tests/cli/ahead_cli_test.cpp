// The commands that look ahead and along: fade, habit, predict, plan, watch. Their contracts
// (docs/analysis-json.md), exit statuses, and that bad input is said and costs nothing.
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>
#include <thread>

#include "tests/support/command.h"
#include "tests/support/sim.h"

using nlohmann::json;

namespace nk::test {
namespace {

class Ahead : public Command {
  protected:
    std::string cycles() {
        std::string out = "cycle,capacity_Ah\n";
        for (int n = 1; n <= 200; ++n)
            out += fmt::format("{},{:.4f}\n", n, 2.5 - 0.002 * n + 0.002 * std::sin(12.9898 * n));
        return write("cycles.csv", out);
    }
    std::string log() {
        return write("log.csv", logged(lithiumCycle(R"({"interval_s": 10})")).text);
    }
};

TEST_F(Ahead, FadeTellsTheCrossingWithItsInterval) {
    const Ran r = run({"fade", cycles(), "--json"});
    ASSERT_EQ(r.status, 0) << r.err;
    const json j = json::parse(r.out);
    EXPECT_EQ(j["schema"], "narrow-knee/fade/1");
    EXPECT_NEAR(j["initial_Ah"], 2.498, 0.01);
    const double truth = (2.5 - 0.8 * 2.498) / 0.002;
    EXPECT_LE(j["end_cycle_low"].get<double>(), truth);
    EXPECT_GE(j["end_cycle_high"].get<double>(), truth);
    EXPECT_EQ(j["alternatives"].size(), 5U);
    EXPECT_FALSE(j["knee_suspected"].get<bool>());
    EXPECT_EQ(run({"fade", cycles(), "--end", "bananas"}).status, 2);
    EXPECT_EQ(run({"fade", write("x.csv", "a,b\n1,2\n")}).status, 1);
    EXPECT_EQ(run({"fade", cycles(), "--against", "days"}).status, 1);
    EXPECT_EQ(run({"fade", (folder_ / "none.csv").string()}).status, 1);
    EXPECT_EQ(run({"fade", cycles()}).status, 0);
}

TEST_F(Ahead, HabitsGiveYearsByEverySchoolAndARanking) {
    const auto habit = write(
        "h.json", R"({"schema": "narrow-knee/habit-file/1", "name": "x", "target_V_per_cell": 4.1,
        "uses_per_week": 5, "depth": 0.4, "parked_C": 40, "use_C": 40})");
    const Ran r =
        run({"habit", habit, "--chemistry", "nmc", "--series", "3", "--rated-ah", "5", "--json"});
    ASSERT_EQ(r.status, 0) << r.err;
    const json j = json::parse(r.out);
    EXPECT_EQ(j["schema"], "narrow-knee/habit/1");
    ASSERT_EQ(j["habits"][0]["schools"].size(), 2U);
    EXPECT_EQ(j["habits"][0]["schools"][0]["school"], "nmc");
    EXPECT_FALSE(j["habits"][0]["schools"][0]["extrapolated"].get<bool>());
    EXPECT_GT(j["habits"][0]["lifetime_energy_Wh"].get<double>(), 1000);
    EXPECT_GE(j["ranking"].size(), 3U);
    EXPECT_EQ(run({"habit", habit, "--chemistry", "gold"}).status, 2);
    EXPECT_EQ(run({"habit", write("bad.json", "{")}).status, 2);  // the chemistry is asked for
    EXPECT_EQ(run({"habit", write("bad.json", "{"), "--chemistry", "nmc"}).status, 1);
    const auto high =
        write("high.json", R"({"schema": "narrow-knee/habit-file/1", "target_V_per_cell": 4.3})");
    const Ran refused = run({"habit", high, "--chemistry", "nmc"});
    EXPECT_EQ(refused.status, 1);
    EXPECT_NE(refused.err.find("dangerous"), std::string::npos);
}

TEST_F(Ahead, PredictLearnsFromALog) {
    const Ran r =
        run({"predict", "--from", log(), "--chemistry", "nmc", "--series", "3", "--rated-ah", "2.5",
             "--do", "discharge:2.5A:3.0V", "--do", "rest:10min", "--json"});
    ASSERT_EQ(r.status, 0) << r.err;
    const json j = json::parse(r.out);
    EXPECT_EQ(j["schema"], "narrow-knee/predict/1");
    ASSERT_EQ(j["steps"].size(), 2U);
    EXPECT_GT(j["steps"][0]["duration_s"].get<double>(), 1000);
    EXPECT_GT(j["steps"][0]["uncertainty_s"].get<double>(), 0);
    EXPECT_LT(j["steps"][0]["charge_Ah"].get<double>(), 0);
    EXPECT_NEAR(j["steps"][1]["duration_s"].get<double>(), 600, 1);
    EXPECT_EQ(j["model"]["rc"].size(), 2U);
    EXPECT_EQ(run({"predict", "--from", log(), "--chemistry", "nmc", "--do", "jump:3A"}).status, 2);
    EXPECT_EQ(run({"predict", "--from", (folder_ / "no.csv").string(), "--do", "rest:1s"}).status,
              1);
}

TEST_F(Ahead, PlansAreSettingsProgramsJoinsAndQueues) {
    const auto chargers = write("c.json", R"({"schema": "narrow-knee/chargers/1", "chargers": [
        {"name": "A", "max_charge_A": 5, "max_charge_W": 20, "max_discharge_W": 5, "current_step_A": 0.1},
        {"name": "B", "channels": 2}]})");
    const Ran r = run({"plan", "charge", "--chemistry", "nimh", "--series", "6", "--rated-ah",
                       "6.5", "--rate", "1C", "--charger", chargers + ":A", "--json"});
    ASSERT_EQ(r.status, 0) << r.err;
    json j = json::parse(r.out);
    EXPECT_EQ(j["schema"], "narrow-knee/plan/1");
    EXPECT_NEAR(j["settings"]["effective_current_A"], 2.7, 1e-9);
    EXPECT_EQ(j["limited_by"], "charger_power");
    EXPECT_TRUE(j["settings"]["set_V"].is_null());
    EXPECT_GE(j["preflight"].size(), 6U);
    EXPECT_EQ(run({"plan", "charge", "--chemistry", "nmc", "--series", "3", "--rated-ah", "5",
                   "--rate", "soon"})
                  .status,
              1);
    EXPECT_EQ(run({"plan", "charge", "--chemistry", "nmc"}).status, 2);
    EXPECT_EQ(run({"plan", "charge", "--chemistry", "nmc", "--series", "3", "--rated-ah", "5",
                   "--charger", chargers})
                  .status,
              1);  // which of two
    for (const char* what : {"breakin", "recondition"}) {
        const Ran p = run(
            {"plan", what, "--chemistry", "nimh", "--series", "8", "--rated-ah", "2", "--json"});
        ASSERT_EQ(p.status, 0) << p.err;
        EXPECT_GE(json::parse(p.out)["steps"].size(), 4U);
        EXPECT_EQ(
            run({"plan", what, "--chemistry", "nmc", "--series", "3", "--rated-ah", "5"}).status,
            1);
    }
    EXPECT_EQ(run({"plan", "storage", "--chemistry", "nmc", "--series", "3", "--rated-ah", "5",
                   "--from-soc", "1"})
                  .status,
              0);
    const Ran ready =
        run({"plan", "readyby", "--chemistry", "nmc", "--series", "3", "--rated-ah", "5", "--ready",
             "2026-05-01T18:00", "--now", "2026-05-01T08:00", "--json"});
    ASSERT_EQ(ready.status, 0) << ready.err;
    EXPECT_TRUE(json::parse(ready.out).contains("start"));

    const auto packs =
        write("p.csv",
              "name;chemistry;series;voltage_v;rated_ah;resistance_ohm\na;nmc;6;22,2;5;0,06\n"
              "b;nmc;6;25,0;5;0,06\n");
    const Ran join = run({"plan", "join", packs, "--json"});
    ASSERT_EQ(join.status, 0) << join.err;  // a refused join is an answer
    EXPECT_FALSE(json::parse(join.out)["allowed"].get<bool>());
    EXPECT_NEAR(json::parse(join.out)["currents"][0]["first_A"], 1.4 / 0.06, 1e-6);

    const auto modules =
        write("m.csv", "name,chemistry,series,rated_ah\nm1,nimh,6,2\nm2,nimh,6,2\nm3,nimh,6,2\n");
    const auto ics = (folder_ / "q.ics").string();
    const Ran queue = run({"plan", "queue", modules, chargers, "--start", "2026-05-01T08:00",
                           "--present", "07:00-22:30", "--ics", ics, "--json"});
    ASSERT_EQ(queue.status, 0) << queue.err;
    j = json::parse(queue.out);
    EXPECT_EQ(j["schema"], "narrow-knee/queue/1");
    EXPECT_GE(j["makespan_h"].get<double>(), j["lower_bound_h"].get<double>() - 1e-9);
    EXPECT_TRUE(std::filesystem::exists(ics));
    // Nothing is written over without being asked.
    EXPECT_EQ(run({"plan", "queue", modules, chargers, "--ics", modules, "--force"}).status, 1);
    EXPECT_EQ(run({"plan", "queue", modules, chargers, "--ics", ics}).status, 1);
    EXPECT_EQ(run({"plan", "queue", modules, chargers, "--present", "always"}).status, 2);
}

TEST_F(Ahead, WatchFollowsAFileThatGrowsAndEndsWithTheAnalysis) {
    const std::string whole = logged(lithiumCycle(R"({"interval_s": 10})")).text;
    const auto file = write("grows.csv", whole.substr(0, whole.size() / 3));
    std::thread writer([&] {
        for (int part = 1; part <= 4; ++part) {
            std::this_thread::sleep_for(std::chrono::milliseconds(150));
            std::ofstream(file, std::ios::binary | std::ios::app) << whole.substr(
                whole.size() / 3 + (part - 1) * (whole.size() - whole.size() / 3) / 4,
                part == 4 ? std::string::npos : (whole.size() - whole.size() / 3) / 4);
        }
    });
    const Ran r = run({"watch", file, "--idle", "1s", "--json", "--chemistry", "nmc", "--series",
                       "3", "--rated-ah", "2.5", "--rule", "input:50%"});
    writer.join();
    ASSERT_EQ(r.status, 0) << r.err;
    std::istringstream lines(r.out);
    std::string line;
    json last;
    std::size_t samples = 0;
    bool rule = false;
    while (std::getline(lines, line)) {
        last = json::parse(line);
        samples += last.value("event", "") == "sample" ? 1 : 0;
        rule = rule || last.value("event", "") == "rule";
    }
    EXPECT_EQ(last["schema"], "narrow-knee/analysis/1");
    EXPECT_TRUE(rule);
    const json alone = json::parse(run({"analyse", write("whole.csv", whole), "--json",
                                        "--chemistry", "nmc", "--series", "3", "--rated-ah", "2.5"})
                                       .out);
    EXPECT_EQ(last["readings"], alone["readings"]);
    EXPECT_EQ(last["steps"], alone["steps"]);
    EXPECT_GT(samples, 100U);
}

TEST_F(Ahead, WatchTakesTheComputersOwnBatteryAndRefusesWhatIsNone) {
    const auto folder = folder_ / "BAT0";
    std::filesystem::create_directories(folder);
    std::ofstream(folder / "voltage_now") << "11800000\n";
    std::ofstream(folder / "current_now") << "1200000\n";
    std::ofstream(folder / "status") << "Discharging\n";
    const Ran r = run({"watch", "own-battery:" + folder.string(), "--for", "3s", "--json"});
    ASSERT_EQ(r.status, 0) << r.err;
    EXPECT_NE(r.out.find("\"current_A\":-1.2"), std::string::npos) << r.out;
    EXPECT_EQ(run({"watch", "own-battery:" + folder_.string()}).status, 1);
    EXPECT_EQ(run({"watch", (folder_ / "no").string()}).status, 1);
    EXPECT_EQ(run({"watch", folder_.string()}).status, 1);
    EXPECT_EQ(run({"watch", "sim:red-torch-quick-peak@9999x"}).status, 1);
    EXPECT_EQ(run({"watch", write("e.csv", ""), "--idle", "1s"}).status, 1);
    EXPECT_EQ(run({"watch", write("e.csv", ""), "--idle", "soon"}).status, 2);
}

}  // namespace
}  // namespace nk::test
