// The staircase of a reconditioning against runs whose truth is known: settled value and next gain
// lie in their intervals as often as they say, the probability is a fair bet.
#include "history/staircase.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

using namespace nk;

namespace {

struct Discharges {
    std::vector<HistoryPoint> points;
    std::vector<const HistoryPoint*> whole() const {
        std::vector<const HistoryPoint*> out;
        for (const HistoryPoint& p : points) out.push_back(&p);
        return out;
    }
    void add(double Ah, double day, const std::string& group = "c") {
        HistoryPoint p;
        p.reading.value = Ah;
        p.reading.low = Ah * 0.99;
        p.reading.high = Ah * 1.01;
        p.reading.recordingId = static_cast<std::int64_t>(points.size()) + 1;
        p.at_s = 1e9 + day * 86400;
        p.comparable = group;
        p.title = "day " + std::to_string(static_cast<int>(day));
        points.push_back(p);
    }
};

TEST(Staircases, FourGrowingDischargesOfOneDaySettle) {
    Discharges run;
    const double first = 1.20, gain = 0.20, shrink = 0.5, rated = 2.0;
    for (int k = 0; k < 4; ++k)
        run.add(first + gain * (1 - std::pow(shrink, k)) / (1 - shrink), 0.3 * k);
    const auto s = staircaseOf(run.whole(), rated);
    ASSERT_TRUE(s);
    EXPECT_EQ(s->stairs.size(), 4U);
    EXPECT_NEAR(s->settles_Ah, first + gain / (1 - shrink), 0.02);
    EXPECT_NEAR(s->next_Ah, gain * std::pow(shrink, 3), 0.012);
    EXPECT_LT(s->nextLow_Ah, 0.025);
    EXPECT_GT(s->nextHigh_Ah, 0.025);
    EXPECT_LT(s->probability, 0.25) << "0.025 Ah are less than 2 % of 2 Ah";
    EXPECT_FALSE(s->worthAnother);
}

TEST(Staircases, GainsThatDoNotShrinkAskForAnother) {
    Discharges run;
    for (int k = 0; k < 3; ++k) run.add(1.0 + 0.12 * k, k);
    const auto s = staircaseOf(run.whole(), 2.0);
    ASSERT_TRUE(s);
    EXPECT_GT(s->probability, 0.95);
    EXPECT_TRUE(s->worthAnother);
    for (HistoryPoint& p : run.points) p.reading.value += 0.5;
    for (HistoryPoint& p : run.points) p.reading.low = p.reading.value - 0.01;
    const auto reached = staircaseOf(run.whole(), 2.0);
    EXPECT_TRUE(reached->targetReached);
    EXPECT_FALSE(reached->worthAnother) << "the target is reached";
}

TEST(Staircases, AnUnseenLoadIsNoStairAndIsNamed) {
    Discharges run;
    run.add(1.2, 0);
    run.add(1.4, 1);
    run.add(0.9, 2);
    run.add(1.5, 3);
    const auto s = staircaseOf(run.whole(), 2.0);
    ASSERT_TRUE(s);
    EXPECT_EQ(s->stairs.size(), 3U);
    ASSERT_EQ(s->aside.size(), 1U);
    EXPECT_NE(s->aside[0].find("day 2"), std::string::npos);
}

TEST(Staircases, OnlyComparableDischargesOfOneRun) {
    Discharges run;
    run.add(1.9, -400);  // long ago
    run.add(1.2, 0);
    run.add(0.7, 1, "fast");
    run.add(1.3, 2);
    const auto s = staircaseOf(run.whole(), 2.0);
    ASSERT_TRUE(s);
    EXPECT_EQ(s->stairs.size(), 2U);
    EXPECT_FALSE(staircaseOf(run.whole(), 0)) << "no rating";
    EXPECT_FALSE(staircaseOf({}, 2));
    run.add(1.4, 3, "");
    EXPECT_FALSE(staircaseOf(run.whole(), 2)) << "the last one is comparable with none";
    Discharges one;
    one.add(1, 0);
    EXPECT_FALSE(staircaseOf(one.whole(), 2));
}

TEST(Staircases, IntervalsHoldAndTheProbabilityIsAFairBet) {
    std::mt19937 random(7);  // NOLINT: the same runs every time
    std::uniform_real_distribution<double> shrinks(0.1, 0.9), gains(0, 0.12), length(2, 9);
    std::normal_distribution<double> noise(0, 0.004);
    int held = 0, settled = 0, runs = 0, bets = 0, won = 0;
    double promised = 0;
    for (int i = 0; i < 400; ++i) {
        const double shrink = shrinks(random), gain = gains(random);
        const int n = static_cast<int>(length(random));
        Discharges run;
        for (int k = 0; k < n; ++k)
            run.add(0.5 + gain * (1 - std::pow(shrink, k)) / (1 - shrink) + noise(random), k);
        const auto s = staircaseOf(run.whole(), 1);
        ASSERT_TRUE(s);
        if (!s->aside.empty()) continue;  // noise took a stair away: the count of cycles is another
        ++runs;
        const double next = gain * std::pow(shrink, n - 1), end = 0.5 + gain / (1 - shrink);
        held += s->nextLow_Ah <= next && next <= s->nextHigh_Ah ? 1 : 0;
        settled += s->settlesLow_Ah <= end && end <= s->settlesHigh_Ah ? 1 : 0;
        ++bets;
        promised += s->probability;
        won += next > 0.02 ? 1 : 0;
    }
    EXPECT_GE(held, 0.92 * runs) << runs;
    EXPECT_GE(settled, 0.90 * runs) << runs;
    EXPECT_NEAR(promised / bets, static_cast<double>(won) / bets, 0.06);
}

}  // namespace
