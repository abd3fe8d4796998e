// The falling exponential that many fits share, against the C library one moment at a time.
#include "analysis/decay.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace nk {
namespace {

std::vector<double> moments(std::size_t n, bool even, unsigned seed) {
    std::mt19937 random(seed);
    std::vector<double> out;
    double t = static_cast<double>(seed % 7);
    for (std::size_t k = 0; k < n; ++k) {
        out.push_back(t);
        t += even ? 2.5 : 0.1 + static_cast<double>(random() % 100) / 10;
    }
    return out;
}

TEST(Decays, AreTheCLibrarysWhateverTheMomentsAndTimes) {
    for (const bool even : {true, false})
        for (const std::size_t n : {0UL, 1UL, 2UL, 3UL, 4UL, 5UL, 7UL, 8UL, 80UL, 101UL})
            for (const double tau : {0.5, 3.0, 47.0, 900.0, 1e6}) {
                const auto x = moments(n, even, static_cast<unsigned>(n) + 3);
                Decay decay(x);
                const auto& e = decay.at(tau);
                ASSERT_EQ(e.size(), n);
                for (std::size_t k = 0; k < n; ++k) {
                    const double truth = std::exp(-x[k] / tau);
                    // Products of up to a hundred ratios: some parts in 10¹³, nothing where the
                    // number itself is nothing.
                    ASSERT_NEAR(e[k], truth, 1e-12 * truth + 1e-300) << n << " " << tau << " " << k;
                }
            }
}

TEST(Decays, SumsAndMisfitsAreThoseOfAPlainLoop) {
    std::mt19937 random(8);
    for (const bool even : {true, false})
        for (const std::size_t n : {1UL, 2UL, 6UL, 33UL, 80UL}) {
            const auto x = moments(n, even, static_cast<unsigned>(n));
            std::vector<double> y;
            for (std::size_t k = 0; k < n; ++k)
                y.push_back(static_cast<double>(random() % 1000) / 100);
            Decay decay(x);
            const std::vector<double> e = decay.at(60);
            double se = 0, see = 0, sey = 0, misfit = 0;
            for (std::size_t k = 0; k < n; ++k) {
                se += e[k], see += e[k] * e[k], sey += e[k] * y[k];
                misfit += std::pow(y[k] - 1.5 - 2.5 * e[k], 2);
            }
            const auto sums = decay.sums(y);
            EXPECT_NEAR(sums.e, se, 1e-12 * se + 1e-15);
            EXPECT_NEAR(sums.ee, see, 1e-12 * see + 1e-15);
            EXPECT_NEAR(sums.ey, sey, 1e-12 * std::abs(sey) + 1e-15);
            EXPECT_NEAR(decay.misfit(y, 1.5, 2.5), misfit, 1e-11 * misfit + 1e-15);
        }
}

TEST(Decays, ATimeAfterAnotherLeavesNoTrace) {
    const auto x = moments(50, true, 2);
    Decay decay(x);
    const std::vector<double> first = decay.at(30);
    decay.at(3000);
    EXPECT_EQ(decay.at(30), first);
}

}  // namespace
}  // namespace nk
