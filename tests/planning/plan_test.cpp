// Plans: the arithmetic of chargers by hand, charge times against an independent solver (CVODE),
// refusals.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numeric>

#include "history/kept_queue.h"
#include "history/plan_files.h"
#include "history/ready_rule.h"
#include "planning/charge_run.h"
#include "planning/charger_task.h"
#include "planning/log_next.h"
#include "quantity/iso_time.h"
#include "quantity/reading.h"
#include "report/plan_json.h"
#include "tests/support/stiff_solver.h"

using namespace nk;

namespace {

Battery pack(const char* chemistry, int series, double rated) {
    Battery b;
    b.chemistry = chemistry;
    b.series = series;
    b.rated_Ah = rated;
    return b;
}

ChargeWish wish(const char* chemistry, int series, double rated) {
    ChargeWish w;
    w.battery = pack(chemistry, series, rated);
    return w;
}

ChargerCard limited(double charge_W, double discharge_W, double step = 0) {
    ChargerCard c;
    c.name = "small";
    c.maxCharge_W = charge_W;
    c.maxDischarge_W = discharge_W;
    c.currentStep_A = step;
    return c;
}

TEST(Chargers, WattsDecideWhateverIsSet) {
    const Chemistry& nimh = **findChemistry("nimh");
    // 20 W at 7.2 V is 2.78 A, 5 W at 7.5 V would be 0.67 A (arithmetic).
    EXPECT_NEAR(limited(20, 5).effectiveCharge_A(5, nimh, 6), 20 / 7.2, 1e-9);
    EXPECT_NEAR(limited(20, 5, 0.1).effectiveCharge_A(5, nimh, 6), 2.7, 1e-12);
    EXPECT_NEAR(limited(20, 5).effectiveDischarge_A(5, nimh, 6), 5 / 7.2, 1e-9);
    EXPECT_NEAR(stepDown(0.3, 0.1), 0.3, 1e-12);
    EXPECT_NEAR(stepUp(7150, 100), 7200, 1e-9);
}

TEST(ChargePlans, TheTradesOwnSums) {
    // 0.1C and 0.2C of 750 mAh are 75 and 150 mA; 160 and 120 % of it are the backstops.
    for (const auto& [rate, amps, limit_mAh] :
         {std::tuple(0.1, 0.075, 1200.0), std::tuple(0.2, 0.15, 900.0)}) {
        ChargeWish w = wish("nimh", 1, 0.75);
        w.rate_C = rate;
        const auto plan = planCharge(w);
        ASSERT_TRUE(plan);
        EXPECT_NEAR(plan->current_A, amps, 1e-12);
        EXPECT_NEAR(plan->capacityLimit_mAh, limit_mAh, 1e-9);
        EXPECT_TRUE(std::isnan(plan->set_V));
    }
    ChargeWish w = wish("nimh", 6, 6.5);
    w.rate_C = 1;
    w.charger = limited(20, 5, 0.1);
    w.charger->capacityStep_mAh = 100;
    const auto plan = planCharge(w);
    ASSERT_TRUE(plan);
    EXPECT_EQ(plan->limitedBy, "charger_power");
    EXPECT_NEAR(plan->effectiveCurrent_A, 2.7, 1e-9);
    EXPECT_NEAR(plan->capacityLimit_mAh, 7800, 1e-9);
    EXPECT_GE(plan->timer_min * 60, plan->time_s[2]);
}

TEST(ChargePlans, LithiumHasSetVoltageCutOffAndBackstops) {
    ChargeWish w = wish("nmc", 3, 5);
    w.charger = limited(1e9, 1e9, 0.1);
    w.charger->setVoltageStep_V = 0.05;
    w.charger->capacityStep_mAh = 250;
    w.charger->cutoffs = {10};
    w.charger->maxTimer_min = 60;
    const auto plan = planCharge(w);
    ASSERT_TRUE(plan);
    EXPECT_NEAR(plan->current_A, 2.5, 1e-9);
    EXPECT_NEAR(plan->set_V, 12.6, 1e-9);
    EXPECT_NEAR(plan->cutoff_A, 0.5, 1e-9);
    EXPECT_NEAR(plan->capacityLimit_mAh, 5500, 1e-9);
    EXPECT_EQ(plan->timer_min, 60);  // all it offers, and it is said
    EXPECT_TRUE(std::ranges::any_of(
        plan->cautions, [](const std::string& c) { return c.find("timer") != std::string::npos; }));
    EXPECT_LE(plan->time_s[0], plan->time_s[1]);
    EXPECT_LE(plan->time_s[1], plan->time_s[2]);
}

TEST(ChargePlans, WhatMustNotBeIsRefused) {
    const auto refused = [](const ChargeWish& w) { return !planCharge(w); };
    ChargeWish w = wish("nmc", 3, 5);
    w.set_V = 4.25;
    EXPECT_TRUE(refused(w));
    w = wish("nmc", 3, 5);
    w.ambient_C = -3;
    EXPECT_TRUE(refused(w));
    w.ambient_C = 50;
    EXPECT_TRUE(refused(w));
    w = wish("lipo", 3, 5);
    w.rate_C = 4;
    EXPECT_TRUE(refused(w));
    w.beyondUsual = true;
    const auto beyond = planCharge(w);
    ASSERT_TRUE(beyond);
    EXPECT_TRUE(beyond->beyondUsual);
    EXPECT_NE(beyond->cautions.front().find("Beyond"), std::string::npos);
    w.rate_C = 20;
    EXPECT_TRUE(refused(w));  // whatever is said
    w = wish("nmc", 0, 5);
    EXPECT_TRUE(refused(w));
    w = wish("nmc", 30, 5);
    w.charger = genericChargers().front();
    const auto cannot = planCharge(w);
    ASSERT_FALSE(cannot);
    EXPECT_NE(cannot.error().text().find("15"), std::string::npos);
    // In the cold slowly.
    w = wish("nmc", 3, 5);
    w.ambient_C = 5;
    const auto cold = planCharge(w);
    ASSERT_TRUE(cold);
    EXPECT_EQ(cold->limitedBy, "cold");
    EXPECT_NEAR(cold->current_A, 1, 1e-9);
}

TEST(Triage, VoltsAtRestDecideBeforeAnythingIsSet) {
    Battery pack;
    pack.chemistry = "lipo";
    pack.series = 3;
    pack.rated_Ah = 2.2;
    using W = Triage::Word;
    const auto word = [](const Battery& b, double volts, const std::vector<double>& cells) {
        const auto t = triageOf(b, volts, cells);
        EXPECT_TRUE(t) << t.error().text();
        return t ? t->word : W::NotMeasured;
    };
    EXPECT_EQ(word(pack, 0, {}), W::NotMeasured);
    EXPECT_EQ(word(pack, 11.4, {}), W::Normal);
    EXPECT_EQ(word(pack, 8.4, {}), W::Gently);
    EXPECT_EQ(word(pack, 6.0, {}), W::OutOfUse);
    EXPECT_EQ(word(pack, 12.9, {}), W::OverFull) << "4.30 V a cell";
    // One bad cell decides, whatever the mean says.
    EXPECT_EQ(word(pack, 0, {3.9, 3.9, 1.2}), W::OutOfUse);
    EXPECT_EQ(word(pack, 0, {3.9, 3.9, 2.7}), W::Gently);
    EXPECT_FALSE(triageOf(pack, 16.0, {})) << "another series count";
    EXPECT_FALSE(triageOf(pack, 0, {3.9, 3.9}));
    EXPECT_FALSE(triageOf(pack, 12.0, {3.0, 3.0, 3.0})) << "they do not add up";
    EXPECT_FALSE(triageOf(pack, std::nan(""), {}));
    Battery nickel;
    nickel.chemistry = "nimh";
    nickel.series = 6;
    nickel.rated_Ah = 6.5;
    EXPECT_EQ(word(nickel, 7.4, {}), W::Normal);
    EXPECT_EQ(word(nickel, 3.0, {}), W::MeasureCells);
    EXPECT_EQ(word(nickel, 0, {1.2, 1.2, 1.2, -0.2, 1.2, 1.2}), W::OutOfUse);

    ChargeWish wish;
    wish.battery = pack;
    wish.rested_V = 8.4;
    const auto gently = planCharge(wish);
    ASSERT_TRUE(gently) << gently.error().text();
    EXPECT_LE(gently->current_A, 0.1 * 2.2 + 1e-9);
    EXPECT_LE(gently->timer_min, 30);
    EXPECT_EQ(gently->limitedBy, "overdrained");
    wish.rested_V = 6;
    EXPECT_FALSE(planCharge(wish));
    // A rested voltage tells the level, and so the time.
    wish.rested_V = 3 * 4.0;
    const auto nearlyFull = planCharge(wish);
    wish.rested_V = 3 * 3.6;
    const auto nearlyEmpty = planCharge(wish);
    ASSERT_TRUE(nearlyFull && nearlyEmpty);
    EXPECT_LT(nearlyFull->time_s[1], 0.7 * nearlyEmpty->time_s[1]);
}

TEST(Chargers, BesideOneAnotherByTheTask) {
    TaskWish wish;
    wish.charge.battery.chemistry = "nimh";
    wish.charge.battery.series = 6;
    wish.charge.battery.rated_Ah = 6.5;
    wish.charge.current_A = 3.2;
    wish.discharge_A = 3;
    wish.cycles = 2;
    wish.rest_min = 0;
    ChargerCard slow;
    slow.name = "slow";
    slow.maxDischarge_W = 5;  // 0.69 A at 7.2 V
    ChargerCard quick;
    quick.name = "quick";
    ChargerCard small;
    small.name = "small";
    small.cellsMax = 4;
    const auto tasks = compareChargers(wish, {slow, small, quick});
    ASSERT_TRUE(tasks) << tasks.error().text();
    ASSERT_EQ(tasks->size(), 3U);
    EXPECT_EQ((*tasks)[0].charger, "quick");
    EXPECT_EQ((*tasks)[1].decides, "discharge_power");
    EXPECT_FALSE((*tasks)[2].can());
    // Two discharges of 6.5 Ah at 5 W of 7.2 V and at 3 A: arithmetic.
    EXPECT_NEAR((*tasks)[1].hours - (*tasks)[0].hours, 2 * (6.5 / (5 / 7.2) - 6.5 / 3), 0.3);
    wish.cycles = 0;
    EXPECT_FALSE(compareChargers(wish, {quick}));
}

TEST(Programs, WhatToLogNextIsFullRestAndOneWholeDischarge) {
    ProgramWish wish;
    wish.battery.chemistry = "nmc";
    wish.battery.series = 3;
    wish.battery.rated_Ah = 5;
    const auto p = planCapacityLog(wish);
    ASSERT_TRUE(p) << p.error().text();
    ASSERT_EQ(p->steps.size(), 3U);
    EXPECT_EQ(p->steps[0].what, "charge");
    EXPECT_EQ(p->steps[1].what, "rest");
    EXPECT_NEAR(p->steps[2].current_A, 1, 1e-9);
    ChargerCard none;
    none.maxDischarge_A = 0;
    wish.charger = none;
    EXPECT_FALSE(planCapacityLog(wish));
}

TEST(ChargeRuns, TimesAreThoseOfAnIndependentSolver) {
    for (const char* id : {"nmc", "lco", "lto"}) {
        const Chemistry& c = **findChemistry(id);
        ChargeRunSetting s;
        s.capacity_Ah = 3;
        s.resistance_ohm = 0.03;
        s.series = 4;
        s.current_A = 2.4;
        s.set_V = c.set_V;
        s.cutoff_A = 0.15;
        s.fromSoc = 0.2;
        for (const double watts : {1e9, 20.0}) {
            s.power_W = watts;
            const ChargeRun run = runCharge(c, s);
            const double full = std::max(0.2, c.ocv.soc(c.set_V));
            const double gap = std::max(0.0, c.set_V - c.ocv.voltage_V(full));
            const auto amps = [&](double soc) {
                const double ocv = c.ocv.voltage_V(std::min(soc, 1.0) * full) +
                                   gap * std::exp(std::min(20.0, (soc - 1) / 0.01));
                double i = s.current_A;
                // P = I·n·(OCV + I·R), solved by bisection.
                double low = 0;
                double high = i;
                for (int k = 0; k < 60; ++k) {
                    const double middle = 0.5 * (low + high);
                    (middle * s.series * (ocv + middle * s.resistance_ohm) > watts ? high : low) =
                        middle;
                }
                i = std::min(i, high);
                return std::min(i, (s.set_V - ocv) / s.resistance_ohm);
            };
            std::vector<double> soc{s.fromSoc};
            double end = 0;
            test::solve(
                soc, [&](const double* y, double* out) { out[0] = amps(y[0]) / 3 / 3600; }, 40000,
                5,
                [&](double t, const double* y) {
                    end = t;
                    return amps(y[0]) <= s.cutoff_A;
                });
            EXPECT_NEAR(run.time_s, end, 0.01 * end + 10) << id << " " << watts;
        }
    }
}

TEST(Programs, NickelIsBroughtInAndBackLithiumIsNot) {
    ProgramWish w;
    w.battery = pack("nimh", 6, 6.5);
    const auto in = planBreakIn(w);
    ASSERT_TRUE(in);
    ASSERT_EQ(in->steps.size(), 6U) << "it ends with a charge";
    EXPECT_EQ(in->left, "charged");
    EXPECT_NEAR(in->steps[0].current_A, 1.3, 1e-9);
    EXPECT_NEAR(in->steps[1].current_A, 0.65, 1e-9);
    EXPECT_NEAR(in->steps[1].time_s[1], 16 * 3600, 1);
    EXPECT_FALSE(in->steps[2].attended);
    w.cycles = 2;
    const auto back = planRecondition(w);
    ASSERT_TRUE(back);
    EXPECT_EQ(back->steps.size(), 11U);
    w.leaveEmpty = true;
    EXPECT_EQ(planRecondition(w)->steps.size(), 9U);
    EXPECT_EQ(planRecondition(w)->left, "empty");
    w.leaveEmpty = false;
    w.floor_V = 0.9;
    EXPECT_FALSE(planRecondition(w));  // deep only for single cells
    w.battery = pack("nimh", 1, 2);
    EXPECT_TRUE(planRecondition(w));
    w.lamp_W = 2;
    const auto lamp = planRecondition(w);
    ASSERT_TRUE(lamp);
    EXPECT_NE(lamp->cautions.back().find("lamp"), std::string::npos);
    w.battery = pack("nmc", 3, 5);
    EXPECT_FALSE(planBreakIn(w));
    EXPECT_FALSE(planRecondition(w));
}

TEST(Programs, StorageGoesUpOrDownOrIsThere) {
    ProgramWish w;
    w.battery = pack("nmc", 3, 5);
    w.fromSoc = 1;
    const auto down = planStorage(w);
    ASSERT_TRUE(down);
    ASSERT_EQ(down->steps.size(), 1U);
    EXPECT_EQ(down->steps[0].what, "discharge");
    EXPECT_NEAR(down->steps[0].time_s[1], 2.5 * 3600, 1);
    w.fromSoc = 0.1;
    EXPECT_EQ(planStorage(w)->steps[0].what, "charge");
    w.fromSoc = 0.51;
    EXPECT_TRUE(planStorage(w)->steps.empty());
    w.toSoc = 1;
    EXPECT_FALSE(planStorage(w));
}

TEST(ReadyBy, EndsJustBeforeAndWithinAttendedHours) {
    ReadyWish w;
    w.charge = wish("nmc", 3, 5);
    w.charge.fromSoc = 0.3;
    w.now_s = fromIsoTime("2026-05-01T08:00");
    w.ready_s = fromIsoTime("2026-05-01T18:00");
    const auto plain = planReadyBy(w);
    ASSERT_TRUE(plain);
    ASSERT_EQ(plain->steps.size(), 1U);
    EXPECT_LE(plain->steps[0].end_s, w.ready_s);
    EXPECT_GT(plain->steps[0].start_s, w.ready_s - 4 * 3600);
    // Nobody is there from 14:00 on.
    w.present = {7 * 60, 14 * 60};
    const auto early = planReadyBy(w);
    ASSERT_TRUE(early);
    EXPECT_LE(early->steps[0].start_s + early->steps[0].time_s[2], fromIsoTime("2026-05-01T14:00"));
    // Half an hour does not do: it says what does.
    w.present = {17 * 60 + 30, 22 * 60};
    const auto part = planReadyBy(w);
    ASSERT_TRUE(part);
    ASSERT_EQ(part->steps.size(), 1U);
    EXPECT_NE(part->reasons.back().find("earlier"), std::string::npos);
    w.present = {20 * 60, 22 * 60};
    EXPECT_TRUE(planReadyBy(w)->steps.empty());
    w.ready_s = w.now_s - 60;
    EXPECT_FALSE(planReadyBy(w));
}

TEST(ReadyBy, EveryWeekOnTheChosenDays) {
    ReadyRule rule;
    rule.days = *readWeekdays("mon,Wed, sun");
    rule.minute = 18 * 60 + 30;
    const double thursday = fromIsoTime("2026-11-26T12:00:00");
    EXPECT_EQ(isoTime(*nextReady(rule, thursday)).substr(0, 16), "2026-11-29T18:30");
    EXPECT_EQ(isoTime(*nextReady(rule, fromIsoTime("2026-11-29T18:30:00"))).substr(0, 16),
              "2026-11-30T18:30");
    EXPECT_EQ(isoTime(*nextReady(rule, fromIsoTime("2026-11-29T18:29:00"))).substr(0, 16),
              "2026-11-29T18:30");
    EXPECT_FALSE(nextReady(ReadyRule(), thursday));
    EXPECT_FALSE(readWeekdays("mon,someday"));
    EXPECT_FALSE(readWeekdays(""));
    const auto back = keptReadyIn(keptReadyText(rule));
    ASSERT_TRUE(back);
    EXPECT_EQ(keptReadyText(*back), keptReadyText(rule));
    EXPECT_FALSE(keptReadyIn(R"({"schema": "narrow-knee/ready-rule/1", "days": [1]})"));

    Battery pack;
    pack.chemistry = "nmc";
    pack.series = 3;
    pack.rated_Ah = 5;
    rule.fromSoc = 0.3;
    const auto program = planReadyWeek(pack, rule, thursday);
    ASSERT_TRUE(program) << program.error().text();
    const std::string calendar = programCalendar(*program, rule.days, "Mount pack", thursday);
    EXPECT_NE(calendar.find("RRULE:FREQ=WEEKLY;BYDAY=MO,WE,SU"), std::string::npos) << calendar;
    EXPECT_NE(calendar.find("20261129T"), std::string::npos) << calendar;
}

TEST(PlanFiles, ChargersAndTablesAreReadAndRefused) {
    const auto back = readChargers(writeChargers(genericChargers()), "x.json");
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(back->size(), genericChargers().size());
    EXPECT_EQ((*back)[0].cutoffs, genericChargers()[0].cutoffs);
    for (const char* bad :
         {"", "[]", R"({"schema": "narrow-knee/chargers/1", "chargers": []})",
          R"({"schema": "narrow-knee/chargers/1", "chargers": [{"max_charge_A": "five"}]})",
          R"({"schema": "narrow-knee/chargers/1", "chargers": [{"channels": 0}]})",
          R"({"schema": "narrow-knee/chargers/1", "chargers": [{"cells": [5, 2]}]})",
          R"({"schema": "narrow-knee/chargers/1", "chargers": [{"chemistries": ["gold"]}]})",
          R"({"schema": "narrow-knee/chargers/1", "chargers": [{"cutoffs": ["soon"]}]})"})
        EXPECT_FALSE(readChargers(bad, "x.json")) << bad;
    const auto table = [](const char* text) { return *readPlainTable(text, "x.csv"); };
    EXPECT_TRUE(readQueueModules(table("name,chemistry,series,rated_ah\nm1,NiMH,6,6.5\n")));
    for (const char* bad : {"name,chemistry,series,rated_ah\nm1,gold,6,6.5\n",
                            "name,chemistry,series,rated_ah\nm1,nimh,0,6.5\n",
                            "name,chemistry,series,rated_ah\nm1,nimh,6,\n",
                            "name,chemistry,series,rated_ah\nm1,nimh,6,6\nm1,nimh,6,6\n",
                            "name,series,rated_ah\nm1,6,6.5\n"})
        EXPECT_FALSE(readQueueModules(table(bad))) << bad;
    EXPECT_TRUE(readJoinPacks(table(
        "name,chemistry,series,voltage_v,rated_ah,resistance_ohm,charge_limit_c\na,nmc,6,22,5,,"
        "\nb,nmc,6,22,5,0.06,1\n")));
    EXPECT_TRUE(readPresence("07:00-22:30"));
    for (const char* bad : {"", "7-22", "07:00-07:00", "25:00-26:00", "07:00-22:3x"})
        EXPECT_FALSE(readPresence(bad)) << bad;
    EXPECT_NEAR(*readMinutes("1.5h"), 90, 1e-9);
    EXPECT_FALSE(readMinutes("soon"));
}

}  // namespace
