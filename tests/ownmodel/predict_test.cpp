// A battery's own model: recovers the simulated cell it learned from, predicts what it did not see
// within its interval, and refuses what nobody could learn. Physics cells of another kind are in
// tests/coverage/predict.py.
#include "ownmodel/predict.h"
#include "ownmodel/judge.h"

#include <gtest/gtest.h>

#include <algorithm>
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

TEST(OwnModel, JudgesEachLogByAFitThatDidNotSeeIt) {
    const std::string same = R"("capacity_Ah": 2.35, "r0_ohm": 0.03, "soc": 0.02)";
    const Played a = play(same, kCycle, 21);
    const Played b = play(same, kCycle, 22, 30);
    const auto model = fitOwnModel(
        {{a.log.imported.recording.get(), &a.steps}, {b.log.imported.recording.get(), &b.steps}},
        cell());
    ASSERT_TRUE(model);
    ASSERT_EQ(model->leftOut.size(), 2U);
    for (const LeftOutLog& l : model->leftOut) {
        EXPECT_GT(l.time_s.size(), 100U);
        EXPECT_LE(l.time_s.size(), 450U);
        EXPECT_LT(l.rms_V, 0.02);
        EXPECT_NEAR(l.predicted_s, l.measured_s, 0.05 * l.measured_s);
        EXPECT_NEAR(l.predicted_Ah, l.measured_Ah, 0.03 * std::abs(l.measured_Ah));
    }
    EXPECT_TRUE(model->wellFormed());
}

TEST(OwnModel, LoadsThatPulseOrAreEasedIn) {
    const OwnModel m =
        learned(play(R"("capacity_Ah": 2.4, "soc": 0.02, "r0_ohm": 0.03)", kCycle, 3));
    const auto told = [&](const char* step) {
        const auto s = readPredictStep(step);
        EXPECT_TRUE(s) << step;
        const auto p = predict(m, {*s}, {1, 23});
        EXPECT_TRUE(p) << step;
        return p->front();
    };
    const PredictedStep steady = told("discharge:1A:3.0V");
    const PredictedStep pulsed = told("discharge:1A:3.0V:pulse:10s:20s");
    // A third of the time flows: three times as long, and a little more charge, for it recovers.
    EXPECT_NEAR(pulsed.duration_s, 3 * std::abs(pulsed.charge_Ah) * 3600, 60);
    EXPECT_GE(std::abs(pulsed.charge_Ah), std::abs(steady.charge_Ah) - 0.002);
    const PredictedStep eased = told("discharge:1A:3.0V:ease:10min");
    // The first ten minutes give half: five minutes more.
    EXPECT_NEAR(eased.duration_s - steady.duration_s, 300, 40);
    const PredictedStep power = told("power:4W:3.0V:pulse:1s:1s");
    EXPECT_GT(power.duration_s, 3600);
    for (const char* bad : {"discharge:1A:3.0V:pulse:10s", "discharge:1A:3.0V:pulse:0.5s:1s",
                            "discharge:1A:3.0V:ease", "discharge:1A:3.0V:ease:1s:ease:2s",
                            "charge:1A:4.2V:0.1A:pulse:10s:20s", "rest:10min:ease:3s"})
        EXPECT_FALSE(readPredictStep(bad)) << bad;
}

TEST(OwnModel, WhatIfTellsTheSameStepWhenNothingChanges) {
    const Played p = play(R"("capacity_Ah": 2.4, "soc": 0.02, "r0_ohm": 0.03)", kCycle, 5);
    const OwnModel m = learned(p);
    const ModelLog log{p.log.imported.recording.get(), &p.steps};
    Battery battery = cell();
    std::size_t charge = 99;
    std::size_t discharge = 99;
    for (std::size_t k = 0; k < p.steps.list.size(); ++k) {
        if (p.steps.list[k].kind == StepKind::CcCharge) charge = k;
        if (p.steps.list[k].kind == StepKind::CcDischarge) discharge = k;
    }
    ASSERT_LT(charge, 99U);
    ASSERT_LT(discharge, 99U);
    const auto same =
        whatIf(m, log, battery, charge, *readPredictStep("charge:1.25A:4.2V:0.125A"), 23);
    ASSERT_TRUE(same) << same.error().text();
    EXPECT_NEAR(same->startSoc, 0.02, 0.03);
    EXPECT_NEAR(same->asItWas.duration_s, same->measured_s, 0.04 * same->measured_s);
    EXPECT_NEAR(same->instead.duration_s, same->asItWas.duration_s,
                0.03 * same->asItWas.duration_s);
    const auto lower =
        whatIf(m, log, battery, charge, *readPredictStep("charge:1.25A:4.1V:0.125A"), 23);
    ASSERT_TRUE(lower);
    EXPECT_LT(lower->endSoc, same->endSoc - 0.04);
    const auto twice =
        whatIf(m, log, battery, discharge, *readPredictStep("discharge:2A:3.0V"), 23);
    ASSERT_TRUE(twice);
    EXPECT_NEAR(twice->startSoc, 1, 0.03);
    EXPECT_NEAR(twice->instead.duration_s, 0.5 * twice->measured_s, 0.05 * twice->measured_s);
    EXPECT_FALSE(whatIf(m, log, battery, 77, *readPredictStep("discharge:2A:3.0V"), 23));
    for (std::size_t k = 0; k < p.steps.list.size(); ++k)
        if (p.steps.list[k].kind == StepKind::Rest) {
            EXPECT_FALSE(whatIf(m, log, battery, k, *readPredictStep("discharge:2A:3.0V"), 23));
        }
}

TEST(OwnModel, ALogOfAnotherCapacityIsLeftOutAndSaid) {
    const Played today = play(R"("capacity_Ah": 2.1, "r0_ohm": 0.03, "soc": 0.02)", kCycle, 61);
    const Played then = play(R"("capacity_Ah": 2.5, "r0_ohm": 0.02, "soc": 0.02)", kCycle, 62);
    const auto both = fitOwnModel({{today.log.imported.recording.get(), &today.steps},
                                   {then.log.imported.recording.get(), &then.steps}},
                                  cell());
    ASSERT_TRUE(both) << both.error().text();
    EXPECT_NEAR(both->capacity_Ah, 2.1, 0.06);
    EXPECT_TRUE(std::ranges::any_of(both->caveats, [](const std::string& c) {
        return c.find("another charge then") != std::string::npos;
    }));
    // Less under a heavier load is the same battery.
    const Played heavy = play(
        R"("capacity_Ah": 2.1, "r0_ohm": 0.03, "soc": 0.02)",
        R"({"do": "rest", "longest_s": 600}, {"do": "charge", "current_A": 1.25, "set_V": 4.2, "cutoff_A": 0.125},
                {"do": "rest", "longest_s": 3600}, {"do": "discharge", "current_A": 4.0, "floor_V": 3.0},
                {"do": "rest", "longest_s": 2400})",
        63);
    const auto same = fitOwnModel({{today.log.imported.recording.get(), &today.steps},
                                   {heavy.log.imported.recording.get(), &heavy.steps}},
                                  cell());
    ASSERT_TRUE(same) << same.error().text();
    EXPECT_EQ(same->leftOut.size(), 2U);
    EXPECT_GT(same->evidence.c_high, 1.5);
}

TEST(OwnModel, TheRestedCurveNeverFallsWithTheLevel) {
    // Two logs that contradict each other by a few per cent, and one that wakes up.
    for (const double other : {2.3, 2.45}) {
        const Played a = play(R"("capacity_Ah": 2.4, "r0_ohm": 0.03, "soc": 0.02)", kCycle, 71);
        const Played b =
            play(R"("r0_ohm": 0.05, "soc": 0.3, "capacity_Ah": )" + std::to_string(other), kCycle,
                 72, 5);
        const auto m = fitOwnModel({{a.log.imported.recording.get(), &a.steps},
                                    {b.log.imported.recording.get(), &b.steps}},
                                   cell());
        ASSERT_TRUE(m) << m.error().text();
        for (double z = 0; z < m->scale_Ah; z += 0.01 * m->scale_Ah)
            EXPECT_LE(m->ocv_V(z + 0.01 * m->scale_Ah), m->ocv_V(z) + 0.0015) << z;
    }
}

/// NK_MODEL_SEEDS=300 before a release.
TEST(OwnModel, RecoversKnownParametersWithinItsIntervals) {
    const char* asked = std::getenv("NK_MODEL_SEEDS");
    const int runs = asked != nullptr ? std::atoi(asked) : 10;
    int capacity = 0;
    int ohms = 0;
    for (int seed = 1; seed <= runs; ++seed) {
        std::mt19937 random(static_cast<unsigned>(seed));
        std::uniform_real_distribution<double> even;
        const double truth_Ah = 2.1 + 0.4 * even(random);
        const double r0 = 0.015 + 0.05 * even(random);
        const Played p = play(R"("capacity_Ah": )" + std::to_string(truth_Ah) + R"(, "r0_ohm": )" +
                                  std::to_string(r0) + R"(, "soc": )" +
                                  std::to_string(0.01 + 0.2 * even(random)),
                              kCycle, static_cast<unsigned>(seed) + 4000, 23);
        const OwnModel m = learned(p);
        capacity +=
            std::abs(m.capacity_Ah - truth_Ah) < 2 * std::hypot(m.chargeShare, 0.005) * truth_Ah
                ? 1
                : 0;
        // What two minutes of current meet: rows 5 s apart tell it.
        const double truth =
            r0 * (1 + 0.35 * (1 - std::exp(-120.0 / 15)) + 0.5 * (1 - std::exp(-120.0 / 400)));
        double answer = m.r0At(0.5 * truth_Ah, 25);
        for (std::size_t k = 0; k < 2; ++k)
            answer += m.r_ohm[k] * (1 - std::exp(-120 / m.tau_s[k]));
        // The surface level that runs ahead of the mean one meets the current too.
        const double z = 0.5 * truth_Ah;
        const double slope = (m.ocv_V(z - 0.02) - m.ocv_V(z + 0.02)) / 0.04;
        answer += slope * m.lag_Ah_A * (1 - std::exp(-120 / m.lag_s));
        ohms += std::abs(answer - truth) < 2 * m.resistanceShare * truth ? 1 : 0;
        if (std::getenv("NK_TELL") != nullptr)
            printf("%d: %.3f of %.3f Ah, %.4f of %.4f ohm ± %.1f %%\n", seed, m.capacity_Ah,
                   truth_Ah, answer, truth, 200 * m.resistanceShare);
    }
    EXPECT_GE(capacity, 0.85 * runs) << capacity << " of " << runs;
    EXPECT_GE(ohms, 0.85 * runs) << ohms << " of " << runs;
}

}  // namespace
