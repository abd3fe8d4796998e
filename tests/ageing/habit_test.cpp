// Habit schools at points computed by hand from the published equations (coefficients from memory,
// as in src/ageing/schools.h), their limits, an independent ODE for the law of time, and weeks.
#include <cvode/cvode.h>
#include <gtest/gtest.h>
#include <nvector/nvector_serial.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunmatrix/sunmatrix_dense.h>

#include <cmath>

#include "ageing/habit_compare.h"
#include "ageing/habit_record.h"
#include "ageing/storage.h"

using namespace nk;

namespace {

const Chemistry& chem(const char* id) {
    return **findChemistry(id);
}

HabitBattery with(const char* id, std::vector<School> schools = {}) {
    HabitBattery b;
    b.chemistry = &chem(id);
    b.series = 3;
    b.rated_Ah = 5;
    b.schools = std::move(schools);
    return b;
}

Habit parked(double volts, double celsius) {
    Habit h;
    h.usesPerWeek = 0;
    h.target_V = volts;
    h.parked_C = celsius;
    return h;
}

/// Schmalstieg et al. 2014: at 4.2 V and 35 °C α = (7.543·4.2 − 23.75)·10⁶·exp(−6976/308.15)
/// = 7.9306·10⁶ · 1.4740·10⁻¹⁰ = 1.1690·10⁻³ per day^0.75 (by hand).
TEST(Schools, NmcAtPointsComputedByHand) {
    EXPECT_NEAR(nmcCalendarRate(4.2, 308.15), 1.1690e-3, 3e-6);
    EXPECT_EQ(nmcCalendarRate(3.1, 308.15), 0);  // would be negative
    // β at 3.8 V and a swing of a half: 7.348·10⁻³·0.017689 + 7.6·10⁻⁴ + 2.0405·10⁻³.
    EXPECT_NEAR(nmcCycleRate(3.8, 0.5), 2.93048e-3, 1e-8);
    EXPECT_NEAR(nmcCycleResistance(3.725, 0.5), 1.2469e-4, 1e-9);
    EXPECT_EQ(nmcCycleResistance(3.725, 0.01), 0);
    EXPECT_EQ(nmcCalendarResistance(3.0, 308.15), 0);
}

/// Xu et al. 2018: a year at half charge and 25 °C is 4.14·10⁻¹⁰ · 31,557,600 = 1.30648·10⁻².
TEST(Schools, LmoAtPointsComputedByHand) {
    EXPECT_NEAR(lmoCalendarStress(31557600, 0.5, 298.15), 1.306485e-2, 1e-7);
    EXPECT_NEAR(lmoCalendarStress(31557600, 1.0, 298.15), 1.306485e-2 * std::exp(0.52), 1e-7);
    // A full cycle: 1/(1.40·10⁵ − 1.23·10⁵).
    EXPECT_NEAR(lmoCycleStress(1, 0.5, 298.15), 1 / 17000.0, 1e-12);
    EXPECT_GT(lmoCycleStress(1, 0.5, 298.15), 2 * lmoCycleStress(0.5, 0.5, 298.15));
    EXPECT_EQ(lmoLoss(0), 0);
    EXPECT_NEAR(lmoLoss(0.1), 1 - 5.75e-2 * std::exp(-12.1) - 0.9425 * std::exp(-0.1), 1e-12);
}

/// Wang et al. 2011: C/2 at 25 °C: 31630·exp(−31514.85/2478.8) % per Ah^0.55.
TEST(Schools, LfpAtPointsComputedByHand) {
    EXPECT_NEAR(lfpRate(0.5, 298.15), 0.01 * 31630 * std::exp(-31514.85 / (8.314 * 298.15)), 1e-9);
    EXPECT_NEAR(lfpRate(10, 298.15), 0.01 * 15512 * std::exp(-27997.0 / (8.314 * 298.15)), 1e-9);
    EXPECT_EQ(lfpRate(0.1, 298.15), lfpRate(0.5, 298.15));
}

TEST(Schools, AParkedCellFollowsTheLawOfTimeAlone) {
    const auto answer = answerHabit(parked(4.2, 35), with("nmc", {School::Nmc}));
    ASSERT_TRUE(answer);
    const double alpha = nmcCalendarRate(4.2, 308.15);
    EXPECT_NEAR(answer->schools[0].years, std::pow(0.2 / alpha, 4.0 / 3) / 365.25, 0.01);
    EXPECT_NEAR(answer->schools[0].calendarShare, 1, 1e-9);
    EXPECT_FALSE(answer->schools[0].extrapolated);
    EXPECT_TRUE(std::isnan(answer->schools[0].cycles));
    EXPECT_NEAR(answer->load.hoursAbove4V1, 168, 0.01);
    // Twice the time is 2^0.75 the loss.
    const SchoolLaw law(School::Nmc, answer->habit, answer->load, chem("nmc"));
    EXPECT_NEAR(law.loss(2) / law.loss(1), std::pow(2, 0.75), 1e-9);
    EXPECT_EQ(law.loss(0), 0);
}

TEST(Schools, WhatALawHasNoTermForIsNullWithTheReason) {
    const auto lfp = answerHabit(parked(3.6, 25), with("lfp"));
    ASSERT_TRUE(lfp);
    for (const SchoolAnswer& s : lfp->schools) {
        EXPECT_TRUE(std::isnan(s.years)) << toString(s.school);
        EXPECT_FALSE(s.caveats.empty());
    }
    const auto low = answerHabit(parked(3.1, 25), with("nmc", {School::Nmc}));
    ASSERT_TRUE(low);
    EXPECT_TRUE(std::isnan(low->schools[0].years));
}

/// The law of time under a warmth that changes with the seasons, against CVODE on
/// dL/dt = 0.75·α^(4/3)·L^(−1/3): damage adds up in the state, not term by term.
TEST(Schools, SeasonsAgainstAnIndependentSolver) {
    Habit h = parked(4.1, 20);
    h.pauses = {{91.3125, 0.5, 0}, {91.3125, 0.9, 40}};
    const Chemistry& nmc = chem("nmc");
    const auto load = loadOf(h, nmc);
    ASSERT_TRUE(load);
    const SchoolLaw law(School::Nmc, h, *load, nmc);
    struct Rates {
        double a[3];
    } rates{};
    const double full = nmc.ocv.soc(nmc.set_V);
    rates.a[0] = nmcCalendarRate(nmc.ocv.voltage_V(load->targetSoc * full), 293.15);
    rates.a[1] = nmcCalendarRate(nmc.ocv.voltage_V(0.5 * full), 273.15);
    rates.a[2] = nmcCalendarRate(nmc.ocv.voltage_V(0.9 * full), 313.15);
    SUNContext context = nullptr;
    SUNContext_Create(nullptr, &context);
    N_Vector y = N_VNew_Serial(1, context);
    // Begin a little after zero, where the slope is finite: L of one day parked.
    double t = 1;
    NV_Ith_S(y, 0) = rates.a[0];
    void* solver = CVodeCreate(CV_BDF, context);
    CVodeInit(
        solver,
        [](realtype day, N_Vector now, N_Vector slope, void* given) {
            const auto* r = static_cast<const Rates*>(given);
            const double year = std::fmod(day, 365.25);
            const double a = year < 182.625 ? r->a[0] : year < 273.9375 ? r->a[1] : r->a[2];
            NV_Ith_S(slope, 0) = 0.75 * std::pow(a, 4.0 / 3) * std::pow(NV_Ith_S(now, 0), -1.0 / 3);
            return 0;
        },
        t, y);
    CVodeSetUserData(solver, &rates);
    CVodeSStolerances(solver, 1e-9, 1e-12);
    CVodeSetMaxStep(solver, 2);
    CVodeSetMaxNumSteps(solver, 200000);
    SUNMatrix matrix = SUNDenseMatrix(1, 1, context);
    SUNLinearSolver linear = SUNLinSol_Dense(y, matrix, context);
    CVodeSetLinearSolver(solver, linear, matrix);
    ASSERT_EQ(CVode(solver, 4 * 365.25, y, &t, CV_NORMAL), CV_SUCCESS);
    EXPECT_NEAR(law.loss(4), NV_Ith_S(y, 0), 0.002 * NV_Ith_S(y, 0));
    N_VDestroy(y);
    SUNMatDestroy(matrix);
    SUNLinSolFree(linear);
    CVodeFree(&solver);
    SUNContext_Free(&context);
}

TEST(Habits, AWeekIsCountedByHand) {
    Habit h;
    h.usesPerWeek = 7;
    h.depth = 0.5;
    h.discharge_C = 0.5;  // an hour
    h.charge_C = 0.25;    // two hours
    h.target_V = 4.2;
    const auto load = loadOf(h, chem("nmc"));
    ASSERT_TRUE(load);
    EXPECT_NEAR(load->equivalentsPerWeek, 3.5, 0.02);
    double cycles = 0;
    for (const HabitCycle& c : load->cycles) {
        EXPECT_NEAR(c.depth, 0.5, 0.01);
        EXPECT_NEAR(c.meanSoc, 0.75, 0.01);
        cycles += c.count;
    }
    EXPECT_NEAR(cycles, 7, 0.01);
    // Parked full but for three hours a day.
    double parkedMinutes = 0;
    double all = 0;
    for (const auto& m : load->minutes) {
        all += m.weight;
        if (m.soc > 0.999) parkedMinutes += m.weight;
    }
    EXPECT_NEAR(all, 10080, 1);
    EXPECT_NEAR(parkedMinutes, 21 * 60 * 7, 30);
    // Just in time: low but for the two hours before each use.
    h.charge = ChargeWhen::ReadyBy;
    const auto late = loadOf(h, chem("nmc"));
    ASSERT_TRUE(late);
    EXPECT_LT(late->hoursAbove4V1, 0.1 * load->hoursAbove4V1);
    EXPECT_NEAR(late->equivalentsPerWeek, 3.5, 0.02);
}

/// Weeks that add up in closed form are the same as ten years stepped minute by minute.
TEST(Habits, TenYearsStepByStepAreTheClosedForm) {
    Habit h;
    h.usesPerWeek = 3;
    h.depth = 0.6;
    h.target_V = 4.1;
    const Chemistry& nmc = chem("nmc");
    const auto load = loadOf(h, nmc);
    ASSERT_TRUE(load);
    const SchoolLaw law(School::Nmc, h, *load, nmc);
    double calendar = 0;  // loss by time, stepped in its state form
    double cycling = 0;
    const double weeks = 10 * 365.25 / 7;
    for (double w = 0; w < weeks; ++w) {
        for (const auto& m : load->minutes) {
            const double a = nmcCalendarRate(m.voltage_V, m.temperature_C + 273.15);
            calendar = std::pow(
                std::pow(calendar, 4.0 / 3) + std::pow(a, 4.0 / 3) * m.weight / 1440, 0.75);
        }
        for (const HabitCycle& c : load->cycles) {
            const auto volts = [&](double soc) { return nmc.ocv.voltage_V(soc); };
            const double mean = (volts(c.meanSoc - c.depth / 2) + 4 * volts(c.meanSoc) +
                                 volts(c.meanSoc + c.depth / 2)) /
                                6;
            const double beta = nmcCycleRate(mean, c.depth);
            cycling = std::sqrt(cycling * cycling + beta * beta * c.count * 2 * c.depth * 2.05);
        }
    }
    EXPECT_NEAR(law.loss(10), calendar + cycling, 0.004 * (calendar + cycling));
}

TEST(Habits, TheTableDoublesATenthOfAVoltDown) {
    Habit h;
    h.usesPerWeek = 5;
    h.depth = 1;
    h.target_V = 4.2;
    const auto full = answerHabit(h, with("nmc", {School::Table}));
    h.target_V = 4.1;
    const auto less = answerHabit(h, with("nmc", {School::Table}));
    ASSERT_TRUE(full && less);
    EXPECT_NEAR(full->schools[0].cycles, 500, 1e-9);
    EXPECT_NEAR(less->schools[0].cycles, 1000, 1e-6);
    EXPECT_NEAR(less->schools[0].yearsHigh / less->schools[0].yearsLow, 2.5 / 1.5, 1e-9);
    EXPECT_NEAR(less->range, 0.9, 0.03);
}

TEST(Habits, ATargetAboveTheSetVoltageIsRefused) {
    Habit h;
    h.target_V = 4.25;
    const auto answer = answerHabit(h, with("nmc"));
    ASSERT_FALSE(answer);
    EXPECT_NE(answer.error().text().find("dangerous"), std::string::npos);
    h.target_V = 1;
    EXPECT_FALSE(answerHabit(h, with("nmc")));
    h.target_V = 0;
    h.depth = 1.5;
    EXPECT_FALSE(answerHabit(h, with("nmc")));
    h.depth = 0.5;
    h.pauses = {{200, 0.5, 20}, {200, 0.5, 20}};
    EXPECT_FALSE(answerHabit(h, with("nmc")));
    EXPECT_FALSE(answerHabit(Habit(), with("nimh")));
}

TEST(Habits, WhatChangesMostIsRankedAndSignedRight) {
    Habit h;
    h.target_V = 4.2;
    h.parked_C = 35;
    h.usesPerWeek = 5;
    const auto answer = answerHabit(h, with("nmc"));
    ASSERT_TRUE(answer);
    const auto changes = whatChangesMost(*answer, with("nmc"));
    ASSERT_GE(changes.size(), 4U);
    double before = 1e9;
    for (const HabitChange& c : changes) {
        const double size = std::abs(c.low + c.high);
        EXPECT_LE(size, before);
        before = size;
        if (c.id == "target" || c.id == "ready_by") {
            EXPECT_GT(c.high, 0) << c.words;
        }
        if (c.id == "parked") {
            EXPECT_GT(c.low, 0) << c.words;  // 27 instead of 35 °C
        }
        EXPECT_FALSE(plainAnswer(c).empty());
    }
    // A day at full is next to nothing.
    Habit day = h;
    day.parked_C = 20;
    day.target_V = 4.0;
    const auto usual = answerHabit(day, with("nmc"));
    day.pauses = {{1, 1.0, 20}};
    const auto once = answerHabit(day, with("nmc"));
    ASSERT_TRUE(usual && once);
    EXPECT_LT(std::abs(once->schools[0].years - usual->schools[0].years),
              0.01 * usual->schools[0].years);
}

TEST(Habits, AUseThatFindsTooLittleSaysSo) {
    Habit h;
    h.depth = 1;
    h.target_V = 3.8;
    h.usesPerWeek = 7;
    const auto load = loadOf(h, chem("nmc"));
    ASSERT_TRUE(load);
    EXPECT_FALSE(load->caveats.empty());
    for (const auto& m : load->minutes) EXPECT_GE(m.soc, 0);
}

TEST(Habits, APackThatNeverMeetsItsBalancerDrifts) {
    HabitBattery b = with("nmc");
    b.driftPerMonth = 0.01;
    Habit h;
    h.target_V = 4.05;
    const auto never = answerHabit(h, b);
    h.fullChargeEveryWeeks = 4;
    const auto monthly = answerHabit(h, b);
    ASSERT_TRUE(never && monthly);
    EXPECT_NEAR(never->driftLoss, 0.12, 1e-9);
    EXPECT_NEAR(monthly->driftLoss, 0.0092, 1e-3);
    EXPECT_LE(monthly->schools[0].years, never->schools[0].years + 1e-9);
}

TEST(Habits, AFullChargeNowAndThenLiesBetweenAlwaysAndNever) {
    Habit h;
    h.target_V = 4.0;
    h.usesPerWeek = 4;
    double before = 1e9;
    for (const double weeks : {1.0, 4.0, 8.0, 9.0, 30.0, 104.0}) {
        h.fullChargeEveryWeeks = weeks;
        const auto load = loadOf(h, chem("nmc"));
        ASSERT_TRUE(load);
        double all = 0;
        for (const auto& m : load->minutes) all += m.weight;
        EXPECT_NEAR(all, 10080, 1) << weeks;
        EXPECT_LT(load->hoursAbove4V1, before) << weeks;
        before = load->hoursAbove4V1;
    }
    h.fullChargeEveryWeeks = 0;
    EXPECT_LE(loadOf(h, chem("nmc"))->hoursAbove4V1, before);
}

TEST(Habits, WhatTheDeviceLeavesIsNoRange) {
    Habit h;
    h.target_V = 4.1;
    const auto whole = answerHabit(h, with("nmc"));
    h.deviceFloor_V = 3.5;
    const auto floor = answerHabit(h, with("nmc"));
    ASSERT_TRUE(whole && floor);
    EXPECT_GT(floor->left, 0.01);
    EXPECT_LT(floor->range, whole->range);
    h.deviceFloor_V = 4.15;
    EXPECT_FALSE(answerHabit(h, with("nmc")));
}

TEST(Record, HoursBandsAndHarmAreCounted) {
    std::vector<double> t, v, i, c;
    // Six hours at 4.15 V and 50 °C, then two hours of discharge under the floor, in frost.
    for (int k = 0; k <= 8 * 60; ++k) {
        const bool rest = k <= 360;
        t.push_back(60.0 * k);
        v.push_back(rest ? 4.15 : 4.15 - 1.5 * (k - 360) / 120.0);
        i.push_back(rest ? 0 : -1);
        c.push_back(rest ? 50 : 10);
    }
    HabitRecorder recorder(chem("nmc"), 4.1);
    RecordedUse use{t, v, i, c, 1e9, 1, 2, 1};
    recorder.add(use);
    use.begins_s = 1e9 + 30 * 86400.0;
    recorder.add(use);
    const HabitRecord r = recorder.done();
    EXPECT_NEAR(r.logged_h, 16, 1e-9);
    EXPECT_NEAR(r.high_h, 12, 0.3);
    EXPECT_NEAR(r.hot_h, 12, 0.1);
    EXPECT_EQ(r.deepDischarges, 2);
    EXPECT_NEAR(r.equivalentFullCycles, 1, 0.01);
    EXPECT_NEAR(r.unknownDays, 29.67, 0.01);
    EXPECT_FALSE(whatCostMost(r, chem("nmc")).empty());
    EXPECT_NE(whatIsNotKnown(r, BetweenLogs::NotKnown).find("30"), std::string::npos);
    EXPECT_GT(r.calendarDamage, 0);
}

TEST(Record, ChargingInFrostIsCounted) {
    std::vector<double> t, v, i, c;
    for (int k = 0; k <= 60; ++k) {
        t.push_back(60.0 * k);
        v.push_back(3.8);
        i.push_back(k < 5 ? 0 : 1);
        c.push_back(-4);
    }
    HabitRecorder recorder(chem("nmc"), 4.1);
    recorder.add({t, v, i, c, 0, 1, 2, std::nan("")});
    EXPECT_EQ(recorder.done().coldCharges, 1);
}

TEST(Storage, HalfFullInTheCoolAndPluggedInInTime) {
    Habit h;
    h.depth = 0.5;
    h.charge_C = 0.5;
    const StorageAdvice a = storageAdvice(h, chem("nmc"));
    EXPECT_GT(a.low_V, 3.55);
    EXPECT_LT(a.high_V, 3.9);
    EXPECT_NEAR(a.plugInBefore_min, 66, 1e-9);
    EXPECT_EQ(storageWords(h, chem("nmc")).size(), 2U);
    EXPECT_EQ(storageWords(h, chem("nimh")).size(), 1U);
}

}  // namespace
