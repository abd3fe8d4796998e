// Resistance, rating and packs against analytic cells, the standards and independent libraries.
#include <cvode/cvode.h>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gsl/gsl_fit.h>
#include <gtest/gtest.h>
#include <nvector/nvector_serial.h>
#include <sundials/sundials_context.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunmatrix/sunmatrix_dense.h>

#include <cmath>
#include <random>

#include "analysis/compare/cold_warm.h"
#include "analysis/pack/pack.h"
#include "analysis/rating/rating.h"
#include "analysis/resistance/current_step.h"
#include "analysis/resistance/load_regression.h"
#include "analysis/resistance/standard.h"
#include "analysis/resistance/temperature_law.h"
#include "tests/support/sim.h"

using namespace nk;
using testing::HasSubstr;

namespace {

/// An analytic cell: OCV falls in a straight line with charge, R0 and one RC pair.
struct AnalyticCell {
    double capacity_Ah = 2, full_V = 4.2, slope_V = 0.9, r0 = 0.02, r1 = 0.01, tau_s = 5;
    double noise_V = 0, interval_s = 0.5;
    double ocv(double out_Ah) const { return full_V - slope_V * out_Ah / capacity_Ah; }

    /// Currents as (amperes, seconds), positive charges.
    RecordingPtr run(const std::vector<std::pair<double, double>>& program,
                     unsigned seed = 1) const {
        std::mt19937 random(seed);
        std::normal_distribution<double> noise(0, 1);
        std::vector<double> t, v, i;
        double time = 0, out = 0, v1 = 0;
        for (const auto& [amps, seconds] : program) {
            const double until = time + seconds;
            for (; time < until - 1e-9; time += interval_s) {
                t.push_back(time);
                i.push_back(amps);
                v.push_back(ocv(out) + amps * r0 + v1 +
                            (noise_V > 0 ? noise_V * noise(random) : 0));
                v1 = v1 * std::exp(-interval_s / tau_s) +
                     amps * r1 * (1 - std::exp(-interval_s / tau_s));
                out -= amps * interval_s / 3600;
            }
        }
        return nk::test::recording(t, v, i);
    }
};

Battery nmc(double rated = 2) {
    Battery b;
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = rated;
    return b;
}

struct Bench {
    Bench(RecordingPtr r, Battery b) : recording(std::move(r)), battery(std::move(b)) {
        steps = findSteps(*recording, battery);
    }
    AnalysisInput in() const { return {*recording, steps, battery, accuracy}; }
    RecordingPtr recording;
    Battery battery;
    Steps steps;
    InstrumentAccuracy accuracy;
};

double valueOf(const Analysis& a, const char* name) {
    const Reading* r = a.reading(name);
    return r != nullptr ? r->value : kNaN;
}

}  // namespace

TEST(StepResistance, EveryDelayOfAnAnalyticCell) {
    const AnalyticCell cell;
    const auto a = analyse(*cell.run({{0, 60}, {-2, 40}, {0, 60}}), nmc());
    // R(d) = R0 + R1·(1 − exp(−d/τ)) + what the charge taken out takes off the voltage.
    const auto expected = [&](double d) {
        return cell.r0 + cell.r1 * (1 - std::exp(-d / cell.tau_s)) +
               cell.slope_V / cell.capacity_Ah * d / 3600;
    };
    EXPECT_NEAR(valueOf(a, "resistance_ohmic"), expected(0), 1e-6);
    // The edge lies anywhere in the half second before the first row that shows it: the value
    // stands for its middle, and the interval holds both ends.
    for (const double d : {1.0, 10.0, 30.0}) {
        const Reading* at = a.reading(fmt::format("resistance_{:.0f}s", d));
        ASSERT_NE(at, nullptr) << d;
        EXPECT_NEAR(at->value, expected(d - 0.25), 1.5e-4) << d;
        EXPECT_NEAR(at->value, expected(d), at->expanded()) << d;
        EXPECT_NEAR(at->value, expected(d - 0.5), at->expanded()) << d;
        EXPECT_LT(at->expanded(), 0.04 * at->value) << d;
    }
    const Reading* r = a.reading("resistance_10s");
    EXPECT_EQ(a.steps.list[static_cast<std::size_t>(r->evidence.step)].kind, StepKind::Pulse);
    EXPECT_EQ(r->evidence.from_s, 60) << "the pulse is the evidence";
    EXPECT_EQ(r->evidence.to_s, 100);
}

TEST(StepResistance, APulseOfTenSecondsIsReadAtItsLastSample) {
    AnalyticCell cell;
    cell.interval_s = 1;
    const auto a = analyse(*cell.run({{0, 60}, {-2, 10}, {0, 60}}), nmc());
    // Its last row comes between 9 and 10 s after the edge; the fit is read at 10 s.
    const Reading* ten = a.reading("resistance_10s");
    ASSERT_NE(ten, nullptr);
    const double truth = cell.r0 + cell.r1 * (1 - std::exp(-10 / cell.tau_s)) +
                         cell.slope_V / cell.capacity_Ah * 10 / 3600;
    EXPECT_NEAR(ten->value, truth, ten->expanded());
    EXPECT_LT(ten->expanded(), 0.04 * truth);
    EXPECT_EQ(a.reading("resistance_30s"), nullptr);
    for (const Reading& r : a.readings)
        if (r.name == "resistance_30s") {
            EXPECT_THAT(r.caveats.front(), HasSubstr("did not hold"));
        }
}

TEST(StepResistance, ASlowLogSaysWhatItCannotTell) {
    AnalyticCell cell;
    cell.interval_s = 10;
    const auto a = analyse(*cell.run({{0, 300}, {-2, 600}, {0, 300}}), nmc());
    EXPECT_EQ(a.reading("resistance_1s"), nullptr);
    EXPECT_NE(a.reading("resistance_10s"), nullptr);
    for (const Reading& r : a.readings)
        if (r.name == "resistance_1s") {
            EXPECT_THAT(r.caveats.front(), HasSubstr("no sample near"));
        }
}

TEST(StepResistance, IntervalsHoldTheTruth) {
    // 500 seeds: the 95 % interval of the 1 s resistance, with the instrument's own gain as drawn.
    AnalyticCell cell;
    cell.noise_V = 0.002;
    int inside = 0;
    const double truth = cell.r0 + cell.r1 * (1 - std::exp(-1 / cell.tau_s)) +
                         cell.slope_V / cell.capacity_Ah / 3600;
    std::mt19937 random(77);
    std::uniform_real_distribution<double> gain(0.995, 1.005);
    const int seeds = 500;
    for (int seed = 1; seed <= seeds; ++seed) {
        auto d = cell.run({{0, 30}, {-2, 20}, {0, 30}}, static_cast<unsigned>(seed))->data();
        const double gv = gain(random);
        const double gi = gain(random);
        for (double& x : d.voltage_V) x *= gv;
        for (double& x : d.current_A) x *= gi;
        const Bench b(Recording::make(std::move(d)), nmc());
        const AnalysisInput in = b.in();
        for (const StepResistance& s : stepResistances(in))
            if (s.nominalDelay_s == 1)
                inside += std::abs(s.resistance_ohm - truth) <= 2 * s.uncertainty_ohm;
    }
    EXPECT_GE(inside, 0.925 * seeds);
    EXPECT_LE(inside, 0.985 * seeds);
}

TEST(StepResistance, TheOneToQuoteIsTenSecondsNearHalfCharge) {
    const auto made = [](double delay, double soc, double to_A, double ohm) {
        StepResistance s;
        s.nominalDelay_s = delay, s.soc = soc, s.to_A = to_A, s.resistance_ohm = ohm;
        return s;
    };
    // Ten seconds before thirty, one and none; not near empty; the larger of two like steps.
    const std::vector<StepResistance> all = {made(30, 0.5, -5, 0.031),  made(1, 0.5, -5, 0.012),
                                             made(10, 0.07, 5, 0.055),  made(10, 1.0, -5, 0.039),
                                             made(10, 1.0, -0.2, 0.04), made(10, 0.5, -5, kNaN)};
    ASSERT_NE(mostComparable(all), nullptr);
    EXPECT_EQ(mostComparable(all)->resistance_ohm, 0.039);
    EXPECT_EQ(mostComparable(all, 1)->resistance_ohm, 0.012);
    EXPECT_EQ(mostComparable(all, 0), nullptr);
    EXPECT_EQ(mostComparable({}), nullptr);
}

TEST(Standard, Iec61960TwoLevels) {
    // IEC 61960-3 d.c. method: 0.2 It for 10 s, then 1.0 It for 1 s; R = (U1 − U2)/(I2 − I1).
    AnalyticCell cell;
    cell.interval_s = 0.1;
    const auto r = cell.run({{0, 30}, {-0.4, 10}, {-2, 1.2}, {0, 30}});
    const auto a = analyse(*r, nmc());
    const Reading* reading = a.reading("resistance_iec61960");
    ASSERT_NE(reading, nullptr);
    const double u1 = r->voltage_V()[399];
    const double u2 = r->voltage_V()[410];
    EXPECT_NEAR(reading->value, (u1 - u2) / 1.6, 2e-5);
    EXPECT_THAT(a.findings.back().text + a.findings.front().text, HasSubstr("IEC 61960-3"));
    // Other levels are not the standard's.
    EXPECT_EQ(analyse(*cell.run({{0, 30}, {-0.9, 10}, {-2, 1.2}, {0, 30}}), nmc())
                  .reading("resistance_iec61960"),
              nullptr);
}

TEST(Standard, NickelTypeL) {
    // IEC 61951-2, from memory: type L has 0.2 It for 10 s, then 2.0 It for 3 s.
    AnalyticCell cell;
    cell.full_V = 1.4, cell.slope_V = 0.2, cell.interval_s = 0.1;
    Battery b;
    b.chemistry = "nimh", b.series = 1, b.rated_Ah = 2;
    const Bench bench(cell.run({{0, 30}, {-0.4, 10}, {-4, 3.2}, {0, 30}}), b);
    const auto found = twoLevelResistances(bench.in());
    ASSERT_EQ(found.size(), 1u);
    EXPECT_EQ(found[0].cell, "L");
    EXPECT_NEAR(found[0].resistance_ohm, cell.r0 + cell.r1 * (1 - std::exp(-3 / cell.tau_s)), 1e-3);
}

TEST(LoadRegression, AgreesWithALeastSquaresLibraryAndShrugsOffOutliers) {
    std::mt19937 random(5);
    std::normal_distribution<double> noise(0, 0.002);
    std::uniform_real_distribution<double> load(0.5, 4);
    std::vector<double> t, v, i, dv, di;
    double level = 1;
    for (int k = 0; k < 3000; ++k) {
        if (k % 7 == 0) level = load(random);
        t.push_back(k);
        i.push_back(-level);
        v.push_back(4.1 - 0.3 * k / 3000.0 - 0.045 * level + noise(random));
    }
    const auto clean = regressLoad(*nk::test::recording(t, v, i), 0, 2999);
    ASSERT_TRUE(clean);
    EXPECT_NEAR(clean->resistance_ohm, 0.045, 3 * clean->uncertainty_ohm + 1e-4);
    // Ordinary least squares of first differences (GSL) finds the same.
    for (std::size_t k = 1; k < v.size(); ++k) {
        if (std::abs(i[k] - i[k - 1]) < 0.1) continue;
        dv.push_back(v[k] - v[k - 1]);
        di.push_back(i[k] - i[k - 1]);
    }
    double slope = 0, cov = 0, chi = 0;
    gsl_fit_mul(di.data(), 1, dv.data(), 1, di.size(), &slope, &cov, &chi);
    EXPECT_NEAR(clean->resistance_ohm, slope, 3 * std::sqrt(cov) + 1e-4);
    for (std::size_t k = 0; k < v.size(); k += 40) v[k] += 0.4;  // a poor contact now and then
    const auto rough = regressLoad(*nk::test::recording(t, v, i), 0, 2999);
    ASSERT_TRUE(rough);
    EXPECT_NEAR(rough->resistance_ohm, 0.045, 0.002);
    std::fill(i.begin(), i.end(), -1.0);
    EXPECT_FALSE(regressLoad(*nk::test::recording(t, v, i), 0, 2999)) << "nothing varies";
}

TEST(LoadRegression, ALoadThatRepeatsItselfAndHolesInTheLogDoNotHideIt) {
    // Lengths of the pattern, those too that divide the distance between the samples looked at.
    for (const std::size_t period : {2, 5, 10, 25, 50, 125}) {
        std::mt19937 random(3);
        std::normal_distribution<double> noise(0, 0.0005);
        std::uniform_real_distribution<double> draw(0.5, 4);
        std::vector<double> pattern(period);
        for (double& p : pattern) p = draw(random);
        std::vector<double> t, v, i;
        for (std::size_t k = 0; k < 100000; ++k) {
            t.push_back(0.5 * static_cast<double>(k));
            i.push_back(-pattern[k % period]);
            v.push_back(4.1 - 7e-6 * static_cast<double>(k) + 0.045 * i.back() + noise(random));
            if (k % 25 == 0) v.back() = std::numeric_limits<double>::quiet_NaN();
        }
        const auto fit = regressLoad(*nk::test::recording(t, v, i), 0, t.size() - 1);
        ASSERT_TRUE(fit) << period;
        EXPECT_NEAR(fit->resistance_ohm, 0.045, 4 * fit->uncertainty_ohm + 2e-5) << period;
    }
}

TEST(TemperatureLaw, ArrheniusFitAgreesWithALibrary) {
    const double ea = 21000;
    std::vector<ResistanceAt> readings;
    std::vector<double> x, y, w;
    std::mt19937 random(2);
    std::normal_distribution<double> noise(0, 0.01);
    for (const double t : {-5.0, 3.0, 12.0, 25.0, 38.0}) {
        const double r = 0.05 * std::exp(ea / 8.314462618 * (1 / (t + 273.15) - 1 / 298.15)) *
                         (1 + noise(random));
        readings.push_back({t, r, 0.01 * r});
        x.push_back((1 / (t + 273.15) - 1 / 298.15) / 8.314462618);
        y.push_back(std::log(r));
        w.push_back(1e4);
    }
    const auto law = fitTemperatureLaw(readings, 24000);
    ASSERT_TRUE(law);
    EXPECT_TRUE(law->fitted);
    double c0 = 0, c1 = 0, v00 = 0, v01 = 0, v11 = 0, chi = 0;
    gsl_fit_wlinear(x.data(), 1, w.data(), 1, y.data(), 1, x.size(), &c0, &c1, &v00, &v01, &v11,
                    &chi);
    EXPECT_NEAR(law->activation_J_mol, c1, 1);
    EXPECT_NEAR(law->r25_ohm, std::exp(c0), 1e-7);
    EXPECT_NEAR(law->activation_J_mol, ea, 3 * law->activationUncertainty_J_mol);
    // One temperature: the chemistry's default, marked as such.
    const auto one = fitTemperatureLaw(std::span(readings.data(), 1), 24000);
    ASSERT_TRUE(one);
    EXPECT_FALSE(one->fitted);
    EXPECT_NEAR(one->resistance_ohm(-5), readings[0].resistance_ohm, 1e-9);
    EXPECT_FALSE(fitTemperatureLaw({}, 24000));
}

TEST(RepeatedReadings, TheFirstWasContact) {
    // 288, 260, 261, 258 mΩ: the first is over 10 % above the rest (common practice, no source).
    const std::vector<double> mohm = {0.288, 0.260, 0.261, 0.258};
    const auto r = summariseRepeats(mohm);
    ASSERT_TRUE(r);
    EXPECT_TRUE(r->firstDropped);
    EXPECT_NEAR(r->median, 0.260, 1e-12);
    EXPECT_NEAR(r->spread, 0.003, 1e-12);
    EXPECT_THAT(r->words, HasSubstr("contact"));
    EXPECT_FALSE(summariseRepeats(std::vector<double>{0.1, -0.2}));
    EXPECT_FALSE(summariseRepeats({}));
}

TEST(Rating, SagOfAnAnalyticCellFromTwoRates) {
    // Straight OCV and a constant resistance: the limit is (OCV(80 %) − floor)/R exactly.
    AnalyticCell cell;
    cell.r1 = 0, cell.r0 = 0.04, cell.interval_s = 1;
    const auto run = [&](double amps) {
        const double until = (cell.full_V - amps * cell.r0 - 3.0) / cell.slope_V * cell.capacity_Ah;
        return Bench(cell.run({{0, 120}, {-amps, until / amps * 3600}, {0, 120}}), nmc());
    };
    const Bench slow = run(1);
    const Bench fast = run(8);
    std::vector<DischargeCurve> curves = dischargeCurves(slow.in());
    for (const auto& c : dischargeCurves(fast.in())) curves.push_back(c);
    ASSERT_EQ(curves.size(), 2u);
    const auto rating = rateBattery(curves, {}, nmc(), {});
    ASSERT_TRUE(rating) << rating.error().text();
    const double truth = (cell.ocv(1.6) - 3.0) / cell.r0;
    const RatingView* sag = rating->view("sag");
    EXPECT_NEAR(sag->current_A, truth, 0.03 * truth);
    EXPECT_TRUE(sag->extrapolated) << "beyond 8 A";
    EXPECT_LT(std::abs(sag->current_A - truth), 2 * sag->uncertainty_A);
    EXPECT_NEAR(rating->resistance_ohm, cell.r0, 1e-3);
    EXPECT_EQ(rating->limitedBy.empty(), false);
    // One slow rate and the step into it tell nothing of twelve times as much.
    const auto alone = rateBattery(dischargeCurves(slow.in()), {}, nmc(), {});
    ASSERT_TRUE(alone);
    EXPECT_FALSE(alone->view("sag")->known());
    EXPECT_NEAR(alone->view("sag")->atLeast_A, 1, 0.01);
    // Where nothing was fast enough: at least what was held.
    const Bench half = run(3);
    std::vector<DischargeCurve> gentle = dischargeCurves(slow.in());
    for (const auto& c : dischargeCurves(half.in())) gentle.push_back(c);
    const auto atLeast = rateBattery(gentle, {}, nmc(), {});
    ASSERT_TRUE(atLeast);
    EXPECT_FALSE(atLeast->view("sag")->known());
    EXPECT_NEAR(atLeast->view("sag")->atLeast_A, 3, 0.01);
    EXPECT_EQ(atLeast->bound, Rating::Bound::AtLeast);
}

TEST(Rating, AdiabaticWorkedFigure) {
    // methods.md §7: 0.033 kg, 35 K, 3.5 mΩ, 1.3 Ah gives 70.5 A, 54C.
    AnalyticCell cell;
    cell.capacity_Ah = 1.3, cell.r0 = 0.0035, cell.r1 = 0, cell.interval_s = 1;
    Battery b = nmc(1.3);
    b.chemistry = "lipo";
    b.mass_kg = 0.033;
    const Bench bench(cell.run({{0, 60}, {-1.3, 3300}, {0, 60}}), b);
    RatingOptions options;
    options.resistance_ohm = 0.0035;
    const auto rating = rateBattery(dischargeCurves(bench.in()), {}, b, {}, options);
    ASSERT_TRUE(rating);
    EXPECT_NEAR(rating->view("adiabatic")->current_A, 70.5, 0.1);
    EXPECT_NEAR(rating->view("adiabatic")->c_rate, 54.2, 0.1);
    EXPECT_FALSE(rating->view("heat")->known());
    EXPECT_EQ(rating->view("heat")->caveats.size(), 1u) << "says why";
}

namespace {

/// Right side of m·cp·dT/dt = I²R − h(T − Ta) for the independent solver.
struct Thermal {
    double a, b, ambient, current;
};
int thermalRate(double, N_Vector y, N_Vector dy, void* user) {
    const auto* p = static_cast<const Thermal*>(user);
    NV_Ith_S(dy, 0) = p->a * p->current * p->current - p->b * (NV_Ith_S(y, 0) - p->ambient);
    return 0;
}

}  // namespace

TEST(HeatFit, RecoversWhatAnIndependentSolverMade) {
    // SUNDIALS CVODE makes the temperatures: 8 A for ten minutes, then cooling.
    Thermal model{2.0e-3, 1.2e-3, 22, 8};
    SUNContext context = nullptr;
    SUNContext_Create(nullptr, &context);
    N_Vector y = N_VNew_Serial(1, context);
    NV_Ith_S(y, 0) = 22;
    void* cvode = CVodeCreate(CV_BDF, context);
    CVodeInit(cvode, thermalRate, 0, y);
    CVodeSStolerances(cvode, 1e-9, 1e-9);
    SUNMatrix matrix = SUNDenseMatrix(1, 1, context);
    SUNLinearSolver solver = SUNLinSol_Dense(y, matrix, context);
    CVodeSetLinearSolver(cvode, solver, matrix);
    CVodeSetUserData(cvode, &model);
    HeatTrace trace;
    trace.ambient_C = 22;
    double hottest = 0;
    for (int k = 0; k <= 1500; ++k) {
        if (k > 0) {
            if (k == 601) {
                model.current = 0;
                CVodeReInit(cvode, 600, y);
            }
            double reached = 0;
            CVode(cvode, k, y, &reached, CV_NORMAL);
        }
        trace.time_s.push_back(k);
        trace.current_A.push_back(k <= 600 ? 8 : 0);
        trace.temperature_C.push_back(NV_Ith_S(y, 0));
        hottest = std::max(hottest, NV_Ith_S(y, 0));
    }
    SUNLinSolFree(solver);
    SUNMatDestroy(matrix);
    CVodeFree(&cvode);
    N_VDestroy(y);
    SUNContext_Free(&context);
    const auto fit = fitHeat(std::span(&trace, 1), 0.01);
    ASSERT_TRUE(fit);
    EXPECT_TRUE(fit->coolingSeen);
    EXPECT_NEAR(fit->heating_K_sA2, 2.0e-3, 1e-5);
    EXPECT_NEAR(fit->cooling_1_s, 1.2e-3, 1e-5);
    EXPECT_NEAR(fit->endTemperature_C(8, 8 * 600 / 3600.0, 22, 22), hottest, 0.15);
    EXPECT_LT(fit->residual_C, 0.05);
    // The adiabatic bound is always at or under the current that heat allows.
    EXPECT_LE(35 / (3600 * fit->heating_K_sA2 * 2), [&] {
        double i = 0.1;
        while (fit->endTemperature_C(i, 2, 25, 25) < 60) i += 0.01;
        return i;
    }());
    trace.temperature_C.assign(trace.time_s.size(), 22.0);
    EXPECT_FALSE(fitHeat(std::span(&trace, 1))) << "it did not warm";
}

TEST(Rating, RefusesWhatItCannotKnow) {
    EXPECT_FALSE(rateBattery({}, {}, nmc(), {}));
    Battery none = nmc(0);
    EXPECT_THAT(rateBattery({}, {}, none, {}).error().text(), HasSubstr("rated capacity"));
}

TEST(Pack, WeakestCellAndWhatTheOthersHold) {
    // Four cells in series; the third has 88 % of the others' capacity. All start full.
    const auto log = nk::test::logged(R"({"ambient_C": 22, "seed": 3,
      "battery": {"chemistry": "nmc", "series": 4, "rated_Ah": 3, "capacity_Ah": 3, "r0_ohm": 0.02,
                  "soc": 0.98, "cells": [{}, {}, {"capacity": 0.88}, {}]},
      "program": [{"do": "rest", "longest_s": 600},
                  {"do": "discharge", "current_A": 1.5, "cell_floor_V": 3.0},
                  {"do": "rest", "longest_s": 600}],
      "logger": {"interval_s": 2, "cells": true, "noise_V": 0.0005}})");
    Battery b;
    b.chemistry = "nmc", b.series = 4, b.rated_Ah = 3;
    const auto a = analyse(*log.imported.recording, b);
    EXPECT_EQ(valueOf(a, "weakest_cell"), 3);
    // At the same state of charge 0.98: what the others still hold is 12 % of 0.98·3 Ah, and the
    // weak one's rest at the floor under load counts on both sides.
    const double truth = 0.12 * 3 * 0.98;
    EXPECT_NEAR(valueOf(a, "imbalance_loss"), truth, 0.15 * truth);
    const auto f = std::find_if(a.findings.begin(), a.findings.end(),
                                [](const Finding& x) { return x.code == "weak_cell"; });
    ASSERT_NE(f, a.findings.end());
    EXPECT_THAT(f->advice, HasSubstr("capacity is smaller"));
}

TEST(Pack, AStateOfChargeSpreadIsWhatBalancingGivesBack) {
    const auto log = nk::test::logged(R"({"ambient_C": 22, "seed": 3,
      "battery": {"chemistry": "nmc", "series": 4, "rated_Ah": 3, "capacity_Ah": 3, "r0_ohm": 0.02,
                  "soc": 0.95, "cells": [{}, {"soc": 0.80}, {}, {}]},
      "program": [{"do": "rest", "longest_s": 600},
                  {"do": "discharge", "current_A": 1.5, "cell_floor_V": 3.0},
                  {"do": "rest", "longest_s": 600}],
      "logger": {"interval_s": 2, "cells": true, "noise_V": 0.0005}})");
    Battery b;
    b.chemistry = "nmc", b.series = 4, b.rated_Ah = 3;
    const auto a = analyse(*log.imported.recording, b);
    EXPECT_EQ(valueOf(a, "weakest_cell"), 2);
    EXPECT_NEAR(valueOf(a, "imbalance_loss"), 0.45, 0.12);
    bool weak = false;
    bool apart = false;
    for (const Finding& x : a.findings) {
        weak |= x.code == "weak_cell" && x.advice.find("balancer") != std::string::npos;
        apart |= x.code == "imbalance" && x.text.find("at rest") != std::string::npos;
    }
    EXPECT_TRUE(weak);
    EXPECT_TRUE(apart);
}

TEST(Compare, ColdAgainstWarm) {
    const auto log = [](double ambient) {
        return nk::test::logged(R"({"ambient_C": )" + std::to_string(ambient) + R"(, "seed": 3,
      "battery": {"chemistry": "nmc", "series": 3, "rated_Ah": 3, "r0_ohm": 0.02, "soc": 1.0},
      "program": [{"do": "rest", "longest_s": 600},
                  {"do": "discharge", "current_A": 3, "floor_V": 9.0},
                  {"do": "rest", "longest_s": 600}]})");
    };
    Battery b;
    b.chemistry = "nmc", b.series = 3, b.rated_Ah = 3;
    const Bench warm(log(25).imported.recording, b);
    const Bench cold(log(0).imported.recording, b);
    const auto c = compareRecordings(warm.in(), cold.in());
    // R(0 °C)/R(25 °C) of the simulated cell by its own temperature law.
    const double ea = warm.battery.chemistryData()->activation_J_mol;
    const double law = std::exp(ea / 8.314462618 * (1 / 273.15 - 1 / 298.15));
    EXPECT_NEAR(c.resistance.value, law, 0.12 * law);
    EXPECT_LT(c.capacity.value, 1);
    EXPECT_LT(c.power.value, 1);
    EXPECT_GT(c.minutesOff, 0);
    EXPECT_TRUE(c.caveats.empty());
    const auto same = compareRecordings(warm.in(), warm.in());
    EXPECT_NEAR(same.capacity.value, 1, 1e-12);
    EXPECT_NEAR(same.resistance.value, 1, 1e-12);
}
