// A nickel battery's charge in its own model: the law of what is stored, what is learned of it from
// logs, and charges to the peak that it did not see. Cells of another kind are in
// tests/coverage/predict.py --nickel.
#include <gtest/gtest.h>

#include <cmath>

#include "ownmodel/judge.h"
#include "ownmodel/nickel_log.h"
#include "tests/support/sim.h"

using namespace nk;

namespace {

Battery module(double rated = 2.0) {
    Battery b;
    b.chemistry = "nimh";
    b.series = 6;
    b.rated_Ah = rated;
    return b;
}

struct Played {
    test::Logged log;
    Steps steps;
    ModelLog given() const { return {log.imported.recording.get(), &steps}; }
};

Played play(const std::string& program, unsigned seed, double soc = 0.1, double interval = 5) {
    Played out{test::logged(
                   R"({"seed": )" + std::to_string(seed) +
                   R"(, "ambient_C": 22, "battery": {"name": "x", "chemistry": "nimh", "series": 6,
                       "rated_Ah": 2.0, "capacity_Ah": 1.9, "r0_ohm": 0.02, "soc": )" +
                   std::to_string(soc) + R"(}, "program": [)" + program +
                   R"(], "logger": {"interval_s": )" + std::to_string(interval) +
                   R"(, "resolution_V": 0.001, "resolution_A": 0.001, "noise_V": 0.001,
                       "noise_A": 0.001, "noise_C": 0.05}})"),
               {}};
    out.steps = findSteps(*out.log.imported.recording, module());
    return out;
}

std::string toPeak(double amps) {
    return R"({"do": "charge", "current_A": )" + std::to_string(amps) +
           R"(, "peak_drop_V": 0.004, "longest_s": 40000})";
}
std::string down(double amps) {
    return R"({"do": "discharge", "current_A": )" + std::to_string(amps) + R"(, "floor_V": 6.0})";
}
const std::string kRest = R"({"do": "rest", "longest_s": 2400})";

double lasted(const TruePhase& p) {
    return p.end_s - p.start_s;
}

std::string cycle(double in_A, double out_A) {
    return kRest + "," + toPeak(in_A) + "," + kRest + "," + down(out_A) + "," + kRest;
}

TEST(NickelCharging, TheLawIsItsOwnInverseAndBalances) {
    for (const double extra : {0.02, 0.1, 0.4}) {
        double put = 0;
        double kept = 0;
        for (double a = 1.5; a > 0; a -= 1e-4) {
            put += 1e-4;
            kept += 1e-4 * NickelCharging::stored(a - 0.5e-4, extra);
        }
        EXPECT_NEAR(kept, NickelCharging::missing_Ah(1.5, extra), 1e-4) << extra;
        EXPECT_LT(put - kept, extra + 2e-4);
        for (const double z : {1e-4, 0.05, 0.3, 2.0})
            EXPECT_NEAR(NickelCharging::missing_Ah(NickelCharging::before_Ah(z, extra), extra), z,
                        1e-7)
                << extra << " " << z;
        EXPECT_EQ(NickelCharging::before_Ah(0, extra), 0);
        EXPECT_NEAR(NickelCharging::stored(0, extra), 1 - NickelCharging::kLostAtPeak, 1e-12);
        EXPECT_LT(NickelCharging::stored(-0.1, extra), NickelCharging::stored(0, extra));
    }
}

TEST(NickelCharging, WithoutKnownLevelsTheUsualShareStands) {
    const NickelCharging law = learnNickelCharging({}, module(), 2.0);
    EXPECT_TRUE(law.known());
    EXPECT_EQ(law.seen, 0);
    EXPECT_NEAR(law.extra_Ah, 0.16, 0.05);
    // Another current is less sure.
    EXPECT_GT(law.extraAt(4, 1) - law.extraAt(4), law.extraAt(law.amps, 1) - law.extraAt(law.amps));
}

TEST(NickelCharging, PeakToPeakTellsTheOvercharge) {
    const Played p = play(cycle(1.2, 0.6) + "," + toPeak(1.2) + "," + kRest, 3);
    const NickelCharging law = learnNickelCharging({p.given()}, module(), 2.0);
    ASSERT_EQ(law.seen, 1);
    // The truth of this log: what went in up to the second peak less what came out before.
    const double put = 1.2 *
                       (p.log.phase(ProgramStep::Kind::Charge, 1).peak_s -
                        p.log.phase(ProgramStep::Kind::Charge, 1).start_s) /
                       3600;
    const auto& out = p.log.phase(ProgramStep::Kind::Discharge);
    EXPECT_NEAR(law.extra_Ah, put - std::abs(out.charge_Ah), 0.04);
    EXPECT_LT(law.extraSigma_Ah, 0.05);
}

TEST(NickelCharging, PredictsChargesThatItDidNotSee) {
    for (const double learnedAt : {0.8, 1.6}) {
        const Played p =
            play(cycle(learnedAt, 0.6) + "," + toPeak(learnedAt) + "," + kRest, 11, 0.15);
        const auto m = fitOwnModel({p.given()}, module());
        ASSERT_TRUE(m) << m.error().text();
        EXPECT_TRUE(m->wellFormed());
        EXPECT_NEAR(m->capacity_Ah, 1.9, 0.08);
        for (const double amps : {0.7, 1.0, 2.0}) {
            // Emptied, then to the peak.
            const Played fresh = play(down(0.4) + "," + kRest + "," + toPeak(amps), 12, 0.3);
            const double truth = lasted(fresh.log.phase(ProgramStep::Kind::Charge));
            const auto told = predict(
                *m, {*readPredictStep("charge:" + std::to_string(amps) + "A:peak-4mV")}, {0, 22});
            ASSERT_TRUE(told) << told.error().text();
            EXPECT_NEAR(told->front().duration_s, truth, 2 * told->front().uncertainty_s)
                << learnedAt << " " << amps;
            EXPECT_LT(2 * told->front().uncertainty_s, 0.45 * truth) << amps;
            EXPECT_NEAR(told->front().duration_s, truth, 0.12 * truth) << amps;
            EXPECT_NEAR(told->front().endSoc, 1, 0.02);
            EXPECT_GT(told->front().maxTemperature_C, 23);
            // The picture's curve has its top before its end.
            const auto& v = told->front().voltage_V;
            EXPECT_GT(*std::ranges::max_element(v), told->front().endVoltage_V + 0.002);
        }
        // Down from full, at a load that was logged.
        const Played fresh = play(cycle(1.2, 0.6), 13, 0.2);
        const auto down = predict(*m, {*readPredictStep("discharge:0.6A:1.0V")}, {1, 22});
        ASSERT_TRUE(down);
        const auto& was = fresh.log.phase(ProgramStep::Kind::Discharge);
        EXPECT_NEAR(down->front().duration_s, lasted(was), 2 * down->front().uncertainty_s);
        EXPECT_NEAR(down->front().duration_s, lasted(was), 0.08 * lasted(was));
    }
}

TEST(NickelCharging, ByTheClockItSaysWhatGoesInBehindThePeak) {
    const Played p = play(cycle(1.2, 0.6), 21);
    const auto m = fitOwnModel({p.given()}, module());
    ASSERT_TRUE(m);
    const auto slow = predict(*m, {*readPredictStep("charge:0.2A:14h")}, {0, 22});
    ASSERT_TRUE(slow);
    EXPECT_NEAR(slow->front().duration_s, 14 * 3600, 1);
    EXPECT_NEAR(slow->front().charge_Ah, 2.8, 1e-6);
    EXPECT_GT(slow->front().endSoc, 0.97);
    EXPECT_LE(slow->front().endSoc, 1.0 + 1e-9);
    bool said = false;
    for (const std::string& c : slow->front().caveats)
        said = said || c.find("behind its peak") != std::string::npos;
    EXPECT_TRUE(said);
    const auto half = predict(*m, {*readPredictStep("charge:1A:57min")}, {0, 22});
    ASSERT_TRUE(half);
    EXPECT_NEAR(half->front().endSoc, 0.5, 0.04);
}

TEST(NickelCharging, WhatIfTellsALoggedChargeAgain) {
    const Played p = play(cycle(1.2, 0.6), 31);
    const auto m = fitOwnModel({p.given()}, module());
    ASSERT_TRUE(m);
    std::size_t charge = 99;
    for (std::size_t k = 0; k < p.steps.list.size(); ++k)
        if (p.steps.list[k].isCharge()) charge = k;
    ASSERT_LT(charge, 99U);
    const auto asIt = asPredicted(*p.log.imported.recording, p.steps.list[charge], module());
    ASSERT_TRUE(asIt);
    EXPECT_EQ(asIt->kind, PredictStep::Kind::PeakCharge);
    EXPECT_NEAR(asIt->drop_V, 0.004, 0.003);
    const auto told =
        whatIf(*m, p.given(), module(), charge, *readPredictStep("charge:0.6A:peak-4mV"), 22);
    ASSERT_TRUE(told) << told.error().text();
    // The usual share of what is not stored stands: the level before is a few per cent unsure.
    EXPECT_NEAR(told->startSoc, 0.1, 0.13);
    EXPECT_NEAR(told->asItWas.duration_s, told->measured_s, 0.06 * told->measured_s);
    EXPECT_NEAR(told->instead.duration_s, 2 * told->asItWas.duration_s,
                0.1 * told->instead.duration_s);
}

TEST(NickelCharging, WithoutAPeakItIsAGuessAndSaysSo) {
    const Played p = play(kRest + R"(, {"do": "charge", "current_A": 1.2, "longest_s": 5000},)" +
                              kRest + "," + down(0.6) + "," + kRest,
                          41, 0.05);
    const auto m = fitOwnModel({p.given()}, module());
    ASSERT_TRUE(m) << m.error().text();
    EXPECT_GT(m->fullShare, 0.02);
    bool said = false;
    for (const std::string& c : m->caveats) said = said || c.find("guess") != std::string::npos;
    EXPECT_TRUE(said);
}

TEST(NickelCharging, StepsAreReadAndRefused) {
    EXPECT_EQ(readPredictStep("charge:1A:peak")->drop_V, 0);
    EXPECT_NEAR(readPredictStep("charge:800mA:peak-5mV")->drop_V, 0.005, 1e-12);
    EXPECT_NEAR(readPredictStep("charge:0.2A:14h")->duration_s, 14 * 3600, 1e-6);
    for (const char* bad :
         {"charge:1A:peak-", "charge:1A:peaks", "charge:1A:peak-5V", "charge:1A:peak-500mV",
          "charge:1A:-5mV", "charge:1A:200h", "charge:peak", "charge:1A:0h"})
        EXPECT_FALSE(readPredictStep(bad)) << bad;
    const Played p = play(cycle(1.2, 0.6), 51);
    const auto m = fitOwnModel({p.given()}, module());
    ASSERT_TRUE(m);
    const auto volts = predict(*m, {*readPredictStep("charge:1A:1.5V:0.1A")}, {0, 22});
    ASSERT_FALSE(volts);
    EXPECT_TRUE(volts.error().text().find("peak") != std::string::npos);
}

}  // namespace
