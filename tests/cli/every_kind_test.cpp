// A kind of battery is one file (docs/add-a-chemistry.md): every file of assets/chemistry plays a
// log, is read, judged, planned for, guarded and recognised, with no line of C++ for any of them.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>

#include "chemistry/chemistry.h"
#include "tests/support/command.h"
#include "tests/support/folder.h"

namespace nk {
namespace {

using testing::HasSubstr;

class EveryKind : public testing::TestWithParam<std::string> {
  protected:
    test::Folder folder_;
    const Chemistry& kind() const { return **findChemistry(GetParam()); }
    std::string log() {
        const Chemistry& c = kind();
        const std::string charge =
            c.nickel()
                ? fmt::format(
                      R"({{"do": "charge", "current_A": 1, "peak_drop_V": {}, "longest_s": 14400}})",
                      c.peakDrop_V)
                : fmt::format(R"({{"do": "charge", "current_A": 1, "set_V": {}, "cutoff_A": 0.1}})",
                              c.set_V);
        const std::string scenario = (folder_.path() / "kind.json").string();
        std::ofstream(scenario) << fmt::format(
            R"({{"about": "one of a kind", "seed": 5, "ambient_C": 22,
 "battery": {{"name": "One", "chemistry": "{}", "series": 1, "rated_Ah": 2, "capacity_Ah": 1.95,
  "r0_ohm": 0.03, "r1_ohm": 0.008, "tau1_s": 10, "r2_ohm": 0.01, "tau2_s": 100, "soc": 0.1}},
 "program": [{{"do": "rest", "longest_s": 600}}, {}, {{"do": "rest", "longest_s": 1800}},
  {{"do": "discharge", "current_A": 1, "floor_V": {}}}, {{"do": "rest", "longest_s": 900}}],
 "logger": {{"interval_s": 5, "resolution_V": 0.001, "resolution_A": 0.001, "noise_V": 0.0003,
  "noise_A": 0.001}}, "format": {{}}}})",
            c.id, charge, c.dischargeFloor_V);
        const std::string out = (folder_.path() / "kind.csv").string();
        const auto made = test::run({"simulate", scenario, "-o", out});
        EXPECT_EQ(made.status, 0) << made.err;
        return out;
    }
    std::vector<std::string> battery(std::vector<std::string> args) {
        for (const std::string& w : {std::string("--chemistry"), kind().id, std::string("--series"),
                                     std::string("1"), std::string("--rated-ah"), std::string("2")})
            args.push_back(w);
        args.emplace_back("--json");
        return args;
    }
};

TEST_P(EveryKind, ItsLogIsReadAndJudgedByItsOwnFigures) {
    const auto ran = test::run(battery({"analyse", log()}));
    ASSERT_EQ(ran.status, 0) << ran.err;
    const auto j = nlohmann::json::parse(ran.out);
    bool delivered = false;
    for (const auto& r : j["readings"])
        if (r["name"] == "delivered_capacity" && !r["value"].is_null()) {
            delivered = true;
            EXPECT_NEAR(r["value"].get<double>(), 1.9, 0.12);
        }
    EXPECT_TRUE(delivered);
    for (const auto& f : j["findings"]) EXPECT_NE(f["severity"], "hazard") << f["text"];
}

TEST_P(EveryKind, ItsPlansKeepToItsLimitsAndTheGateHolds) {
    const Chemistry& c = kind();
    const auto ran = test::run(battery({"plan", "charge", "--from-soc", "0.2"}));
    ASSERT_EQ(ran.status, 0) << ran.err;
    const auto j = nlohmann::json::parse(ran.out);
    EXPECT_LE(j["settings"]["current_A"].get<double>(), 2 * c.chargeC * 1.001);
    if (!c.nickel()) {
        EXPECT_LE(j["settings"]["set_V_per_cell"].get<double>(), c.set_V + 1e-9);
    }
    const auto cold = test::run(battery({"plan", "charge", "--from-soc", "0.2", "--ambient-c",
                                         fmt::format("{}", c.chargeMin_C - 5)}));
    EXPECT_EQ(cold.status, 1);
    EXPECT_THAT(cold.out, HasSubstr("narrow-knee/refusal/1"));
    if (!c.nickel()) {
        const auto dead = test::run(
            battery({"plan", "charge", "--rested-v", fmt::format("{:.3f}", c.outOfUse_V - 0.1)}));
        EXPECT_EQ(dead.status, 1);
        if (c.overdrained_V > c.outOfUse_V + 0.02) {
            const auto low =
                test::run(battery({"plan", "charge", "--rested-v",
                                   fmt::format("{:.3f}", 0.5 * (c.outOfUse_V + c.overdrained_V))}));
            ASSERT_EQ(low.status, 0) << low.err;
            EXPECT_LE(nlohmann::json::parse(low.out)["settings"]["current_A"].get<double>(), 0.201);
        }
    }
}

TEST_P(EveryKind, WhatIsPrintedOnItIsRecognised) {
    const Chemistry& c = kind();
    const auto ran =
        test::run({"identify", "--nominal", fmt::format("{}", 4 * c.printed.nominal_V.front()),
                   "--max", fmt::format("{}", 4 * c.printed.full_V.front()), "--words",
                   c.words.front() + " 4S", "--json"});
    ASSERT_EQ(ran.status, 0) << ran.err;
    const auto j = nlohmann::json::parse(ran.out);
    ASSERT_FALSE(j["candidates"].empty()) << ran.out;
    EXPECT_EQ(j["candidates"][0]["chemistry"], c.id);
    EXPECT_EQ(j["candidates"][0]["series"], 4);
}

TEST_P(EveryKind, EveryFigureNamesItsSource) {
    const Chemistry& c = kind();
    EXPECT_GE(c.sourceOf.size(), 20u);
    for (const auto& [figure, source] : c.sourceOf) EXPECT_GT(source.size(), 5u) << figure;
}

std::vector<std::string> all() {
    std::vector<std::string> out;
    for (const Chemistry& c : chemistries()) out.push_back(c.id);
    return out;
}
INSTANTIATE_TEST_SUITE_P(Files, EveryKind, testing::ValuesIn(all()),
                         [](const auto& kind) { return kind.param; });

TEST(NoKind, LeadAcidStaysNoneOfThese) {
    const auto ran = test::run({"identify", "--words", "12V 7Ah sealed lead acid", "--json"});
    EXPECT_THAT(ran.out, HasSubstr("lead-acid"));
    EXPECT_THAT(ran.out, HasSubstr("none_of_these"));
}

}  // namespace
}  // namespace nk
