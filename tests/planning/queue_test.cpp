// Queues against exhaustive search and the bound, kept and followed, and what nobody can do.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <numeric>

#include "history/kept_queue.h"
#include "history/plan_files.h"
#include "quantity/iso_time.h"
#include "quantity/reading.h"
#include "report/plan_json.h"

using namespace nk;

namespace {

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
    // Arithmetic: a charge of 10 Ah at 1 A (0.1C of nickel) takes 16 h, a discharge 10 h:
    // 28 · 26 h / 3 = 242.7 h at the least; ten whole modules on one channel are 260 h.
    QueueWish w = modules(28, 10, 3, 1);
    w.rest_min = 0;
    for (QueueModule& m : w.modules) m.charge_A = 1, m.discharge_A = 1;
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan) << plan.error().text();
    check(w, *plan);
    EXPECT_NEAR(plan->lowerBound_h, 728.0 / 3, 1e-6);
    EXPECT_LE(plan->makespan_h(), 260 + 1e-6);
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
            bool charged[4] = {false, false, false, false};
            for (const std::size_t m : order) {
                const int c = free[0] <= free[1] ? 0 : 1;
                const double start = std::max(free[c], ready[m]);
                // A charge is planned to its latest end, 120 % of the capacity.
                const double takes = charged[m] ? 1.0 : 1.2;
                charged[m] = true;
                free[c] = ready[m] = start + takes * w.modules[m].rated_Ah * 3600;
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
    QueueWish w = bench(3, 1);  // charges of 2.4 h (120 %) and discharges of 2 h on one channel
    const auto plan = planQueue(w);
    ASSERT_TRUE(plan);
    EXPECT_NEAR(plan->makespan_h(), 13.2, 0.01);
    // The first step took three hours instead of 2.4.
    stepEnded(w, *plan, 0, w.start_s + 3 * 3600);
    const auto later = planQueue(w);
    ASSERT_TRUE(later);
    expectSound(*later);
    EXPECT_NEAR(later->makespan_h(), 13.8, 0.01);
    EXPECT_NEAR(later->lowerBound_h, 13.8, 0.01);
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

}  // namespace
