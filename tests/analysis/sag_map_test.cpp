// The sag map against a battery in closed form: V(q, I) = E0 − k q − R I, which its model must
// return, and whose floor lies at I = (E0 − k q − floor)/R.
#include <gtest/gtest.h>

#include <cmath>

#include "analysis/rating/sag_map.h"

namespace nk {
namespace {

constexpr double kE0 = 4.15, kSlope = 0.25, kR = 0.05, kFloor = 3.0, kCells = 2;

DischargeCurve discharge(double amps, double deepest) {
    DischargeCurve c;
    c.mean_A = amps;
    c.reachedFloor = c.startedFull = true;
    for (int k = 0; k <= 200; ++k) {
        const double q = deepest * k / 200;
        c.charge_Ah.push_back(q);
        c.voltage_V.push_back(kCells * (kE0 - kSlope * q - kR * amps));
        c.current_A.push_back(amps);
        c.time_s.push_back(3600 * q / amps);
    }
    c.delivered_Ah = deepest;
    c.duration_s = c.time_s.back();
    return c;
}

Rating rating(const std::vector<double>& rates) {
    Rating r;
    r.rated_Ah = 3;
    r.floor_V_per_cell = kFloor;
    r.resistance_ohm = kCells * kR;
    for (const double a : rates)
        r.curves.push_back(discharge(a, std::min(3.2, (kE0 - kFloor - kR * a) / kSlope)));
    r.views.emplace_back().view = "sag";
    return r;
}

TEST(SagMap, FollowsTheClosedFormBetweenAndBeyondTheMeasuredRates) {
    const SagMap map = sagMap(rating({1, 4, 10}), kCells);
    EXPECT_NEAR(map.deepest_Ah, 3.2, 1e-9);
    EXPECT_NEAR(map.most_A, 13, 1e-9) << "three tenths beyond the highest rate";
    int asked = 0;
    for (int x = 0; x < SagMap::kColumns; ++x)
        for (int y = 1; y < SagMap::kRows; ++y) {
            const double q = map.charge_Ah(x);
            const double i = map.current_A(y);
            // Where all three rates reach.
            if (q > (kE0 - kFloor - kR * 10) / kSlope - 0.02) continue;
            ++asked;
            EXPECT_NEAR(map.at(x, y), kE0 - kSlope * q - kR * i, 2e-4) << q << " Ah, " << i << " A";
            EXPECT_EQ(map.measuredAt(x, y), i >= 1 && i <= 10) << i;
        }
    EXPECT_GT(asked, 3000);
    EXPECT_LE(map.lowest_V, map.highest_V);
}

TEST(SagMap, TheEdgeIsWhereTheFloorIsReached) {
    const SagMap map = sagMap(rating({1, 4, 10}), kCells);
    ASSERT_GT(map.edge_Ah.size(), 20U);
    for (std::size_t k = 0; k < map.edge_Ah.size(); ++k) {
        const double true_A = (kE0 - kSlope * map.edge_Ah[k] - kFloor) / kR;
        EXPECT_NEAR(map.edge_A[k], true_A, 0.02 * true_A + 0.02) << map.edge_Ah[k];
        if (k > 0) {
            EXPECT_LE(map.edge_A[k], map.edge_A[k - 1]) << "the deeper, the less it bears";
        }
    }
}

TEST(SagMap, OneRateIsCarriedOnByTheResistance) {
    const SagMap map = sagMap(rating({2}), kCells);
    for (int x = 0; x < SagMap::kColumns - 2; x += 7)
        for (int y = 1; y < SagMap::kRows; y += 5) {
            EXPECT_NEAR(map.at(x, y), kE0 - kSlope * map.charge_Ah(x) - kR * map.current_A(y),
                        2e-4);
            EXPECT_FALSE(map.measuredAt(x, y) && std::abs(map.current_A(y) - 2) > 0.05);
        }
}

TEST(SagMap, ReachesToWhatSagAllowsAndIsEmptyWithoutDischarges) {
    Rating r = rating({1, 4});
    r.views[0].current_A = 30;
    EXPECT_NEAR(sagMap(r, kCells).most_A, 1.15 * 30, 1e-9);
    EXPECT_EQ(sagMap(Rating{}, kCells).deepest_Ah, 0);
    EXPECT_EQ(sagMap(r, 0).deepest_Ah, 0) << "no cells, no volts a cell";
    // Without a resistance a single rate says nothing away from itself, and no figure is made up.
    Rating one = rating({2});
    one.resistance_ohm = std::nan("");
    const SagMap blank = sagMap(one, kCells);
    for (int y = 0; y < SagMap::kRows; ++y)
        if (std::abs(blank.current_A(y) - 2) > 0.1) {
            EXPECT_TRUE(std::isnan(blank.at(30, y)));
        }
}

}  // namespace
}  // namespace nk
