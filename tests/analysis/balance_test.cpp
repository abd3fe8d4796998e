// How cells are brought together again: on discharges made by hand, and on a simulated pack whose
// cells began at different charges.
#include "analysis/pack/balance_plan.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "tests/support/sim.h"

using namespace nk;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

namespace {

PackDischarge discharge(const std::vector<double>& offsets) {
    PackDischarge d;
    d.reachedFloor = true;
    d.delivered_Ah = 2;
    d.capacity_Ah = 2.5;
    d.lost_Ah = 0.3;
    d.lostUncertainty_Ah = 0.02;
    d.balancing_Ah = 0.25;
    int cell = 1;
    for (const double o : offsets) {
        PackCell c;
        c.cell = cell++;
        c.offset_Ah = o;
        c.remainingUncertainty_Ah = 0.02;
        d.cells.push_back(c);
    }
    return d;
}

TEST(BalancePlans, TheEmptiestIsChargedFirstAndTheFullestIsBled) {
    const BalancePlan p = balancePlan(discharge({0.0, 0.4, 0.38, 0.2}), 0.05);
    EXPECT_EQ(p.why, "");
    ASSERT_THAT(p.single, SizeIs(2));
    EXPECT_EQ(p.single[0].cell, 1);
    EXPECT_NEAR(p.single[0].charge_Ah, 0.4, 1e-12);
    EXPECT_NEAR(p.single[0].least_h, 0.36 / 0.05, 1e-9);
    EXPECT_NEAR(p.single[0].most_h, 0.44 / 0.05, 1e-9);
    EXPECT_EQ(p.single[1].cell, 4);
    ASSERT_THAT(p.bleed, SizeIs(3));
    EXPECT_EQ(p.bleed[0].cell, 2);
    EXPECT_EQ(p.givesBack_Ah, 0.25);
}

TEST(BalancePlans, WhatIsWithinItsUncertaintyIsLeftAlone) {
    const BalancePlan p = balancePlan(discharge({0.0, 0.03, 0.02, 0.01}), 0.05);
    EXPECT_THAT(p.single, IsEmpty());
    EXPECT_THAT(p.bleed, IsEmpty());
    EXPECT_EQ(p.givesBack_Ah, 0);
}

TEST(BalancePlans, WhatADischargeDoesNotTellIsRefused) {
    PackDischarge flat = discharge({0.0, 0.4});
    flat.lostUncertainty_Ah = 1;
    EXPECT_THAT(balancePlan(flat, 0.05).why, HasSubstr("does not tell"));
    PackDischarge part = discharge({0.0, 0.4});
    part.reachedFloor = false;
    EXPECT_THAT(balancePlan(part, 0.05).why, HasSubstr("floor"));
    EXPECT_NE(balancePlan(discharge({0.0, 0.4}), 0).why, "");
    EXPECT_NE(balancePlan(discharge({0.4}), 0.05).why, "");
}

TEST(BalancePlans, ASimulatedPackIsToldWhatItsCellsLack) {
    const auto log = test::logged(
        R"({"seed": 3, "ambient_C": 22, "battery": {"name": "x", "chemistry": "nmc", "series": 3, "rated_Ah": 2.5,
        "capacity_Ah": 2.5, "soc": 0.95, "cells": [{}, {"soc": 0.83}, {}]},
        "program": [{"do": "rest", "longest_s": 1800}, {"do": "discharge", "current_A": 0.5, "cell_floor_V": 3.0},
        {"do": "rest", "longest_s": 900}],
        "logger": {"interval_s": 5, "noise_V": 0.0003, "noise_A": 0.0003, "cells": true}})");
    Battery b;
    b.chemistry = "nmc";
    b.series = 3;
    b.rated_Ah = 2.5;
    const Analysis a = analyse(*log.imported.recording, b);
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{*log.imported.recording, a.steps, a.battery, accuracy, a.memo};
    ASSERT_THAT(packDischarges(in), SizeIs(1));
    const BalancePlan p = balancePlan(packDischarges(in).front(), 0.05);
    ASSERT_EQ(p.why, "");
    ASSERT_FALSE(p.single.empty());
    EXPECT_EQ(p.single[0].cell, 2);
    // A tenth and a bit of 2.5 Ah.
    EXPECT_NEAR(p.single[0].charge_Ah, 0.30, 2 * p.single[0].uncertainty_Ah + 0.01);
    EXPECT_LT(p.single[0].uncertainty_Ah, 0.1);
}

}  // namespace
