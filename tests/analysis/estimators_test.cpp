// Estimates at moments that lie between rows: what they mean, on curves whose answer is known in
// closed form.
#include <gtest/gtest.h>

#include <cmath>

#include "analysis/finish/stop_moment.h"
#include "quantity/uncertainty.h"

namespace nk {
namespace {

RecordingPtr recording(std::vector<double> t, std::vector<double> i) {
    RecordingData d;
    d.voltage_V.assign(t.size(), 4.2);
    d.time_s = std::move(t);
    d.current_A = std::move(i);
    return Recording::make(std::move(d));
}

TEST(StopMoment, LiesBetweenTheLastRowAndTheNext) {
    std::vector<double> t;
    std::vector<double> i;
    for (int k = 0; k < 20; ++k) t.push_back(30.0 * k), i.push_back(k < 15 ? 1.0 - 0.02 * k : 0.0);
    const auto r = recording(t, i);
    Step s;
    s.first = 0, s.last = 14;
    const StopMoment stop = stopOf(*r, s);
    EXPECT_EQ(stop.last, 14u);
    EXPECT_DOUBLE_EQ(stop.at_s, 14 * 30 + 15);
    EXPECT_DOUBLE_EQ(stop.halfWidth_s, 15);
    s.last = 15;  // a row on which the charger has let go already
    EXPECT_EQ(stopOf(*r, s).last, 14u);
    s.first = 16, s.last = 19;
    EXPECT_DOUBLE_EQ(stopOf(*r, s).at_s, t.back()) << "where the log ends nothing is added";
    EXPECT_DOUBLE_EQ(stopOf(*r, s).halfWidth_s, 0);
}

TEST(ReadAt, IsExactOnItsOwnPolynomialAndKnowsItsScatter) {
    std::vector<double> t;
    std::vector<double> y;
    for (int k = 0; k < 12; ++k)
        t.push_back(5.0 * k), y.push_back(2 - 0.1 * t.back() + 0.001 * t.back() * t.back());
    const ReadAt at = readAt(t, y, 0, 11, 60, 2, 1e-9);
    EXPECT_NEAR(at.value, 2 - 6 + 3.6, 1e-9);
    EXPECT_NEAR(at.slope, -0.1 + 0.12, 1e-9);
    EXPECT_EQ(at.freedom, 9);
    EXPECT_TRUE(std::isnan(readAt(t, y, 0, 2, 60, 2, 1e-9).value))
        << "three points leave no scatter";
    // A line through n points with scatter s, read in their middle: s/sqrt(n) (any textbook of
    // regression).
    std::vector<double> flat(12, 1.0);
    EXPECT_NEAR(readAt(t, flat, 0, 11, 27.5, 1, 0.01).uncertainty, 0.01 / std::sqrt(12.0), 1e-9);
    // Residuals that follow one another say less than independent ones.
    std::vector<double> slow;
    std::vector<double> quick;
    for (int k = 0; k < 12; ++k)
        slow.push_back(k % 6 < 3 ? 0.01 : -0.01), quick.push_back(k % 2 ? 0.01 : -0.01);
    EXPECT_GT(readAt(t, slow, 0, 11, 27.5, 1, 1e-9).uncertainty,
              1.3 * readAt(t, quick, 0, 11, 27.5, 1, 1e-9).uncertainty);
}

TEST(Coverage, StudentsFactorsAndRectangles) {
    // GUM (JCGM 100:2008), table G.2, 95 %.
    for (const auto& [freedom, factor] : {std::pair{1.0, 12.71},
                                          {2.0, 4.30},
                                          {5.0, 2.57},
                                          {10.0, 2.23},
                                          {20.0, 2.09},
                                          {50.0, 2.01},
                                          {1e9, 1.96}})
        EXPECT_NEAR(studentFactor(freedom), factor, 0.02 * factor) << freedom;
    EXPECT_NEAR(coverageFactor(1, 1), 1.65, 0.01) << "one rectangle alone: 0.95 of its half-width";
    EXPECT_NEAR(coverageFactor(1, 0.8), 1.88, 0.01);
    EXPECT_NEAR(coverageFactor(1, 0.1), 1.96, 0.01);
    EXPECT_GT(coverageFactor(1, 0, 1, 2), 4) << "all of it from three points";
    EXPECT_LT(coverageFactor(1, 0, 0.3, 2), 2.1) << "a small part of it";
    EXPECT_EQ(coverageFactor(0, 0), 2);
}

}  // namespace
}  // namespace nk
