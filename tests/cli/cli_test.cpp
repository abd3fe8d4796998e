#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "tests/support/command.h"
#include "tests/support/sim.h"

using namespace nk;
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

using test::Ran;
using test::run;

class Cli : public test::Command {
  protected:
    std::string log() {
        return write(
            "log.csv",
            nk::test::logged(nk::test::lithiumCycle(R"({"noise_V": 0.001, "noise_A": 0.001})"))
                .text);
    }
};

/// The shape of a JSON value: keys and types, array element shapes merged.
json shapeOf(const json& j) {
    if (j.is_object()) {
        json out = json::object();
        for (const auto& [key, value] : j.items()) out[key] = shapeOf(value);
        return out;
    }
    if (j.is_array()) {
        if (j.empty()) return "array";
        json element = shapeOf(j.front());
        return json::array({element});
    }
    if (j.is_number()) return "number";
    return j.type_name();
}

}  // namespace

TEST_F(Cli, AnalyseJsonKeepsItsContract) {
    const Ran r = run(
        {"analyse", log(), "--chemistry", "nmc", "--series", "3", "--rated-ah", "2.5", "--json"});
    ASSERT_EQ(r.status, 0) << r.err;
    const json j = json::parse(r.out);
    EXPECT_EQ(j["schema"], "narrow-knee/analysis/1");
    std::ifstream golden(std::string(NK_SOURCE_DIR) + "/tests/cli/analysis-shape.json");
    const json expected = json::parse(golden);
    // Fields may be added, never renamed or dropped.
    const std::function<void(const json&, const json&, const std::string&)> holds =
        [&](const json& want, const json& have, const std::string& where) {
            if (want.is_object()) {
                for (const auto& [key, value] : want.items()) {
                    ASSERT_TRUE(have.contains(key)) << where << "." << key;
                    holds(value, have[key], where + "." + key);
                }
            } else if (want.is_array()) {
                ASSERT_TRUE(have.is_array()) << where;
                ASSERT_FALSE(have.empty()) << where;
                for (const auto& element : have) holds(want.front(), element, where + "[]");
            } else if (want == "any") {
                return;
            } else {
                const std::string type = have.is_number() ? "number" : have.type_name();
                EXPECT_THAT(want.get<std::string>(), testing::HasSubstr(type)) << where;
            }
        };
    holds(expected, j, "");
    std::vector<std::string> kinds;
    for (const auto& s : j["steps"]) kinds.push_back(s["kind"]);
    EXPECT_EQ(kinds, (std::vector<std::string>{"rest", "cc_charge", "cv_charge", "rest",
                                               "cc_discharge", "rest"}));
    EXPECT_LT(j["steps"][4]["charge_Ah"].get<double>(), -2.2) << "signed: out of the battery";
    EXPECT_TRUE(j["source"]["sha256"].is_null());
}

TEST_F(Cli, SameForAnyNumberOfThreads) {
    const std::string file = log();
    EXPECT_EQ(run({"analyse", file, "--threads", "1", "--json"}).out,
              run({"analyse", file, "--threads", "4", "--json"}).out);
}

TEST_F(Cli, HashOnDemandAndHazardStatus) {
    const std::string file = log();
    EXPECT_EQ(json::parse(run({"analyse", file, "--json", "--sha256"}).out)["source"]["sha256"]
                  .get<std::string>()
                  .size(),
              64u);
    EXPECT_EQ(
        run({"analyse", file, "--chemistry", "lfp", "--series", "3", "--fail-on-hazard"}).status,
        3);
    EXPECT_EQ(
        run({"analyse", file, "--chemistry", "nmc", "--series", "3", "--fail-on-hazard"}).status,
        0);
}

TEST_F(Cli, StatusesAndMessages) {
    EXPECT_EQ(run({"analyse", (folder_ / "none.csv").string()}).status, 1);
    EXPECT_THAT(run({"analyse", (folder_ / "none.csv").string()}).err,
                testing::HasSubstr("none.csv"));
    EXPECT_EQ(run({"analyse", write("prose.txt", "no numbers here\nat all\n")}).status, 1);
    EXPECT_EQ(run({}).status, 2);
    EXPECT_EQ(run({"dance"}).status, 2);
    EXPECT_EQ(run({"analyse"}).status, 2);
    EXPECT_EQ(run({"analyse", log(), "--chemistry", "mud"}).status, 2);
    EXPECT_EQ(run({"analyse", log(), "--series", "-3"}).status, 2);
    EXPECT_EQ(run({"analyse", log(), "--rated-ah", "nan"}).status, 2);
    EXPECT_EQ(run({"analyse", log(), "--map", "moon=3"}).status, 2);
    EXPECT_EQ(run({"--help"}).status, 0);
    EXPECT_THAT(run({"--help"}).out, testing::HasSubstr("analyse"));
    EXPECT_THAT(run({"analyse", "--help"}).out, testing::HasSubstr("--rated-ah"));
}

TEST_F(Cli, SimulateWritesALogThatReads) {
    const std::string out = (folder_ / "demo.csv").string();
    ASSERT_EQ(run({"simulate", "dew-heater-full-cycle", "-o", out}).status, 0);
    const Ran r = run({"analyse", out, "--chemistry", "nmc", "--series", "3", "--rated-ah", "5"});
    EXPECT_EQ(r.status, 0);
    EXPECT_THAT(r.out, testing::HasSubstr("Delivered capacity"));
    EXPECT_EQ(run({"simulate", "nothing-of-that-name", "-o", out}).status, 1);
    EXPECT_EQ(run({"simulate", "dew-heater-full-cycle"}).status, 2);
    EXPECT_EQ(run({"simulate", "dew-heater-full-cycle", "-o", "/nonexistent/x.csv"}).status, 1);
    EXPECT_THAT(run({"simulate", "--list"}).out, testing::HasSubstr("dew-heater-full-cycle"));
}

TEST_F(Cli, BookFromImportToExport) {
    const std::string book = (folder_ / "b.nkbook").string();
    const std::string file = log();
    EXPECT_EQ(run({"book", "list", book}).status, 1) << "not made by looking";
    ASSERT_EQ(run({"book", "import", book, file, "--name", "Mount", "--chemistry", "nmc",
                   "--series", "3", "--rated-ah", "2.5"})
                  .status,
              0);
    EXPECT_THAT(run({"book", "list", book}).out, testing::HasSubstr("Mount"));
    const json j = json::parse(run({"book", "list", book, "--json"}).out);
    EXPECT_EQ(j["recordings"].size(), 1u);
    EXPECT_EQ(run({"book", "verify", book}).status, 0);
    const std::string back = (folder_ / "back.csv").string();
    ASSERT_EQ(run({"book", "export", book, "1", "-o", back}).status, 0);
    std::ifstream a(file), b(back);
    EXPECT_EQ(std::string(std::istreambuf_iterator<char>(a), {}),
              std::string(std::istreambuf_iterator<char>(b), {}));
    EXPECT_EQ(run({"book", "backup", book, "-o", (folder_ / "c.nkbook").string()}).status, 0);
    EXPECT_EQ(run({"book", "import", book, write("bad.csv", "x"), file}).status, 1)
        << "one bad file is told, the other is stored";
    EXPECT_EQ(json::parse(run({"book", "list", book, "--json"}).out)["recordings"].size(), 2u);
}

TEST_F(Cli, ARecordingInABookIsAnalysedWithItsCard) {
    const std::string file = log();
    const std::string book = (folder_ / "b.nkbook").string();
    ASSERT_EQ(run({"book", "import", book, file, "--name", "Mount", "--chemistry", "nmc",
                   "--series", "3", "--rated-ah", "5", "--instrument", "Desk", "--accuracy",
                   "V=0.1%+1,A=0.2%+1", "--charger", "Old one"})
                  .status,
              0);
    const Ran inBook = run({"analyse", "--book", book, "1", "--json"});
    ASSERT_EQ(inBook.status, 0) << inBook.err;
    const Ran alone = run({"analyse", file, "--chemistry", "nmc", "--series", "3", "--rated-ah",
                           "5", "--accuracy", "V=0.1%+1,A=0.2%+1", "--json"});
    const json a = json::parse(inBook.out);
    const json b = json::parse(alone.out);
    for (const char* part : {"steps", "readings", "cutoffs", "findings", "battery"})
        EXPECT_EQ(a[part], b[part]) << part;
    EXPECT_EQ(a["source"]["book"]["recording"], 1);
    EXPECT_EQ(run({"analyse", "--book", book, "log"}).status, 0) << "by its title";
    EXPECT_EQ(run({"analyse", "--book", book, "none of that name"}).status, 1);
    const Ran usage = run({"analyse", "--book", book, "1", "--series", "4"});
    EXPECT_EQ(usage.status, 2);
    EXPECT_THAT(usage.err, testing::HasSubstr("--series"));
    EXPECT_EQ(run({"book", "import", book, file, "--accuracy", "V=1%"}).status, 2)
        << "an accuracy belongs to an instrument";
    EXPECT_THAT(run({"book", "instruments", book}).out, testing::HasSubstr("V=0.1%+1"));
    EXPECT_THAT(run({"book", "chargers", book}).out, testing::HasSubstr("In 1 of 1 charges"));
}

TEST_F(Cli, HistoryKeepsItsContractAlsoInAReadOnlyFolder) {
    const std::string file = log();
    const std::string book = (folder_ / "b.nkbook").string();
    ASSERT_EQ(run({"book", "import", book, file, "--name", "Mount", "--chemistry", "nmc",
                   "--series", "3", "--rated-ah", "5"})
                  .status,
              0);
    const Ran ran = run({"history", book, "Mount", "--json"});
    ASSERT_EQ(ran.status, 0) << ran.err;
    const json j = json::parse(ran.out);
    EXPECT_EQ(j["schema"], "narrow-knee/history/1");
    EXPECT_EQ(j["battery"]["id"], 1);
    ASSERT_FALSE(j["points"].empty());
    const json whole = json::parse(run({"analyse", "--book", book, "1", "--json"}).out);
    std::size_t measurable = 0;
    for (const json& r : whole["readings"]) measurable += !r["value"].is_null();
    EXPECT_EQ(j["points"].size(), measurable) << "every non-null reading of every step";
    EXPECT_EQ(run({"history", book, "1", "--json"}).out, ran.out) << "by its number";
    EXPECT_THAT(run({"history", book, "1", "--csv"}).out, testing::StartsWith("name,value,unit"));
    EXPECT_EQ(run({"history", book, "1", "--csv", "--json"}).status, 2);
    const Ran missing = run({"history", book, "Mountain"});
    EXPECT_EQ(missing.status, 1);
    EXPECT_THAT(missing.err, testing::HasSubstr("Mount"));
    EXPECT_EQ(run({"history", (folder_ / "no.nkbook").string(), "1"}).status, 1);
    // Handed on, merged back: nothing is doubled.
    const std::string lamp = (folder_ / "mount.nkbook").string();
    ASSERT_EQ(run({"book", "hand-on", book, "Mount", "-o", lamp}).status, 0);
    EXPECT_EQ(run({"book", "hand-on", book, "Mount", "-o", lamp}).status, 1);
    const Ran merged = run({"book", "merge", book, lamp});
    EXPECT_EQ(merged.status, 0) << merged.err;
    EXPECT_THAT(merged.out, testing::HasSubstr("0 recordings came in, 1 recordings were here"));
    EXPECT_THAT(run({"book", "refresh", book}).out, testing::HasSubstr("0 computed anew"));
}

TEST_F(Cli, IdentifyAndVerdictKeepTheirContract) {
    const Ran ran = run(
        {"identify", "--nominal", "38.4", "--ah", "30", "--wh", "1152", "--max", "43.8", "--json"});
    ASSERT_EQ(ran.status, 0) << ran.err;
    const json j = json::parse(ran.out);
    EXPECT_EQ(j["schema"], "narrow-knee/identify/1");
    EXPECT_EQ(j["candidates"][0]["chemistry"], "lfp");
    EXPECT_EQ(j["candidates"][0]["series"], 12);
    EXPECT_TRUE(j["candidates"][0]["parallel"].is_null());
    EXPECT_TRUE(j["contradictions"].empty());
    const json slip = json::parse(
        run({"identify", "--nominal", "11.1", "--ah", "2200", "--wh", "24.4", "--json"}).out);
    EXPECT_EQ(slip["contradictions"][0]["fields"], json({"ah", "wh"}));
    EXPECT_EQ(run({"identify"}).status, 2);
    EXPECT_EQ(run({"identify", "--nominal", "0"}).status, 2);
    EXPECT_EQ(run({"identify", "--nominal", "much"}).status, 2);
    const std::string book = (folder_ / "b.nkbook").string();
    ASSERT_EQ(run({"book", "import", book, log(), "--name", "Mount", "--chemistry", "nmc",
                   "--series", "3", "--rated-ah", "2.5"})
                  .status,
              0);
    const json v = json::parse(run({"verdict", book, "Mount", "--json"}).out);
    EXPECT_EQ(v["schema"], "narrow-knee/verdict/1");
    EXPECT_TRUE(v["verdict"].is_string());
    for (const char* key : {"label", "own_first", "siblings_median"})
        EXPECT_TRUE(v["yardsticks"].contains(key));
    for (const json& r : v["reasons"])
        for (const char* key : {"rule", "text", "value", "limit", "recording"})
            EXPECT_TRUE(r.contains(key));
    EXPECT_TRUE(v.contains("log_next"));
    EXPECT_EQ(run({"verdict", book, "nobody"}).status, 1);
}

TEST_F(Cli, AFolderOfLogsComesInWithAResultAFile) {
    const std::string book = (folder_ / "b.nkbook").string();
    fs::create_directories(folder_ / "logs/deeper");
    fs::create_directories(folder_ / "logs/.hidden");
    const std::string text = nk::test::logged(nk::test::lithiumCycle("{}")).text;
    for (const char* name : {"logs/b.csv", "logs/a.csv", "logs/deeper/c.csv", "logs/.hidden/d.csv"})
        std::ofstream(folder_ / name, std::ios::binary) << text;
    std::ofstream(folder_ / "logs/prose.txt") << "nothing here";
    fs::create_symlink("/etc/passwd", folder_ / "logs/link.csv");
    const Ran ran = run({"book", "import", book, (folder_ / "logs").string(), "--name", "Mount",
                         "--chemistry", "nmc", "--series", "3", "--rated-ah", "2.5"});
    EXPECT_EQ(ran.status, 1) << "one of them is no log";
    EXPECT_THAT(ran.err, testing::HasSubstr("prose.txt"));
    EXPECT_THAT(ran.err, testing::Not(testing::HasSubstr("passwd")));
    EXPECT_EQ(ran.out, "1  a\n2  b\n3  c\n");
    const json list = json::parse(run({"book", "list", book, "--json"}).out);
    EXPECT_EQ(list["recordings"].size(), 3u);
    EXPECT_EQ(list["batteries"].size(), 1u);
}

TEST_F(Cli, NumbersNeverDependOnTheLocale) {
    const std::string file = log();
    const std::string before = run({"analyse", file, "--json"}).out;
    const char* old = std::setlocale(LC_ALL, nullptr);
    const std::string kept = old != nullptr ? old : "C";
    for (const char* name : {"de_DE.UTF-8", "fr_FR.UTF-8", "C.UTF-8"})
        if (std::setlocale(LC_ALL, name) != nullptr) {
            EXPECT_EQ(run({"analyse", file, "--json"}).out, before) << name;
        }
    std::setlocale(LC_ALL, kept.c_str());
}

TEST_F(Cli, TheProgramItselfRuns) {
    const std::string command = std::string(NK_CLI) + " --version";
    std::FILE* pipe = ::popen(command.c_str(), "r");
    ASSERT_NE(pipe, nullptr);
    char buffer[200] = {};
    EXPECT_NE(std::fgets(buffer, sizeof buffer, pipe), nullptr);
    EXPECT_EQ(::pclose(pipe), 0);
    EXPECT_THAT(buffer, testing::HasSubstr("narrow-knee-cli"));
}

TEST_F(Cli, ReplayTakesRulesThatStartWithADash) {
    const std::string out = (folder_ / "torch.csv").string();
    ASSERT_EQ(run({"simulate", "red-torch-quick-peak", "-o", out}).status, 0);
    const Ran spaced = run({"replay", out, "--rule", "-dv:5mV", "--rule", "timer:1h", "--chemistry",
                            "nimh", "--series", "4", "--rated-ah", "2", "--json"});
    const Ran joined = run({"replay", out, "--rule=-dv:5mV", "--rule=timer:1h", "--chemistry",
                            "nimh", "--series", "4", "--rated-ah", "2", "--json"});
    ASSERT_EQ(spaced.status, 0) << spaced.err;
    EXPECT_EQ(spaced.out, joined.out);
    const json j = json::parse(spaced.out);
    EXPECT_EQ(j["schema"], "narrow-knee/replay/1");
    ASSERT_EQ(j["results"].size(), 2u);
    EXPECT_EQ(j["results"][0]["rule"], "-dv:5mV");
    EXPECT_EQ(j["results"][0]["fired"], true);
    EXPECT_EQ(j["results"][0]["step"], 1);
    EXPECT_EQ(run({"replay", out, "--rule", "magic:1"}).status, 2);
    EXPECT_EQ(run({"replay", out}).status, 2);
}

TEST_F(Cli, RateFindsTheTrueCOfThePulseBatteryAndItsLimits) {
    std::vector<std::string> logs;
    for (const char* name : {"1c", "4c", "10c", "20c"}) {
        logs.push_back((folder_ / (std::string(name) + ".csv")).string());
        ASSERT_EQ(
            run({"simulate", std::string("flash-pack-rate-") + name, "-o", logs.back()}).status, 0);
    }
    const std::vector<std::string> battery = {"--chemistry", "lipo", "--series",  "2",
                                              "--rated-ah",  "2.2",  "--mass-kg", "0.12"};
    const auto rate = [&](std::vector<std::string> more) {
        std::vector<std::string> args = {"rate"};
        args.insert(args.end(), logs.begin(), logs.end());
        args.insert(args.end(), battery.begin(), battery.end());
        args.insert(args.end(), more.begin(), more.end());
        return run(args);
    };
    const Ran ran = rate({"--json"});
    ASSERT_EQ(ran.status, 0) << ran.err;
    const json j = json::parse(ran.out);
    EXPECT_EQ(j["schema"], "narrow-knee/rate/1");
    ASSERT_EQ(j["views"].size(), 4u);
    double least = 1e9;
    for (const json& view : j["views"]) {
        if (view["view"] == "sag") {
            // The fastest of them holds the floor with much to spare.
            EXPECT_TRUE(view["c_rate"].is_null());
            EXPECT_NEAR(view["at_least_A"].get<double>(), 44, 0.3);
            least = std::min(least, view["at_least_A"].get<double>() / 2.2);
            continue;
        }
        EXPECT_NEAR(view["c_rate"].get<double>(), view["current_A"].get<double>() / 2.2, 1e-9);
        EXPECT_GT(view["uncertainty_A"].get<double>(), 0) << view["view"];
        EXPECT_TRUE(view["at_least_A"].is_null()) << view["view"];
        if (view["view"] == "heat") least = std::min(least, view["c_rate"].get<double>());
    }
    EXPECT_EQ(j["true_c_is"], "at_least");
    EXPECT_NEAR(j["true_c"].get<double>(), least, 1e-9) << "the weakest limit decides";
    // A higher floor and a lower top temperature can only lower the rating.
    const json strict = json::parse(rate({"--json", "--top-temperature", "45"}).out);
    EXPECT_LT(strict["true_c"].get<double>(), j["true_c"].get<double>());
    const json floor = json::parse(rate({"--json", "--floor", "3.6"}).out);
    EXPECT_LT(floor["views"][0]["c_rate"].get<double>(), 20);
    // Text for people says the same number.
    const Ran words = rate({});
    EXPECT_EQ(words.status, 0);
    EXPECT_THAT(words.out, testing::HasSubstr("at least 44.0\u202fA"));
    EXPECT_EQ(rate({"--empty-min", "0"}).status, 2);
    EXPECT_EQ(run({"rate", (folder_ / "none.csv").string()}).status, 1);
    EXPECT_EQ(run({"rate"}).status, 2);
}

TEST_F(Cli, GroupShelfAndDueAnswerAndRefuse) {
    const std::string table = (folder_ / "modules.csv").string();
    {
        std::ofstream out(table);
        out << "name;capacity_mAh;resistance_mohm\n";
        for (int k = 0; k < 10; ++k)
            out << "m" << k << ";" << 2000 + 37 * k % 101 << ";" << 20 + k << "\n";
    }
    const auto grouped = run({"group", table, "--series", "2", "--parallel", "4", "--json"});
    ASSERT_EQ(grouped.status, 0) << grouped.err;
    const json g = json::parse(grouped.out);
    EXPECT_EQ(g["schema"], "narrow-knee/group/1");
    ASSERT_EQ(g["groups"].size(), 2u);
    EXPECT_EQ(g["groups"][0]["modules"].size(), 4u);
    EXPECT_EQ(g["spares"].size(), 2u);
    EXPECT_LE(g["lower_bound_Ah"].get<double>(), g["spread_Ah"].get<double>());
    EXPECT_TRUE(g["uncertainty_Ah"].is_null()) << "no column tells it";
    EXPECT_EQ(run({"group", table, "--series", "5", "--parallel", "4"}).status, 1);
    EXPECT_EQ(run({"group", table, "--series", "0", "--parallel", "4"}).status, 2);
    EXPECT_EQ(run({"group", table}).status, 2);
    EXPECT_EQ(
        run({"group", (folder_ / "none.csv").string(), "--series", "2", "--parallel", "2"}).status,
        1);
    const std::string book = (folder_ / "shelf.nkbook").string();
    const std::string shelf = (folder_ / "shelf.csv").string();
    {
        std::ofstream out(shelf);
        out << "name,chemistry,series,rated_Ah,tags\nLamp,nmc,3,5,field\n";
    }
    EXPECT_EQ(run({"shelf", book, "--take", shelf}).status, 0);
    const auto out = run({"shelf", book});
    EXPECT_EQ(out.status, 0);
    EXPECT_THAT(out.out, testing::HasSubstr("Lamp,nmc,3"));
    EXPECT_EQ(run({"shelf", book, "-o", shelf}).status, 1) << "nothing is written over";
    EXPECT_EQ(run({"shelf", book, "-o", shelf, "--force"}).status, 0);
    const auto due = run({"due", book, "--json", "--at", "2026-11-26"});
    EXPECT_EQ(due.status, 0);
    EXPECT_EQ(json::parse(due.out)["tasks"].size(), 0u) << "nothing was logged of it";
    EXPECT_EQ(run({"due", book, "--at", "soon"}).status, 2);
    EXPECT_EQ(run({"due", (folder_ / "no.nkbook").string()}).status, 1);
}

TEST_F(Cli, CompareOfALogWithItselfIsOneAndOfTwoHasAnUncertainty) {
    const std::string slow = (folder_ / "slow.csv").string();
    const std::string fast = (folder_ / "fast.csv").string();
    ASSERT_EQ(run({"simulate", "flash-pack-rate-1c", "-o", slow}).status, 0);
    ASSERT_EQ(run({"simulate", "flash-pack-rate-4c", "-o", fast}).status, 0);
    const auto compare = [](const std::string& a, const std::string& b) {
        return run({"compare", a, b, "--chemistry", "lipo", "--series", "2", "--rated-ah", "2.2",
                    "--json"});
    };
    const json same = json::parse(compare(slow, slow).out);
    for (const char* ratio : {"capacity_ratio", "energy_ratio", "mean_voltage_ratio"})
        EXPECT_DOUBLE_EQ(same[ratio]["value"].get<double>(), 1) << ratio;
    const json j = json::parse(compare(slow, fast).out);
    EXPECT_EQ(j["schema"], "narrow-knee/compare/1");
    // Mean voltage is energy over charge, so the three ratios belong together.
    EXPECT_NEAR(
        j["energy_ratio"]["value"].get<double>(),
        j["capacity_ratio"]["value"].get<double>() * j["mean_voltage_ratio"]["value"].get<double>(),
        1e-9);
    for (const char* ratio : {"capacity_ratio", "energy_ratio", "mean_voltage_ratio"})
        EXPECT_GT(j[ratio]["uncertainty"].get<double>(), 0) << ratio;
    EXPECT_FALSE(j["caveats"].empty()) << "different currents are said";
    EXPECT_EQ(run({"compare", slow}).status, 2);
    const auto many = run({"compare", slow, fast, slow, "--chemistry", "lipo", "--series", "2",
                           "--rated-ah", "2.2", "--json"});
    ASSERT_EQ(many.status, 0) << many.err;
    const json all = json::parse(many.out);
    ASSERT_EQ(all["others"].size(), 2u);
    EXPECT_EQ(all["others"][1]["log"], slow);
    EXPECT_NEAR(all["others"][1]["capacity_ratio"]["value"].get<double>(), 1, 1e-9);
    EXPECT_EQ(all["others"][0]["capacity_ratio"], all["capacity_ratio"]);
    ASSERT_EQ(all["incremental_capacity"]["logs"].size(), 3u);
    for (const auto& log : all["incremental_capacity"]["logs"])
        EXPECT_FALSE(log["peaks"].empty() && log["why_not"].is_null())
            << "no peaks without a reason at these rates";
}

TEST_F(Cli, OutputIsWrittenWholeAndNeverOverWhatIsRead) {
    const std::string book = (folder_ / "b.nkbook").string();
    const std::string first = log();
    ASSERT_EQ(run({"book", "import", book, first, "--chemistry", "nmc", "--series", "3",
                   "--rated-ah", "2.5"})
                  .status,
              0);
    const auto before = fs::file_size(book);
    const Ran over = run({"book", "export", book, "1", "-o", book});
    EXPECT_EQ(over.status, 1);
    EXPECT_EQ(run({"book", "export", book, "1", "-o", book, "--force"}).status, 1) << "not even so";
    EXPECT_EQ(fs::file_size(book), before);
    EXPECT_EQ(run({"book", "export", book, "1", "-o", first}).status, 1) << "there is a file";
    EXPECT_EQ(run({"book", "export", book, "1", "-o", first, "--force"}).status, 0);
    EXPECT_EQ(run({"simulate", "red-torch-quick-peak", "-o", first}).status, 1);
    EXPECT_EQ(run({"simulate", "red-torch-quick-peak", "-o", first, "--force"}).status, 0);
    for (const char* nowhere : {"", ":memory:", "file:x?mode=memory"})
        EXPECT_EQ(run({"book", "import", nowhere, first}).status, 1) << nowhere;
    const Ran rescued = run({"book", "rescue", book, "-o", (folder_ / "copy.nkbook").string()});
    EXPECT_EQ(rescued.status, 0) << rescued.err;
    EXPECT_NE(rescued.out.find("1 recordings"), std::string::npos);
    EXPECT_EQ(run({"book", "verify", (folder_ / "copy.nkbook").string()}).status, 0);
}

TEST_F(Cli, OptionsBeyondABatteryAreRefused) {
    const std::string file = log();
    for (const std::vector<std::string>& options : {std::vector<std::string>{"--series", "0"},
                                                    {"--series", "-3"},
                                                    {"--parallel", "0"},
                                                    {"--rated-ah", "0"},
                                                    {"--rated-ah", "0.0009"},
                                                    {"--rated-ah", "100001"},
                                                    {"--rated-ah", "nan"},
                                                    {"--mass-kg", "-1"},
                                                    {"--ambient-c", "999"},
                                                    {"--set-a", "1e9"}}) {
        std::vector<std::string> args = {"analyse", file};
        args.insert(args.end(), options.begin(), options.end());
        EXPECT_EQ(run(args).status, 2) << options[0] << " " << options[1];
    }
    const std::string flat =
        write("flat.json", R"({"battery": {"chemistry": "nmc", "rated_Ah": 2, "capacity_Ah": 0},
        "program": [{"do": "rest", "longest_s": 10}]})");
    const Ran simulated = run({"simulate", flat, "-o", (folder_ / "x.csv").string()});
    EXPECT_EQ(simulated.status, 1);
    EXPECT_NE(simulated.err.find("capacity_Ah"), std::string::npos) << simulated.err;
    for (const char* bad : {"{", "[]", R"({"battery": 5})",
                            R"({"battery": {"chemistry": "nmc", "rated_Ah": "x"}})"}) {
        const Ran ran =
            run({"simulate", write("bad.json", bad), "-o", (folder_ / "y.csv").string()});
        EXPECT_EQ(ran.status, 1) << bad;
        EXPECT_EQ(ran.err.find("json.exception"), std::string::npos) << ran.err;
    }
}

TEST_F(Cli, NamesFromFilesDoNotActOnTheTerminal) {
    const std::string evil =
        write("evil\x1b[31m\xE2\x80\xAEgnp.csv",
              "time,voltage,\x1b]0;title\x07 current\n0,3.7,1\n1,3.7,1\n2,3.7,1\n3,3.7,1\n");
    for (const bool asJson : {false, true}) {
        std::vector<std::string> args = {"analyse", evil};
        if (asJson) args.push_back("--json");
        const Ran ran = run(args);
        EXPECT_EQ(ran.status, 0) << ran.err;
        for (const std::string& text : {ran.out, ran.err}) {
            EXPECT_EQ(text.find('\x1b'), std::string::npos);
            EXPECT_EQ(text.find("\xE2\x80\xAE"), std::string::npos);
        }
        if (asJson) {
            EXPECT_NE(
                json::parse(ran.out)["source"]["file"].get<std::string>().find("\xE2\x80\xAE"),
                std::string::npos);
        }
    }
}
