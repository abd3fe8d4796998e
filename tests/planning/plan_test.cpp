// Plans: the arithmetic of chargers by hand, charge times and joins against an independent solver
// (CVODE), queues against exhaustive search and the bound, refusals.
#include <cvode/cvode.h>
#include <gtest/gtest.h>
#include <nvector/nvector_serial.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunmatrix/sunmatrix_dense.h>

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

/// y' = f(t, y) by CVODE's stiff method, to 1e-9; stops where `done` says so.
void solve(std::vector<double>& y, const std::function<void(const double*, double*)>& slope,
           double until_s, double step_s, const std::function<bool(double, const double*)>& done) {
    SUNContext context = nullptr;
    SUNContext_Create(nullptr, &context);
    const auto n = static_cast<sunindextype>(y.size());
    N_Vector state = N_VNew_Serial(n, context);
    for (sunindextype k = 0; k < n; ++k) NV_Ith_S(state, k) = y[static_cast<std::size_t>(k)];
    void* solver = CVodeCreate(CV_BDF, context);
    CVodeInit(
        solver,
        [](realtype, N_Vector now, N_Vector out, void* given) {
            (*static_cast<const std::function<void(const double*, double*)>*>(given))(
                NV_DATA_S(now), NV_DATA_S(out));
            return 0;
        },
        0, state);
    auto copy = slope;
    CVodeSetUserData(solver, &copy);
    CVodeSStolerances(solver, 1e-9, 1e-10);
    CVodeSetMaxNumSteps(solver, 1000000);
    SUNMatrix matrix = SUNDenseMatrix(n, n, context);
    SUNLinearSolver linear = SUNLinSol_Dense(state, matrix, context);
    CVodeSetLinearSolver(solver, linear, matrix);
    double t = 0;
    for (double next = step_s; next <= until_s; next += step_s) {
        ASSERT_GE(CVode(solver, next, state, &t, CV_NORMAL), 0);
        if (done(t, NV_DATA_S(state))) break;
    }
    for (sunindextype k = 0; k < n; ++k) y[static_cast<std::size_t>(k)] = NV_Ith_S(state, k);
    N_VDestroy(state);
    SUNMatDestroy(matrix);
    SUNLinSolFree(linear);
    CVodeFree(&solver);
    SUNContext_Free(&context);
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
    // 0.1C and 0.2C of 750 mAh are 75 and 150 mA.
    for (const auto& [rate, amps] : {std::pair(0.1, 0.075), std::pair(0.2, 0.15)}) {
        ChargeWish w = wish("nimh", 1, 0.75);
        w.rate_C = rate;
        const auto plan = planCharge(w);
        ASSERT_TRUE(plan);
        EXPECT_NEAR(plan->current_A, amps, 1e-12);
        EXPECT_NEAR(plan->capacityLimit_mAh, 900, 1e-9);  // 120 %
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
    EXPECT_EQ(word(pack, 5.0, {}), W::OutOfUse);
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
    wish.rested_V = 5;
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
            solve(
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
    ASSERT_EQ(in->steps.size(), 4U);
    EXPECT_NEAR(in->steps[0].current_A, 1.3, 1e-9);
    EXPECT_NEAR(in->steps[1].current_A, 0.65, 1e-9);
    EXPECT_NEAR(in->steps[1].time_s[1], 16 * 3600, 1);
    EXPECT_FALSE(in->steps[2].attended);
    w.cycles = 2;
    const auto back = planRecondition(w);
    ASSERT_TRUE(back);
    EXPECT_EQ(back->steps.size(), 9U);
    w.floor_V = 0.9;
    EXPECT_FALSE(planRecondition(w));  // deep only for single cells
    w.battery = pack("nimh", 1, 2);
    EXPECT_TRUE(planRecondition(w));
    w.lamp_W = 10;
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

std::vector<JoinPack> two(double a, double b) {
    return {{"a", "nmc", 6, a, 5, 0.06, 1, kNaN}, {"b", "nmc", 6, b, 5, 0.06, 1, kNaN}};
}

TEST(Joins, FirstCurrentsAndTheirDecayAreThoseOfTheCircuit) {
    const std::vector<JoinPack> packs = {{"a", "nmc", 4, 15.2, 5, 0.05, 2, kNaN},
                                         {"b", "nmc", 4, 15.5, 3, 0.09, 2, kNaN},
                                         {"c", "nmc", 4, 15.35, 8, 0.03, 2, kNaN}};
    const auto answer = planJoin(packs);
    ASSERT_TRUE(answer);
    // Kirchhoff, by hand: V = Σ(Vi/Ri)/Σ(1/Ri).
    const double v = (15.2 / 0.05 + 15.5 / 0.09 + 15.35 / 0.03) / (1 / 0.05 + 1 / 0.09 + 1 / 0.03);
    EXPECT_NEAR(answer->common_V, v, 1e-9);
    double sum = 0;
    for (std::size_t k = 0; k < 3; ++k) {
        EXPECT_NEAR(answer->currents[k].first_A, (v - packs[k].voltage_V) / packs[k].resistance_ohm,
                    1e-9);
        sum += answer->currents[k].first_A;
        EXPECT_LT(std::abs(answer->currents[k].firstLow_A), std::abs(answer->currents[k].first_A));
    }
    EXPECT_NEAR(sum, 0, 1e-9);
    // The decay against CVODE on the charges of the three.
    const Chemistry& nmc = **findChemistry("nmc");
    std::vector<double> soc, offset;
    for (const JoinPack& p : packs) {
        soc.push_back(nmc.ocv.soc(p.voltage_V / 4));
        offset.push_back(p.voltage_V - 4 * nmc.ocv.voltage_V(soc.back()));
    }
    const auto flows = [&](const double* y, double* amps) {
        double top = 0;
        double bottom = 0;
        double ocv[3];
        for (int k = 0; k < 3; ++k) {
            const auto i = static_cast<std::size_t>(k);
            ocv[k] = 4 * nmc.ocv.voltage_V(y[k]) + offset[i];
            top += ocv[k] / packs[i].resistance_ohm;
            bottom += 1 / packs[i].resistance_ohm;
        }
        for (int k = 0; k < 3; ++k)
            amps[k] = (top / bottom - ocv[k]) / packs[static_cast<std::size_t>(k)].resistance_ohm;
    };
    std::vector<double> y = soc;
    solve(
        y,
        [&](const double* now, double* out) {
            flows(now, out);
            for (int k = 0; k < 3; ++k)
                out[k] /= 3600 * packs[static_cast<std::size_t>(k)].rated_Ah;
        },
        60, 60, [](double, const double*) { return false; });
    double amps[3];
    flows(y.data(), amps);
    for (std::size_t k = 0; k < 3; ++k)
        EXPECT_NEAR(answer->currents[k].after60_A, amps[k], 0.02 * std::abs(amps[k]) + 0.01);
}

TEST(Joins, WhoMayJoinWhom) {
    EXPECT_TRUE(planJoin(two(22.2, 22.5))->allowed);
    // Common practice: 0.1 V a cell apart on one board some amperes, full with empty tens.
    const auto near = planJoin(two(22.2, 22.8));
    EXPECT_NEAR(std::abs(near->currents[0].first_A), 5, 0.01);
    const auto far = planJoin(two(18.6, 25.2));
    EXPECT_FALSE(far->allowed);
    EXPECT_GT(std::abs(far->currents[0].first_A), 20);
    const auto no = [](std::vector<JoinPack> packs) {
        const auto answer = planJoin(packs);
        EXPECT_TRUE(answer);
        EXPECT_FALSE(answer->reasons.empty());
        return answer && !answer->allowed;
    };
    auto p = two(22.2, 22.2);
    p[1].chemistry = "lco";
    EXPECT_TRUE(no(p));
    p = two(22.2, 22.2);
    p[1].series = 5;
    EXPECT_TRUE(no(p));
    p = two(22.2, -22.2);
    EXPECT_TRUE(no(p));
    p = two(22.2, 22.2);
    p[1].rated_Ah = 0.4;
    EXPECT_TRUE(no(p));
    // Close in volts, too much in amperes.
    p = two(22.2, 22.7);
    for (JoinPack& x : p) x.resistance_ohm = 0.005, x.rated_Ah = 1;
    EXPECT_TRUE(no(p));
    // The flat curve proves nothing, a known level does.
    p = two(19.8, 19.8);
    for (JoinPack& x : p) x.chemistry = "lfp";
    EXPECT_TRUE(no(p));
    for (JoinPack& x : p) x.soc = 0.95;
    EXPECT_TRUE(planJoin(p)->allowed);
    EXPECT_FALSE(planJoin({p[0]}));
    EXPECT_FALSE(planJoin(std::vector<JoinPack>(9, p[0])));
}

QueueWish modules(int count, double rated, int chargers, int channels) {
    QueueWish w;
    for (int k = 0; k < count; ++k) {
        QueueModule m;
        m.name = "m" + std::to_string(k);
        m.chemistry = "nimh";
        m.series = 6;
        m.rated_Ah = rated;
        w.modules.push_back(m);
    }
    for (int k = 0; k < chargers; ++k) {
        ChargerCard c;
        c.name = "c" + std::to_string(k);
        c.channels = channels;
        w.chargers.push_back(c);
    }
    w.start_s = fromIsoTime("2026-05-01T08:00");
    return w;
}

/// What every plan must keep, whatever it was made from.
void check(const QueueWish& w, const QueuePlan& p) {
    std::vector<std::vector<const QueueStep*>> of(w.modules.size());
    std::map<std::pair<int, int>, std::vector<const QueueStep*>> on;
    for (const QueueStep& s : p.steps) {
        of[s.module].push_back(&s);
        if (s.charger >= 0) on[{s.charger, s.channel}].push_back(&s);
        if (s.what == "charge" && !w.unattendedCharging) {
            EXPECT_TRUE(s.attended);
        }
        EXPECT_GE(s.start_s, w.start_s - 1e-6);
        EXPECT_LE(s.end_s, p.finish_s + 1e-6);
    }
    for (auto& [place, steps] : on) {
        std::ranges::sort(steps, {}, &QueueStep::start_s);
        for (std::size_t k = 1; k < steps.size(); ++k)
            EXPECT_GE(steps[k]->start_s, steps[k - 1]->end_s - 1e-6);
        EXPECT_LE(place.second, w.chargers[static_cast<std::size_t>(place.first)].channels);
    }
    for (auto& steps : of) {
        std::ranges::sort(steps, {}, &QueueStep::start_s);
        std::vector<std::string> kinds;
        double last = 0;
        for (const QueueStep* s : steps) {
            if (s->what == "rest") continue;
            if (last > 0) {
                EXPECT_GE(s->start_s, last + 60 * w.rest_min - 1e-6);
            }
            last = s->end_s;
            kinds.push_back(s->what);
        }
        ASSERT_EQ(kinds.size(), static_cast<std::size_t>(2 * w.cycles));
        for (std::size_t k = 0; k < kinds.size(); ++k)
            EXPECT_EQ(kinds[k], (k % 2 == 0) != w.dischargeFirst ? "charge" : "discharge");
    }
    EXPECT_GE(p.makespan_h(), p.lowerBound_h - 1e-6);
}

TEST(Queues, TwentyEightModulesOfTwentyHoursOnThreeChannels) {
    // Arithmetic: 28 · 20 h / 3 = 186.7 h at the least; ten whole modules on one channel are 200 h.
    QueueWish w = modules(28, 10, 3, 1);
    w.rest_min = 0;
    for (QueueModule& m : w.modules) m.charge_A = 1, m.discharge_A = 1;
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan) << plan.error().text();
    check(w, *plan);
    EXPECT_NEAR(plan->lowerBound_h, 560.0 / 3, 1e-6);
    EXPECT_LE(plan->makespan_h(), 200 + 1e-6);
}

TEST(Queues, SmallOnesAreAsGoodAsExhaustiveSearch) {
    for (unsigned seed = 1; seed <= 6; ++seed) {
        QueueWish w = modules(4, 2, 2, 1);
        w.rest_min = 0;
        w.seed = seed;
        for (std::size_t k = 0; k < 4; ++k)
            w.modules[k].rated_Ah = 1 + 0.7 * ((seed * 7 + k * 5) % 6);
        for (std::size_t k = 0; k < 4; ++k) {
            w.modules[k].charge_A = 1;
            w.modules[k].discharge_A = 1;
        }
        const auto plan = planQueue(w);
        ASSERT_TRUE(plan);
        check(w, *plan);
        // All orders of the eight steps that keep each module's two in turn, each begun as early as
        // it can be on the channel that is free first (active schedules hold an optimum).
        std::vector<std::size_t> order{0, 0, 1, 1, 2, 2, 3, 3};
        double best = 1e18;
        do {
            double free[2] = {0, 0};
            double ready[4] = {0, 0, 0, 0};
            double end = 0;
            for (const std::size_t m : order) {
                const int c = free[0] <= free[1] ? 0 : 1;
                const double start = std::max(free[c], ready[m]);
                free[c] = ready[m] = start + w.modules[m].rated_Ah * 3600;
                end = std::max(end, ready[m]);
            }
            best = std::min(best, end);
        } while (std::ranges::next_permutation(order).found);
        EXPECT_LE(plan->makespan_h() * 3600, 1.02 * best) << seed;
    }
}

TEST(Queues, LargeOnesAreNearTheBoundAndWithinTheRules) {
    QueueWish w = modules(60, 6, 4, 2);
    w.cycles = 3;
    for (std::size_t k = 0; k < 60; ++k) w.modules[k].rated_Ah = 5 + static_cast<double>(k % 4);
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan);
    check(w, *plan);
    EXPECT_LE(plan->makespan_h(), 1.05 * plan->lowerBound_h);
    w.present = {7 * 60, 22 * 60 + 30};
    const auto day = planQueue(w);
    ASSERT_TRUE(day);
    check(w, *day);
    EXPECT_GT(day->makespan_h(), plan->makespan_h());
    EXPECT_GT(day->visits, 0);
}

QueueWish bench(int modules, int chargers) {
    QueueWish w;
    for (int k = 0; k < modules; ++k) {
        QueueModule m;
        m.name = "module " + std::to_string(k + 1);
        m.chemistry = "nimh";
        m.series = 6;
        m.rated_Ah = 6;
        m.charge_A = 3;
        m.discharge_A = 3;
        w.modules.push_back(m);
    }
    for (int k = 0; k < chargers; ++k) {
        ChargerCard c;
        c.name = "charger " + std::to_string(k + 1);
        w.chargers.push_back(c);
    }
    w.rest_min = 0;
    w.start_s = 1'800'000'000;
    return w;
}

/// No channel holds two at once, no module is in two places, chains keep their order.
void expectSound(const QueuePlan& plan) {
    for (std::size_t a = 0; a < plan.steps.size(); ++a)
        for (std::size_t b = 0; b < plan.steps.size(); ++b) {
            const QueueStep& s = plan.steps[a];
            const QueueStep& t = plan.steps[b];
            if (a == b || s.what == "rest" || t.what == "rest") continue;
            const bool together = s.start_s < t.end_s - 1 && t.start_s < s.end_s - 1;
            EXPECT_FALSE(together && s.module == t.module);
            EXPECT_FALSE(together && s.charger == t.charger && s.channel == t.channel)
                << s.module << " " << t.module;
            if (s.module == t.module && s.link < t.link) {
                EXPECT_LE(s.end_s, t.start_s + 1);
            }
        }
}

TEST(Queues, ARealEndPlansTheRestAnew) {
    QueueWish w = bench(3, 1);  // six steps of two hours on one channel
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan);
    EXPECT_NEAR(plan->makespan_h(), 12, 0.01);
    // The first step took three hours instead of two.
    stepEnded(w, *plan, 0, w.start_s + 3 * 3600);
    const auto later = planQueue(w);
    ASSERT_TRUE(later);
    expectSound(*later);
    EXPECT_NEAR(later->makespan_h(), 13, 0.01);
    EXPECT_NEAR(later->lowerBound_h, 13, 0.01);
    EXPECT_TRUE(later->steps[0].done);
    EXPECT_NEAR(later->steps[0].end_s - later->steps[0].start_s, 3 * 3600, 1);
    for (std::size_t k = 1; k < later->steps.size(); ++k)
        EXPECT_GE(later->steps[k].start_s, w.start_s + 3 * 3600 - 1);
    // Retired modules get nothing more.
    w.retired = {1, 2};
    const auto alone = planQueue(w);
    ASSERT_TRUE(alone);
    for (const QueueStep& s : alone->steps) EXPECT_TRUE(s.module == 0 || s.done);
    w.retired = {0, 1, 2};
    EXPECT_TRUE(planQueue(w)) << "nothing left is a plan too";
}

TEST(Queues, AStepThatIsMovedStaysAndTheRestFollows) {
    QueueWish w = bench(4, 2);
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan);
    for (int channel = 0; channel < 2; ++channel)
        for (std::size_t module = 0; module < 4; ++module)
            for (std::size_t link = 0; link < 2; ++link)
                for (const double hours : {0.0, 1.5, 5.0, 11.0}) {
                    QueueWish moved = w;
                    moved.pins = {{module, link, channel, 1, w.start_s + hours * 3600}};
                    const auto after = planQueue(moved);
                    ASSERT_TRUE(after) << after.error().text();
                    expectSound(*after);
                    for (const QueueStep& s : after->steps)
                        if (s.module == module && s.link == link && s.what != "rest") {
                            EXPECT_EQ(s.charger, channel);
                            EXPECT_GE(s.start_s, w.start_s + hours * 3600 - 1);
                        }
                }
    QueueWish wrong = w;
    wrong.pins = {{9, 0, 0, 1, w.start_s}};
    EXPECT_FALSE(planQueue(wrong));
    wrong.pins = {{0, 0, 7, 1, w.start_s}};
    EXPECT_FALSE(planQueue(wrong));
    wrong.pins.clear();
    wrong.done = {{0, 0, 1, 5, 1}};
    EXPECT_FALSE(planQueue(wrong));
}

TEST(Queues, AreKeptAndFollowTheLogs) {
    QueueWish w = bench(2, 1);
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan);
    w.pins = {{1, 1, 0, 1, w.start_s + 9 * 3600}};
    stepEnded(w, *plan, 0, w.start_s + 7000);
    w.retired = {1};
    const auto back = keptQueueIn(keptQueueText(w));
    ASSERT_TRUE(back);
    EXPECT_EQ(keptQueueText(*back), keptQueueText(w));
    EXPECT_EQ(back->done.size(), w.done.size());
    for (const char* bad : {"", "{}", "[]", R"({"schema": "narrow-knee/queue-kept/1"})",
                            R"({"schema": "narrow-knee/queue-kept/1", "modules": [{}]})"})
        EXPECT_FALSE(keptQueueIn(bad)) << bad;

    // A log of the first module that charges for 2.2 h from the queue's start.
    QueueWish fresh = bench(2, 1);
    const auto first = planQueue(fresh);
    ASSERT_TRUE(first);
    const std::string name = fresh.modules[first->steps[0].module].name;
    BatteryEntry battery;
    battery.id = 7;
    battery.battery.name = name;
    RecordingEntry log;
    log.batteryId = 7;
    log.startEpoch_s = fresh.start_s + 60;
    log.duration_s = 2.2 * 3600;
    log.summary.moved_Ah = 6;
    EXPECT_EQ(takeLogs(fresh, *first, {battery}, {log}, 0), 1);
    const auto after = planQueue(fresh);
    ASSERT_TRUE(after);
    EXPECT_NEAR(after->steps[0].end_s, fresh.start_s + 60 + 2.2 * 3600, 1);
    EXPECT_TRUE(after->steps[0].done);
    EXPECT_EQ(takeLogs(fresh, *after, {battery}, {log}, 0), 0) << "once";
}

TEST(Queues, WhatNobodyCanDoIsNamed) {
    QueueWish w = modules(2, 6, 1, 1);
    w.modules[1].series = 20;
    w.chargers[0].cellsMax = 15;
    const auto cannot = planQueue(w);
    ASSERT_FALSE(cannot);
    EXPECT_NE(cannot.error().text().find("m1"), std::string::npos);
    w = modules(1, 6, 1, 1);
    w.modules[0].charge_A = 0.3;
    w.present = {8 * 60, 12 * 60};
    const auto slow = planQueue(w);
    ASSERT_FALSE(slow);
    EXPECT_NE(slow.error().text().find("unattended"), std::string::npos);
    w.unattendedCharging = true;
    EXPECT_TRUE(planQueue(w));
    EXPECT_FALSE(planQueue(modules(0, 6, 1, 1)));
    EXPECT_FALSE(planQueue(modules(1, 6, 0, 1)));
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

TEST(Queues, TheCalendarHoldsEveryStep) {
    const QueueWish w = modules(3, 2, 1, 1);
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan);
    const std::string text = queueCalendar(*plan, w, 1e9);
    std::size_t events = 0;
    for (auto at = text.find("BEGIN:VEVENT"); at != std::string::npos;
         at = text.find("BEGIN:VEVENT", at + 1))
        ++events;
    EXPECT_EQ(events, 6U);
    EXPECT_NE(text.find("DTSTART:20260501T080000\r\n"), std::string::npos) << text.substr(0, 400);
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
