// Rainflow counting against the worked example of ASTM E1049-85, section 5.4.4 and figure 6 (values
// from memory), and what must hold of any history.
#include "ageing/rainflow.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <map>
#include <random>

using namespace nk;
using testing::ElementsAre;
using testing::IsEmpty;

namespace {

std::map<double, double> byRange(const std::vector<double>& history) {
    std::map<double, double> out;
    for (const CountedCycle& c : rainflow(history)) out[c.range] += c.count;
    return out;
}

TEST(Rainflow, TheStandardsExampleIsCountedAsInTheStandard) {
    // A to I: −2, 1, −3, 5, −1, 3, −4, 4, −2.
    const auto counts = byRange({-2, 1, -3, 5, -1, 3, -4, 4, -2});
    EXPECT_THAT(counts,
                ElementsAre(testing::Pair(3, 0.5), testing::Pair(4, 1.5), testing::Pair(6, 0.5),
                            testing::Pair(8, 1.0), testing::Pair(9, 0.5)));
    // Its means: the one whole cycle is E–F, −1 to 3.
    for (const CountedCycle& c : rainflow(std::vector<double>{-2, 1, -3, 5, -1, 3, -4, 4, -2}))
        if (c.count == 1) {
            EXPECT_EQ(c.mean, 1);
        }
}

TEST(Rainflow, HalfWayDownAndBackIsHalfACycle) {
    const auto cycles = rainflow(std::vector<double>{1, 0.5, 1});
    EXPECT_NEAR(equivalentFullCycles(cycles, 1), 0.5, 1e-12);
    EXPECT_NEAR(equivalentFullCycles(rainflow(std::vector<double>{100, 0, 100, 0, 100}), 100), 2,
                1e-12);
}

TEST(Rainflow, LimitsAndOddHistories) {
    EXPECT_THAT(rainflow(std::vector<double>{}), IsEmpty());
    EXPECT_THAT(rainflow(std::vector<double>{1}), IsEmpty());
    EXPECT_THAT(rainflow(std::vector<double>{1, 1, 1}), IsEmpty());
    const double nan = std::numeric_limits<double>::quiet_NaN();
    EXPECT_THAT(reversals(std::vector<double>{1, 2, nan, 3, 3, 2, 2, 5}), ElementsAre(1, 3, 2, 5));
    EXPECT_THAT(byRange({0, 1}), ElementsAre(testing::Pair(1, 0.5)));
}

TEST(Rainflow, WhatMustHoldOfAnyHistory) {
    std::mt19937 draw(6);
    for (int round = 0; round < 200; ++round) {
        std::vector<double> h;
        const int n = 2 + static_cast<int>(draw() % 200);
        for (int k = 0; k < n; ++k) h.push_back(static_cast<double>(draw() % 1000) / 1000);
        const auto cycles = rainflow(h);
        // All the way that was gone is in the count, once.
        double way = 0;
        for (int k = 1; k < n; ++k)
            way += std::abs(h[static_cast<std::size_t>(k)] - h[static_cast<std::size_t>(k) - 1]);
        EXPECT_NEAR(equivalentFullCycles(cycles, 1), 0.5 * way, 1e-9);
        // The largest range is the history's own, and nothing depends on points between reversals.
        double largest = 0;
        for (const CountedCycle& c : cycles) largest = std::max(largest, c.range);
        EXPECT_NEAR(largest, *std::ranges::max_element(h) - *std::ranges::min_element(h), 1e-12);
        std::vector<double> finer;
        for (int k = 0; k + 1 < n; ++k) {
            finer.push_back(h[static_cast<std::size_t>(k)]);
            finer.push_back(0.5 *
                            (h[static_cast<std::size_t>(k)] + h[static_cast<std::size_t>(k) + 1]));
        }
        finer.push_back(h.back());
        EXPECT_EQ(rainflow(finer).size(), cycles.size());
    }
}

}  // namespace
