// The engine against closed forms, its events between two steps, its stop token.
#include "cellmodel/engine.h"

#include <gtest/gtest.h>

#include <cmath>

using namespace nk;

namespace {

Cell cell(double soc = 0.5, double capacity_Ah = 2) {
    CellParameters p;
    p.chemistry = *findChemistry("nmc");
    p.capacity_Ah = capacity_Ah;
    CellState s;
    s.soc = soc;
    return {p, s};
}

TEST(Engine, ChargeIsCountedExactlyAndRcPairsFollowTheirClosedForm) {
    // V1(t) = R1·I·(1 − exp(−t/τ1)), whatever the steps (a linear circuit's step response).
    for (const double step : {0.1, 1.0, 7.3, 60.0}) {
        Engine e({cell()}, 25);
        const auto ran = e.run([](const Engine&) { return -1.0; },
                               [](const Engine&, double) { return false; }, 600, step);
        EXPECT_FALSE(ran.over);
        EXPECT_NEAR(ran.seconds, 600, 1e-9);
        EXPECT_NEAR(ran.charge_Ah, -600 / 3600.0, 1e-12);
        const CellState& s = e.cells()[0].state();
        EXPECT_NEAR(s.v1_V, -0.01 * (1 - std::exp(-600 / 20.0)), 1e-9);
        EXPECT_NEAR(s.v2_V, -0.015 * (1 - std::exp(-600 / 400.0)), 1e-9);
        EXPECT_NEAR(s.soc, 0.5 - 600 / 3600.0 / 2, 1e-12);
    }
}

TEST(Engine, AnEventIsMetBetweenTwoSteps) {
    // 1 A out of 2 Ah: half charge after exactly 1 hour, whatever the step.
    for (const double step : {1.0, 17.0, 60.0, 1000.0}) {
        Engine e({cell(0.9)}, 25);
        const auto ran = e.run(
            [](const Engine&) { return -1.0; },
            [](const Engine& x, double) { return x.cells()[0].state().soc <= 0.4; }, 1e6, step);
        EXPECT_TRUE(ran.over);
        EXPECT_NEAR(ran.seconds, 3600, 2e-3) << step;
        EXPECT_NEAR(e.time_s(), ran.seconds, 1e-9);
        EXPECT_LE(e.cells()[0].state().soc, 0.4);
    }
    Engine already({cell(0.3)}, 25);
    EXPECT_EQ(
        already
            .run([](const Engine&) { return -1.0; },
                 [](const Engine& x, double) { return x.cells()[0].state().soc < 0.4; }, 1e6, 1)
            .seconds,
        0);
}

TEST(Engine, TheChargersCurrentHoldsTheSetVoltage) {
    Engine e({cell(0.7), cell(0.7), cell(0.7)}, 25);
    const auto held = [](const Engine& x) { return std::min(2.0, x.currentAt_A(12.6)); };
    const auto ran = e.run(
        held, [](const Engine&, double i) { return i < 0.1; }, 1e6, 10);
    EXPECT_TRUE(ran.over);
    EXPECT_NEAR(e.voltage_V(held(e)), 12.6, 1e-6);
    EXPECT_NEAR(held(e), 0.1, 1e-3);
}

TEST(Engine, AStopTokenEndsALongRun) {
    Engine e({cell()}, 25);
    std::stop_source stop;
    stop.request_stop();
    const auto ran = e.run([](const Engine&) { return 0.0; },
                           [](const Engine&, double) { return false; }, 1e12, 1, stop.get_token());
    EXPECT_TRUE(ran.stopped);
    EXPECT_EQ(ran.seconds, 0);
}

TEST(Engine, WarmthSettlesWhereLossAndCoolingAgree) {
    // I²·R(T) + the pairs' loss = h·(T − Ta) in the end.
    Engine e({cell(0.5, 1e6)}, 25);
    (void)e.run([](const Engine&) { return -4.0; }, [](const Engine&, double) { return false; },
                20000, 30);
    const Cell& c = e.cells()[0];
    const double loss = 16 * c.resistance_ohm() + 16 * 0.01 + 16 * 0.015;
    EXPECT_NEAR(c.state().temperature_C, 25 + loss / c.parameters().heatLoss_W_K, 0.02);
    EXPECT_EQ(e.highest_C(), c.state().temperature_C);
}

}  // namespace
