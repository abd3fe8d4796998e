// The factor of a 95 % interval against an independent library and against Monte Carlo.
#include <gsl/gsl_cdf.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <vector>

#include "quantity/uncertainty.h"

namespace nk {
namespace {

TEST(CoverageFactor, StudentsIsTheLibrarys) {
    // GNU Scientific Library, gsl_cdf_tdist_Pinv; between the rows of GUM's table G.2 too.
    for (const double freedom : {1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0, 9.0})
        EXPECT_NEAR(studentFactor(freedom), gsl_cdf_tdist_Pinv(0.975, freedom), 0.006) << freedom;
    for (const double freedom : {10.0, 12.0, 17.0, 30.0, 100.0, 1e4, 1e9})
        EXPECT_NEAR(studentFactor(freedom), gsl_cdf_tdist_Pinv(0.975, freedom), 0.012) << freedom;
    for (const double between : {1.5, 2.5, 4.5, 8.5, 9.7})
        EXPECT_GE(studentFactor(between), gsl_cdf_tdist_Pinv(0.975, between) - 0.01)
            << between << ": never narrower than it should be";
    EXPECT_EQ(studentFactor(0), studentFactor(1));
    EXPECT_EQ(studentFactor(std::nan("")), studentFactor(1));
}

TEST(CoverageFactor, HoldsNineteenOfTwentyForEveryShareOfARectangle) {
    // Propagation of distributions (JCGM 101): a rectangle and a normal part of the rest.
    std::mt19937 random(3);
    std::normal_distribution<double> normal(0, 1);
    std::uniform_real_distribution<double> flat(-std::sqrt(3.0), std::sqrt(3.0));
    constexpr int kDraws = 40000;
    for (const double share : {0.0, 0.3, 0.6, 0.72, 0.8, 0.87, 0.93, 0.97, 1.0}) {
        const double factor = coverageFactor(1, share);
        int inside = 0;
        for (int n = 0; n < kDraws; ++n)
            inside += std::abs(share * flat(random) +
                               std::sqrt(1 - share * share) * normal(random)) <= factor;
        EXPECT_GT(inside, 0.944 * kDraws) << share << " factor " << factor;
        EXPECT_LT(inside, 0.962 * kDraws) << share << " factor " << factor;
    }
}

TEST(CoverageFactor, KnowsAPartThatRestsOnFewPoints) {
    // A mean of n readings whose scatter is taken from themselves: Student's case, exactly.
    std::mt19937 random(4);
    std::normal_distribution<double> normal(0, 1);
    for (const int n : {3, 5, 9}) {
        int inside = 0;
        constexpr int kDraws = 20000;
        for (int draw = 0; draw < kDraws; ++draw) {
            double sum = 0;
            double squares = 0;
            for (int k = 0; k < n; ++k) {
                const double x = normal(random);
                sum += x, squares += x * x;
            }
            const double mean = sum / n;
            const double u = std::sqrt((squares - n * mean * mean) / (n - 1) / n);
            inside += std::abs(mean) <= u * coverageFactor(u, 0, u, n - 1);
        }
        EXPECT_GT(inside, 0.943 * kDraws) << n;
        EXPECT_LT(inside, 0.957 * kDraws) << n;
    }
    EXPECT_EQ(coverageFactor(1, 0, 0.1, 1), coverageFactor(1, 0)) << "a small part rules nothing";
    EXPECT_EQ(coverageFactor(0, 0), 2);
    EXPECT_EQ(coverageFactor(std::nan(""), 0), 2);
}

}  // namespace
}  // namespace nk
