// C by sag and by heat, packs and meters on cells in closed form or from an independent solver.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "analysis/finish/meter_check.h"
#include "analysis/finish/replay.h"
#include "analysis/pack/overlay.h"
#include "analysis/pack/pack.h"
#include "analysis/rating/floor_charge.h"
#include "analysis/rating/heat_fit.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

TEST(FloorCharge, FindsTheCurrentWhereTheChargeFallsTo) {
    // Q(I) = 2·(1 − 0.01·I − 0.0008·I²): the charge at the floor falls ever faster.
    const auto q = [](double i) { return 2 * (1 - 0.01 * i - 0.0008 * i * i); };
    std::vector<FloorPoint> points;
    for (const double i : {1.0, 4.0, 8.0, 14.0}) points.push_back({i, q(i), 0.002, q(i)});
    const FloorCharge charge(points);
    for (const double i : {2.0, 6.0, 11.0}) {
        double spread = 0;
        EXPECT_NEAR(charge.currentFor(q(i), 60, spread), i, std::max(1.5 * spread, 0.06 * i)) << i;
        EXPECT_NEAR(charge.at(i), q(i), 0.015) << i;
    }
    double spread = 0;
    EXPECT_NEAR(charge.currentFor(q(16), 60, spread), 16, 0.6) << "carried on beyond the last";
    EXPECT_FALSE(std::isfinite(charge.currentFor(3.0, 60, spread))) << "more than it ever gives";
    EXPECT_FALSE(std::isfinite(FloorCharge({points[0]}).currentFor(1.5, 60, spread)));
}

TEST(HeatFit, AResistanceThatFallsWithTemperatureIsNotTakenForCooling) {
    // dT/dt = a·I²·exp(Ea/Rg·(1/T − 1/298.15)) − b·(T − Ta), stepped finely (forward Euler, 10 ms).
    const double a = 1.5e-3;
    const double b = 8e-4;
    const double ea = 20e3;
    const auto rate = [&](double i, double T) {
        return a * i * i * std::exp(ea / 8.314462618 * (1 / (T + 273.15) - 1 / 298.15)) -
               b * (T - 25);
    };
    std::vector<HeatTrace> traces;
    for (const double i : {3.0, 6.0, 9.0}) {
        HeatTrace trace;
        trace.ambient_C = 25;
        double T = 25;
        for (int k = 0; k < 100 * 1200; ++k) {
            const double now = k < 100 * 600 ? i : 0;
            if (k % 200 == 0)
                trace.time_s.push_back(k * 0.01), trace.temperature_C.push_back(T),
                    trace.current_A.push_back(now);
            T += 0.01 * rate(now, T);
        }
        traces.push_back(trace);
    }
    const auto fit = fitHeat(traces, 0.02, {24e3, 8e3, 0});
    ASSERT_TRUE(fit);
    EXPECT_NEAR(fit->heating_K_sA2, a, 0.03 * a);
    EXPECT_NEAR(fit->cooling_1_s, b, 0.06 * b);
    EXPECT_NEAR(fit->activation_J_mol, ea, 3e3);
    // Held at 11 A for the same charge as 600 s of 9 A.
    double T = 25;
    for (int k = 0; k < static_cast<int>(100 * 600 * 9 / 11.0); ++k) T += 0.01 * rate(11, T);
    EXPECT_NEAR(fit->endTemperature_C(11, 1.5, 25, 25), T, 0.5);
    const auto constant = fitHeat(traces, 0.02);
    ASSERT_TRUE(constant);
    EXPECT_GT(std::abs(constant->endTemperature_C(11, 1.5, 25, 25) - T), 0.5)
        << "one resistance for all temperatures is the worse model";
}

CellCurve curve(double capacity, double start, double resistance, double until) {
    CellCurve c;
    for (int k = 0; k <= 250; ++k) {
        const double q = until * k / 250;
        const double x = std::max(1 - (start + q) / capacity, 1e-4);
        c.charge_Ah.push_back(q);
        c.voltage_V.push_back(3.5 + 0.6 * x - 0.25 * std::exp(-x / 0.05) - resistance);
    }
    return c;
}

TEST(Overlay, TellsWhatTheOtherCellStillHolds) {
    const CellCurve weak = curve(2.0, 0.05, 0.03, 1.9);
    struct Case {
        double capacity, start, shift;
    };
    for (const Case& c : {Case{2.0, 0.05, 0}, Case{2.3, 0.05, 0}, Case{2.0, 0.0, 0.01},
                          Case{2.2, 0.10, -0.02}, Case{2.5, 0.0, 0.005}}) {
        const CellCurve other = curve(c.capacity, c.start, 0.03 + c.shift, 1.9);
        // Where this one would stand as the weak one stands at its end.
        const double x = 1 - (0.05 + 1.9) / 2.0;
        const double truth = c.capacity * (1 - x) - c.start - 1.9;
        OverlayPrior prior;
        prior.shift_V = -c.shift;
        prior.shiftUncertainty_V = 0.003;
        prior.offset_Ah = c.start - 0.05;
        prior.offsetUncertainty_Ah = 0.03;
        prior.sigma_V = 0.0005;
        const Overlay fit = layOver(weak, other, prior);
        ASSERT_TRUE(fit.found);
        EXPECT_NEAR(fit.left_Ah, truth, 2 * fit.leftUncertainty_Ah) << c.capacity << ' ' << c.start;
        EXPECT_LT(fit.leftUncertainty_Ah, 0.06) << c.capacity;
    }
}

TEST(Overlay, AFlatCurveSaysThatItDoesNotKnow) {
    CellCurve flat;
    for (int k = 0; k <= 200; ++k) {
        const double q = 0.01 * k;
        flat.charge_Ah.push_back(q);
        flat.voltage_V.push_back(3.3 - 0.01 * q);
    }
    OverlayPrior prior;
    prior.shiftUncertainty_V = 0.003;
    prior.offsetUncertainty_Ah = 0.3;
    prior.shape_V = 0.005;
    const Overlay fit = layOver(flat, flat, prior);
    ASSERT_TRUE(fit.found);
    EXPECT_GT(fit.leftUncertainty_Ah, 0.2) << "a tenth of the capacity";
}

TEST(Pack, ACellOfTwiceTheResistanceIsNamed) {
    const auto log = test::logged(R"({"ambient_C": 22, "seed": 3,
      "battery": {"chemistry": "nmc", "series": 4, "rated_Ah": 3, "capacity_Ah": 3, "r0_ohm": 0.02,
                  "soc": 0.97, "cells": [{}, {"resistance": 2.2}, {"capacity": 0.9}, {}]},
      "program": [{"do": "rest", "longest_s": 600},
                  {"do": "discharge", "current_A": 2, "cell_floor_V": 3.0},
                  {"do": "rest", "longest_s": 300}],
      "logger": {"interval_s": 2, "cells": true, "noise_V": 0.0005}})");
    Battery b;
    b.chemistry = "nmc", b.series = 4, b.rated_Ah = 3;
    const Analysis a = analyse(*log.imported.recording, b);
    int named = 0;
    for (const Finding& f : a.findings)
        if (f.code == "high_resistance" && f.text.find("Cell 2") != std::string::npos) ++named;
    EXPECT_EQ(named, 1);
}

TEST(MeterCheck, OneGainInAllReadingsDoesNotHideALead) {
    // 30 milliohm between logger and battery; the meter reads 0.1 % more than the logger.
    std::vector<double> t, v, i;
    for (int k = 0; k < 1200; ++k) {
        t.push_back(k);
        i.push_back(k < 600 ? 0 : 2.0);
        v.push_back(k < 600 ? 10.152 : 11.360);
    }
    const auto r = test::recording(t, v, i);
    const auto both = checkMeter(*r, {{300, 10.162, 0.001, 0.005, MeterReading::Place::Terminals},
                                      {900, 11.310, 0.001, 0.005, MeterReading::Place::Terminals}});
    ASSERT_TRUE(both);
    const Correction* lead = nullptr;
    for (const Correction& c : both->proposals)
        if (c.kind == Correction::Kind::LeadResistance) lead = &c;
    ASSERT_NE(lead, nullptr);
    EXPECT_NEAR(lead->value, 0.030, 0.0015);
    EXPECT_LT(2 * lead->uncertainty, 0.006);
    EXPECT_GT(lead->uncertainty, 0.0005);
}

TEST(Rules, TheHighestVoltageOfACellStops) {
    std::vector<double> t, v, i;
    for (int k = 0; k < 4000; ++k) {
        t.push_back(k);
        i.push_back(k < 60 ? 0 : 1.0);
        v.push_back(2 * (k < 60 ? 1.30 : 1.40 + 0.0001 * (k - 60)));
    }
    const auto r = test::recording(t, v, i);
    Battery b;
    b.chemistry = "nimh", b.series = 2, b.rated_Ah = 2;
    const Steps steps = findSteps(*r, b);
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{*r, steps, b, accuracy};
    const auto rule = parseRule("vmax:1.65V");
    ASSERT_TRUE(rule);
    const auto fired = replayAll(in, {*rule});
    ASSERT_EQ(fired.size(), 1u);
    EXPECT_EQ(fired[0].fired, Fired::Yes);
    EXPECT_NEAR(fired[0].time_s, 60 + 2500, 1.5);
    EXPECT_FALSE(parseRule("vmax:0V"));
    EXPECT_FALSE(parseRule("vmax:1.65A"));
}

}  // namespace
}  // namespace nk
