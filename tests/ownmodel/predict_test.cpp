// A battery's own model: recovers the simulated cell it learned from, predicts what it did not see
// within its interval, and refuses what nobody could learn. Physics cells of another kind are in
// tests/coverage/predict.py.
#include "ownmodel/predict.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "analysis/analysis.h"
#include "tests/support/sim.h"

using namespace nk;

namespace {

struct Played {
    test::Logged log;
    Steps steps;
};

Battery cell(double rated = 2.5) {
    Battery b;
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = rated;
    return b;
}

Played play(const std::string& battery, const std::string& program, unsigned seed,
            double ambient = 23) {
    Played out{
        test::logged(
            R"({"seed": )" + std::to_string(seed) + R"(, "ambient_C": )" + std::to_string(ambient) +
            R"(, "battery": {"name": "x", "chemistry": "nmc", "series": 1, "rated_Ah": 2.5, )" +
            battery + R"(}, "program": [)" + program +
            R"(], "logger": {"interval_s": 5, "resolution_V": 0.001, "resolution_A": 0.001,
                               "noise_V": 0.0004, "noise_A": 0.001, "noise_C": 0.05}})"),
        {}};
    out.steps = findSteps(*out.log.imported.recording, cell());
    return out;
}

const char* kCycle =
    R"({"do": "rest", "longest_s": 600}, {"do": "charge", "current_A": 1.25, "set_V": 4.2, "cutoff_A": 0.125},
       {"do": "rest", "longest_s": 3600}, {"do": "discharge", "current_A": 1.0, "floor_V": 3.0},
       {"do": "rest", "longest_s": 2400})";

OwnModel learned(const Played& p) {
    const auto model = fitOwnModel({{p.log.imported.recording.get(), &p.steps}}, cell());
    EXPECT_TRUE(model) << model.error().text();
    return model.value_or(OwnModel());
}

TEST(OwnModel, RecoversTheCellItLearnedFrom) {
    for (const double r0 : {0.015, 0.03, 0.06}) {
        const std::string battery =
            R"("capacity_Ah": 2.4, "soc": 0.02, "r0_ohm": )" + std::to_string(r0);
        const OwnModel m = learned(play(battery, kCycle, 7));
        EXPECT_NEAR(m.capacity_Ah, 2.4, 0.05) << r0;
        // What ten seconds of current meet; rows are 5 s apart, so shorter times are not in them.
        // The simulated cell: r0, 0.35·r0 at 15 s, 0.5·r0 at 400 s.
        const double truth =
            r0 * (1 + 0.35 * (1 - std::exp(-10.0 / 15)) + 0.5 * (1 - std::exp(-10.0 / 400)));
        double answer = m.r0At(1.2, 25);
        for (std::size_t k = 0; k < 2; ++k) answer += m.r_ohm[k] * (1 - std::exp(-10 / m.tau_s[k]));
        EXPECT_NEAR(answer, truth, 0.12 * truth + 0.001) << r0;
        EXPECT_LT(m.leftOutRms_V, 0.01);
    }
}

TEST(OwnModel, PredictsWhatItDidNotSee) {
    int held = 0;
    int asked = 0;
    for (unsigned seed = 1; seed <= 6; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> even;
        const std::string same = R"("capacity_Ah": )" + std::to_string(2.1 + 0.4 * even(random)) +
                                 R"(, "r0_ohm": )" + std::to_string(0.02 + 0.04 * even(random));
        const OwnModel m = learned(play(same + R"(, "soc": 0.02)", kCycle, seed));
        // From full and rested at twice the rate.
        const Played quick = play(
            same + R"(, "soc": 0.5)",
            R"({"do": "charge", "current_A": 1.25, "set_V": 4.2, "cutoff_A": 0.01}, {"do": "rest", "longest_s": 10800},
               {"do": "discharge", "current_A": 2.0, "floor_V": 3.0})",
            seed + 50);
        const Step& truth = quick.steps.list.back();
        const auto told = predict(m, {*readPredictStep("discharge:2A:3.0V")}, {1, 23});
        ASSERT_TRUE(told);
        ++asked;
        const double seconds = truth.sum.duration_s;
        held += std::abs((*told)[0].duration_s - seconds) < 2 * (*told)[0].uncertainty_s ? 1 : 0;
        EXPECT_NEAR((*told)[0].duration_s, seconds, 0.04 * seconds) << seed;
    }
    EXPECT_GE(held, asked - 1);
}

TEST(OwnModel, AChargeHasItsKneeAndItsEnd) {
    const OwnModel m =
        learned(play(R"("capacity_Ah": 2.4, "soc": 0.02, "r0_ohm": 0.03)", kCycle, 3));
    const auto told = predict(m, {*readPredictStep("charge:1.25A:4.2V:0.125A")}, {0, 23});
    ASSERT_TRUE(told);
    const PredictedStep& p = (*told)[0];
    EXPECT_GT(p.knee_s, 0.5 * p.duration_s);
    EXPECT_LT(p.knee_s, p.duration_s);
    EXPECT_NEAR(p.charge_Ah, 2.35, 0.08);
    EXPECT_NEAR(p.endVoltage_V, 4.2, 1e-9);
    // More current is quicker, less voltage is less charge, the cold is marked.
    const auto faster = predict(m, {*readPredictStep("charge:2A:4.2V:0.125A")}, {0, 23});
    const auto lower = predict(m, {*readPredictStep("charge:1.25A:4.1V:0.125A")}, {0, 23});
    const auto cold = predict(m, {*readPredictStep("discharge:1A:3.0V")}, {1, -10});
    ASSERT_TRUE(faster && lower && cold);
    EXPECT_LT((*faster)[0].duration_s, p.duration_s);
    EXPECT_LT((*lower)[0].charge_Ah, p.charge_Ah - 0.1);
    EXPECT_TRUE((*cold)[0].extrapolated);
    EXPECT_FALSE(p.extrapolated);
    // Steps go on from each other.
    const auto both =
        predict(m,
                {*readPredictStep("discharge:1A:3.0V"), *readPredictStep("rest:30min"),
                 *readPredictStep("charge:1.25A:4.2V:0.125A")},
                {1, 23});
    ASSERT_TRUE(both);
    EXPECT_NEAR((*both)[1].duration_s, 1800, 1);
    EXPECT_NEAR((*both)[2].charge_Ah, -(*both)[0].charge_Ah, 0.1);
}

TEST(OwnModel, StepsAreReadAndRefused) {
    EXPECT_TRUE(readPredictStep("charge:500mA:4.20V:50mA"));
    EXPECT_TRUE(readPredictStep("power:20W:3.0V"));
    EXPECT_NEAR(readPredictStep("rest:0.5h")->duration_s, 1800, 1e-9);
    for (const char* bad : {"", "charge", "charge:2A", "charge:2:4.2V", "discharge:-2A:3V",
                            "rest:soon", "power:20A:3V", "discharge:2A:3.0V:1A", "charge:1e9A:4.2V",
                            "rest:1000h", "discharge:..A:3V"})
        EXPECT_FALSE(readPredictStep(bad)) << bad;
}

TEST(OwnModel, WhatCannotBeLearnedOrDoneIsRefused) {
    EXPECT_FALSE(fitOwnModel({}, cell()));
    const Played idle =
        play(R"("capacity_Ah": 2.4, "soc": 0.5)", R"({"do": "rest", "longest_s": 3600})", 1);
    EXPECT_FALSE(fitOwnModel({{idle.log.imported.recording.get(), &idle.steps}}, cell()));
    Battery none;
    const Played whole = play(R"("capacity_Ah": 2.4, "soc": 0.02)", kCycle, 1);
    EXPECT_FALSE(fitOwnModel({{whole.log.imported.recording.get(), &whole.steps}}, none));
    const OwnModel m = learned(whole);
    EXPECT_FALSE(predict(m, {}, {}));
    EXPECT_FALSE(predict(m, {*readPredictStep("charge:1A:4.6V")}, {0, 23}));
    EXPECT_FALSE(predict(m, {*readPredictStep("discharge:1A:3V")}, {7, 23}));
}

}  // namespace
