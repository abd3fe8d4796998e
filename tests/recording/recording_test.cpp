#include <gsl/gsl_integration.h>
#include <gtest/gtest.h>

#include <numeric>
#include <random>

#include "quantity/spread_index.h"
#include "recording/integral.h"
#include "recording/pyramid.h"
#include "recording/sample_axis.h"
#include "recording/smoothing.h"
#include "tests/support/sim.h"

using namespace nk;

TEST(Pyramid, AgreesWithLookingAtEverySample) {
    std::mt19937 random(7);
    std::vector<double> column(10007);
    for (double& x : column) x = static_cast<double>(random() % 100000) / 7;
    column[500] = kNaN;
    const Pyramid pyramid(column);
    for (int n = 0; n < 500; ++n) {
        std::size_t a = random() % column.size();
        std::size_t b = random() % (column.size() + 1);
        if (a > b) std::swap(a, b);
        double low = INFINITY;
        double high = -INFINITY;
        for (std::size_t i = a; i < b; ++i)
            if (std::isfinite(column[i]))
                low = std::min(low, column[i]), high = std::max(high, column[i]);
        const MinMax m = pyramid.range(a, b);
        if (low > high) {
            EXPECT_TRUE(std::isnan(m.low));
        } else {
            EXPECT_EQ(m.low, low);
            EXPECT_EQ(m.high, high);
        }
    }
    EXPECT_TRUE(std::isnan(Pyramid().range(0, 5).low));
}

TEST(SampleAxis, LowerBoundIsTheSameFromAnyGuess) {
    std::mt19937_64 random(5);
    std::vector<double> t;
    double now = 0;
    for (int k = 0; k < 3000; ++k) {
        // Steps of very different length, and times that repeat.
        if (random() % 4 != 0) now += random() % 50 == 0 ? 500.0 : 1.0;
        t.push_back(now);
    }
    const auto r =
        test::recording(t, std::vector<double>(t.size(), 3.7), std::vector<double>(t.size(), 1.0));
    for (int n = 0; n < 5000; ++n) {
        const double at = static_cast<double>(random() % static_cast<std::size_t>(now + 20)) - 10;
        const auto expected =
            static_cast<std::size_t>(std::lower_bound(t.begin(), t.end(), at) - t.begin());
        ASSERT_EQ(lowerBoundNear(t, at, random() % (t.size() + 100)), expected) << at;
    }
}

TEST(SampleAxis, ByTimeItIsTimeItself) {
    const auto r = test::recording({0, 1, 5}, {3, 3, 3}, {1, 1, 1});
    const auto axis = SampleAxis::make(r, AxisKind::Time);
    for (const double t : {0.0, 0.5, 4.2}) {
        EXPECT_EQ(axis->at(t), t);
        EXPECT_EQ(axis->timeAt(t), t);
    }
    EXPECT_EQ(axis->high(), 5);
}

TEST(SampleAxis, ByChargeBothDirectionsCountAndARestHasNoWidth) {
    // 2 A for 1 h, rest for 1 h, −1 A for 1 h: 2 Ah in, 1 Ah out.
    std::vector<double> t, v, i;
    for (int k = 0; k <= 10800; k += 10) {
        t.push_back(k), v.push_back(3.7);
        i.push_back(k <= 3600 ? 2 : k <= 7200 ? 0 : -1);
    }
    const auto axis = SampleAxis::make(test::recording(t, v, i), AxisKind::Charge);
    EXPECT_NEAR(axis->high(), 3.0, 0.01);
    EXPECT_NEAR(axis->at(1800), 1.0, 1e-9);
    EXPECT_NEAR(axis->at(1805), axis->at(1800) + 2 * 5 / 3600.0, 1e-9) << "between samples";
    EXPECT_NEAR(axis->at(5000), axis->at(7000), 1e-12) << "nothing moves in a rest";
    EXPECT_NEAR(axis->timeAt(1.0), 1800, 1e-6);
    EXPECT_LT(axis->timeAt(axis->at(7000)), 3625) << "the earliest time of a place";
    for (double place = 0; place < 3; place += 0.07)
        EXPECT_NEAR(axis->at(axis->timeAt(place)), place, 1e-9);
    EXPECT_EQ(axis->timeAt(-1), 0) << "outside: the ends";
    EXPECT_EQ(axis->timeAt(99), 10800);
}

TEST(Pyramid, AlignedRangesAskForNoSample) {
    EXPECT_EQ(Pyramid::alignment(0), 1u);
    EXPECT_EQ(Pyramid::alignment(100), 1u);
    for (const std::size_t samples : {512u, 4000u, 8333u, 100'000u}) {
        const std::size_t block = Pyramid::alignment(samples);
        EXPECT_GT(block, 1u);
        EXPECT_GE(samples, 8 * block) << "never more than an eighth of what is asked";
        EXPECT_LT(samples, 64 * block) << "and not smaller than need be";
    }
}

TEST(Smoothing, SlopeOfALineIsExactAndItsLagIsStated) {
    std::vector<double> t(2000), y(2000);
    for (std::size_t i = 0; i < t.size(); ++i)
        t[i] = 0.5 * static_cast<double>(i), y[i] = 3 + 0.02 * t[i];
    const Smoothed slope = trailingSlope(t, y, 60);
    EXPECT_TRUE(std::isnan(slope.value[10]));
    EXPECT_NEAR(slope.value[1500], 0.02, 1e-9);
    EXPECT_EQ(slope.lag_s, 30);
    const Smoothed mean = trailingMean(t, y, 60);
    EXPECT_NEAR(mean.value[1500], y[1500] - 0.02 * (mean.lag_s - 0.25), 1e-6)
        << "a trailing mean is late by its lag";
    EXPECT_NEAR(centredMean(t, y, 60)[1000], y[1000], 1e-9);
}

TEST(Smoothing, AMeanAtAFewSamplesIsTheMeanAtAll) {
    std::mt19937 random(4);
    std::uniform_real_distribution<double> step(0.01, 2.5);
    std::normal_distribution<double> noise(0, 0.2);
    // Few and many samples in a window, few and many places, holes among the values.
    for (const std::size_t stride : {1, 3, 40, 400})
        for (const double window : {0.5, 20.0, 700.0}) {
            std::vector<double> t, y;
            std::vector<std::size_t> at;
            double now = 0;
            for (std::size_t k = 0; k < 4000; ++k) {
                // Every other log has most of its rows in a blink.
                const bool blink = stride % 2 == 0 && k % 1000 > 50;
                t.push_back(now += blink ? 1e-4 : step(random));
                y.push_back(k % 11 == 5 ? double{NAN} : 3.7 + noise(random));
            }
            for (std::size_t k = 0; k < t.size(); k += stride)
                if (std::isfinite(y[k])) at.push_back(k);
            const auto all = centredMean(t, y, window);
            const auto few = centredMeanAt(t, y, window, at);
            ASSERT_EQ(few.size(), at.size());
            for (std::size_t k = 0; k < at.size(); ++k)
                EXPECT_NEAR(few[k], all[at[k]], 1e-10) << stride << " " << window;
        }
    EXPECT_TRUE(centredMeanAt({}, {}, 5, {}).empty());
}

TEST(SpreadIndex, EveryPhaseOfWhatRepeatsItselfIsSeen) {
    for (const std::size_t count : {1, 2, 3, 5, 7, 50, 250}) {
        std::vector<int> seen(count);
        for (std::size_t k = 0; k < 20 * count; ++k) {
            ASSERT_LT(spreadIndex(k, count), count);
            ++seen[spreadIndex(k, count)];
        }
        for (const int n : seen) EXPECT_NEAR(n, 20, 4) << count;
    }
}

TEST(Quality, FindsResolutionAndNoise) {
    std::mt19937 random(3);
    std::normal_distribution<double> noise(0, 0.004);
    std::vector<double> fine(20000), coarse(20000);
    for (std::size_t i = 0; i < fine.size(); ++i) {
        const double x = 3.7 + 1e-5 * static_cast<double>(i);
        fine[i] = x + noise(random);
        coarse[i] = std::round(x / 0.01) * 0.01;
    }
    EXPECT_NEAR(estimateQuality(fine, 0).noise, 0.004, 0.0003);
    EXPECT_NEAR(estimateQuality(coarse, 0.001).resolution, 0.01, 1e-6)
        << "the real step, not the written decimals";
    EXPECT_LT(estimateQuality(coarse, 0.001).noise, 0.001);
    EXPECT_EQ(estimateQuality({}, 0.001).resolution, 0.001);
}

TEST(Integral, AgreesWithAnIndependentQuadrature) {
    // GSL's adaptive Gauss–Kronrod on the same current and voltage functions.
    const auto current = [](double t) { return 1.5 + 0.5 * std::sin(t / 700); };
    const auto voltage = [](double t) { return 3.6 + 0.4 * t / 7200; };
    std::vector<double> t, v, i;
    for (double x = 0; x <= 7200; x += 1)
        t.push_back(x), v.push_back(voltage(x)), i.push_back(current(x));
    const auto r = nk::test::recording(t, v, i);
    const Integral sum = integrate(*r, 0, r->size() - 1);
    gsl_integration_workspace* w = gsl_integration_workspace_alloc(1000);
    double expected = 0, error = 0;
    gsl_function f{[](double x, void*) { return (1.5 + 0.5 * std::sin(x / 700)) / 3600; }, nullptr};
    gsl_integration_qag(&f, 0, 7200, 0, 1e-10, 1000, 6, w, &expected, &error);
    EXPECT_NEAR(sum.charge_Ah, expected, 1e-6);
    gsl_function p{[](double x, void*) {
                       return (1.5 + 0.5 * std::sin(x / 700)) * (3.6 + 0.4 * x / 7200) / 3600;
                   },
                   nullptr};
    gsl_integration_qag(&p, 0, 7200, 0, 1e-10, 1000, 6, w, &expected, &error);
    EXPECT_NEAR(sum.energy_Wh, expected, 1e-6);
    gsl_integration_workspace_free(w);
}

TEST(Integral, SplittingNeverChangesTheSum) {
    const auto log = nk::test::logged(nk::test::lithiumCycle());
    const Recording& r = *log.imported.recording;
    const Integral whole = integrate(r, 0, r.size() - 1);
    std::mt19937 random(11);
    for (int n = 0; n < 50; ++n) {
        const std::size_t cut = random() % r.size();
        EXPECT_NEAR(integrate(r, 0, cut).charge_Ah + integrate(r, cut, r.size() - 1).charge_Ah,
                    whole.charge_Ah, 1e-12);
    }
    EXPECT_NEAR(cumulativeCharge_Ah(r).back(), whole.charge_Ah, 1e-9);
}

TEST(Integral, AJumpLeavesHalfAnIntervalOpen) {
    std::vector<double> t, v, i;
    for (int k = 0; k < 40; ++k) t.push_back(10 * k), v.push_back(4), i.push_back(k < 20 ? 0 : 2);
    const auto r = nk::test::recording(t, v, i);
    const Integral sum = integrate(*r, 0, 39);
    EXPECT_NEAR(sum.charge_Ah * 3600, 390, 1e-9);
    EXPECT_NEAR(sum.samplingCharge_Ah * 3600, 10 / std::sqrt(3.0), 1e-9)
        << "half the range over √3";
}

TEST(Recording, EmptyAndSingle) {
    const auto empty = nk::test::recording({}, {}, {});
    EXPECT_EQ(empty->size(), 0u);
    EXPECT_EQ(integrate(*empty, 0, 0).charge_Ah, 0);
    const auto one = nk::test::recording({0}, {3.7}, {1});
    EXPECT_EQ(one->nearest(100), 0u);
    EXPECT_EQ(integrate(*one, 0, 0).charge_Ah, 0);
}
