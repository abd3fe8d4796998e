// Fade laws: intervals that hold the truth over seeded tables of every law, fits against GSL's own,
// and what must be refused or set aside.
#include "ageing/fade.h"

#include <gsl/gsl_fit.h>
#include <gsl/gsl_multifit_nlinear.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

using namespace nk;

namespace {

/// Share of the loss to the end after a share of the cycles to it.
double lossAt(FadeLaw law, double x) {
    switch (law) {
        case FadeLaw::Linear:
            return x;
        case FadeLaw::SquareRoot:
            return std::sqrt(x);
        case FadeLaw::SquareRootAndLinear:
            return 0.5 * std::sqrt(x) + 0.5 * x;
        case FadeLaw::Power:
            return std::pow(x, 0.75);
        case FadeLaw::TwoSlopes:
            return (std::min(x, 0.5) + 4 * std::max(0.0, x - 0.5)) / 2.5;
    }
    return 0;
}

template <class F>
double solve(double low, double high, const F& reached) {
    for (int k = 0; k < 90; ++k) {
        const double middle = 0.5 * (low + high);
        (reached(middle) ? high : low) = middle;
    }
    return high;
}

struct Made {
    FadeSeries series;
    double truth = 0;
    double knee = 0;
};

Made make(FadeLaw law, unsigned seed, int rows, double noise, double seen, double odd = 0) {
    std::mt19937 random(seed);
    std::normal_distribution<double> gauss;
    std::uniform_real_distribution<double> even;
    const double end = 300 + 900 * even(random);
    const double first = 1 + 3 * even(random);
    const auto curve = [&](double n) { return first * (1 - 0.2 * lossAt(law, n / end)); };
    Made out;
    out.truth = solve(1, 30 * end, [&](double n) { return curve(n) <= 0.8 * curve(1); });
    out.knee = 0.5 * end;
    const double last = solve(1, 10 * end, [&](double n) { return lossAt(law, n / end) >= seen; });
    for (int k = 0; k < rows; ++k) {
        const double n = 1 + std::floor((last - 1) * k / (rows - 1));
        if (!out.series.at.empty() && n <= out.series.at.back()) continue;
        out.series.at.push_back(n);
        double value = curve(n) * (1 + noise * gauss(random));
        if (even(random) < odd) value *= 0.4 + 0.5 * even(random);
        out.series.value.push_back(value);
    }
    return out;
}

class Coverage : public testing::TestWithParam<FadeLaw> {};

/// 500 tables of each law in NK_SEEDS=500; the interval is of the noise-free crossing.
TEST_P(Coverage, TheIntervalHoldsTheCrossing) {
    const char* wanted = std::getenv("NK_SEEDS");
    const unsigned seeds = wanted != nullptr ? static_cast<unsigned>(std::atoi(wanted)) : 120;
    int held = 0;
    int told = 0;
    for (unsigned seed = 0; seed < seeds; ++seed) {
        const double noise[] = {0.002, 0.004, 0.008};
        const double seen[] = {0.5, 0.7, 1.0};
        const Made made = make(GetParam(), seed, 80 + static_cast<int>(seed % 5) * 50,
                               noise[seed % 3], seen[seed / 3 % 3], seed % 4 == 0 ? 0.02 : 0);
        const auto fit = fitFade(made.series, {});
        ASSERT_TRUE(fit) << fit.error().text();
        if (!std::isfinite(fit->end.middle)) continue;
        ++told;
        held += fit->end.low <= made.truth && !(fit->end.high < made.truth) ? 1 : 0;
    }
    // 95 % within three standard errors of so many tables, and never far above.
    EXPECT_GT(told, 0.9 * seeds);
    EXPECT_GE(held, 0.95 * told - 3 * std::sqrt(0.95 * 0.05 * told)) << told;
}
INSTANTIATE_TEST_SUITE_P(Fade, Coverage,
                         testing::Values(FadeLaw::Linear, FadeLaw::SquareRoot,
                                         FadeLaw::SquareRootAndLinear, FadeLaw::Power,
                                         FadeLaw::TwoSlopes),
                         [](const auto& law) { return toString(law.param); });

TEST(Fade, IntervalsAreNotWiderThanTheyMust) {
    double width = 0;
    for (unsigned seed = 0; seed < 20; ++seed) {
        const Made made = make(FadeLaw::Linear, seed, 200, 0.003, 0.8);
        const auto fit = fitFade(made.series, {});
        ASSERT_TRUE(fit);
        width += (fit->end.high - fit->end.low) / made.truth / 20;
    }
    EXPECT_LT(width, 0.06);
}

TEST(Fade, TheLineIsGslsLine) {
    const Made made = make(FadeLaw::Linear, 5, 150, 0.004, 0.8);
    const auto fit = fitFade(made.series, {});
    ASSERT_TRUE(fit);
    double c0 = 0, c1 = 0, a = 0, b = 0, d = 0, sum = 0;
    gsl_fit_linear(made.series.at.data(), 1, made.series.value.data(), 1, made.series.at.size(),
                   &c0, &c1, &a, &b, &d, &sum);
    for (const LawFit& law : fit->laws)
        if (law.law == FadeLaw::Linear) {
            const double crossing = (0.8 * (c0 + c1) - c0) / c1;
            EXPECT_NEAR(law.end, crossing, 1e-3 * crossing);
        }
}

TEST(Fade, ThePowerIsThatOfGslsNonlinearFit) {
    const Made made = make(FadeLaw::Power, 8, 200, 0.002, 0.9);
    const auto fit = fitFade(made.series, {});
    ASSERT_TRUE(fit);
    // Levenberg and Marquardt on y = a − b·(n/N)^p.
    struct Data {
        const FadeSeries* s;
    } data{&made.series};
    gsl_multifit_nlinear_fdf f{};
    f.f = [](const gsl_vector* p, void* given, gsl_vector* out) {
        const FadeSeries& s = *static_cast<Data*>(given)->s;
        for (std::size_t k = 0; k < s.at.size(); ++k)
            gsl_vector_set(
                out, k,
                gsl_vector_get(p, 0) -
                    gsl_vector_get(p, 1) * std::pow(s.at[k] / s.at.back(), gsl_vector_get(p, 2)) -
                    s.value[k]);
        return static_cast<int>(GSL_SUCCESS);
    };
    f.n = made.series.at.size();
    f.p = 3;
    f.params = &data;
    const auto parameters = gsl_multifit_nlinear_default_parameters();
    auto* work = gsl_multifit_nlinear_alloc(gsl_multifit_nlinear_trust, &parameters, f.n, f.p);
    double start[] = {made.series.value.front(), 0.2 * made.series.value.front(), 1};
    const gsl_vector_view x = gsl_vector_view_array(start, 3);
    gsl_multifit_nlinear_init(&x.vector, &f, work);
    int info = 0;
    gsl_multifit_nlinear_driver(200, 1e-10, 1e-10, 0, nullptr, nullptr, &info, work);
    const double power = gsl_vector_get(gsl_multifit_nlinear_position(work), 2);
    gsl_multifit_nlinear_free(work);
    for (const LawFit& law : fit->laws)
        if (law.law == FadeLaw::Power) {
            EXPECT_NEAR(law.shape, power, 0.02);
        }
}

TEST(Fade, AKneeIsFoundWhereItIsAndNowhereElse) {
    int found = 0;
    int invented = 0;
    for (unsigned seed = 0; seed < 40; ++seed) {
        const Made bent = make(FadeLaw::TwoSlopes, seed, 200, 0.003, 0.9);
        const auto fit = fitFade(bent.series, {});
        ASSERT_TRUE(fit);
        if (fit->kneeSuspected && fit->kneeLow <= bent.knee && fit->kneeHigh >= bent.knee) ++found;
        for (const FadeLaw law : {FadeLaw::Linear, FadeLaw::SquareRoot}) {
            const auto smooth = fitFade(make(law, seed, 200, 0.003, 0.9).series, {});
            ASSERT_TRUE(smooth);
            invented += smooth->kneeSuspected ? 1 : 0;
        }
    }
    EXPECT_GE(found, 35);
    EXPECT_LE(invented, 4);
}

TEST(Fade, UnderAThirdOfTheLossNoEndIsTold) {
    const auto fit = fitFade(make(FadeLaw::Linear, 1, 200, 0.001, 0.25).series, {});
    ASSERT_TRUE(fit);
    EXPECT_TRUE(std::isnan(fit->end.middle));
    ASSERT_FALSE(fit->caveats.empty());
    EXPECT_NE(fit->caveats.back().find("third"), std::string::npos);
}

TEST(Fade, ARiseIsNoFade) {
    FadeSeries s;
    for (int k = 1; k <= 100; ++k) s.at.push_back(k), s.value.push_back(2 + 0.001 * k);
    const auto fit = fitFade(s, {});
    ASSERT_TRUE(fit);
    EXPECT_TRUE(std::isnan(fit->end.middle));
    EXPECT_FALSE(fit->caveats.empty());
}

TEST(Fade, ThreeRowsAreRefusedAndSoAreColumnsThatDoNotFit) {
    EXPECT_FALSE(fitFade({{1, 2, 3}, {2, 1.9, 1.8}, {}, false, 0}, {}));
    EXPECT_FALSE(fitFade({{1, 2, 3}, {2, 1.9}, {}, false, 0}, {}));
    EXPECT_FALSE(fitFade({{1, 2, 2, 3, 4}, {2, 1.9, 1.8, 1.7, 1.6}, {}, false, 0}, {}));
    EXPECT_FALSE(fitFade({{1, 2, 3, 4, 5}, {2, 1.9, 0, 1.7, 1.6}, {}, false, 0}, {}));
}

TEST(Fade, OddCyclesAreNamedAndDoNotMoveTheEnd) {
    const Made made = make(FadeLaw::Linear, 3, 200, 0.002, 0.8);
    FadeSeries spoilt = made.series;
    for (const std::size_t k : {20U, 21U, 90U, 150U}) spoilt.value[k] *= 0.6;
    const auto fit = fitFade(spoilt, {});
    ASSERT_TRUE(fit);
    EXPECT_EQ(fit->odd, (std::vector<std::size_t>{20, 21, 90, 150}));
    EXPECT_NEAR(fit->end.middle, fitFade(made.series, {})->end.middle, 0.01 * made.truth);
}

TEST(Fade, ARunningInHeadIsSetAside) {
    FadeSeries s;
    std::mt19937 random(4);
    std::normal_distribution<double> gauss;
    for (int k = 1; k <= 200; ++k) {
        s.at.push_back(k);
        const double in = k < 20 ? -0.05 * (20 - k) / 20.0 : 0;
        s.value.push_back(2 * (1 - 0.0008 * k + in + 0.001 * gauss(random)));
    }
    const auto fit = fitFade(s, {});
    ASSERT_TRUE(fit);
    EXPECT_GE(fit->ranIn.size(), 10U);
    EXPECT_NEAR(fit->end.middle, 250, 8);
}

TEST(Fade, WarmAndColdCyclesAreCarriedToOneWarmth) {
    FadeSeries s;
    std::mt19937 random(9);
    std::normal_distribution<double> gauss;
    s.conditions.resize(1);
    for (int k = 1; k <= 300; ++k) {
        const double warm = 20 + 9 * std::sin(k / 47.0);
        s.at.push_back(k);
        s.conditions[0].push_back(warm);
        s.value.push_back(2 * (1 - 0.0005 * k) * (1 + 0.006 * (warm - 20)) + 0.003 * gauss(random));
    }
    const auto fit = fitFade(s, {});
    ASSERT_TRUE(fit);
    EXPECT_GT(fit->effects[0], 0.006);
    EXPECT_NEAR(fit->end.middle, 400, 15);
    EXPECT_LE(fit->end.low, 402);
    EXPECT_GE(fit->end.high, 398);
}

TEST(Fade, AgreeingNeighboursWidenTheInterval) {
    FadeSeries white;
    FadeSeries walking;
    std::mt19937 random(12);
    std::normal_distribution<double> gauss;
    double drift = 0;
    for (int k = 1; k <= 300; ++k) {
        const double curve = 2 * (1 - 0.0005 * k);
        drift = 0.9 * drift + 0.44 * gauss(random);
        white.at.push_back(k);
        white.value.push_back(curve + 0.01 * gauss(random));
        walking.at.push_back(k);
        walking.value.push_back(curve + 0.01 * drift);
    }
    const auto a = fitFade(white, {});
    const auto b = fitFade(walking, {});
    ASSERT_TRUE(a && b);
    EXPECT_LT(a->correlation, 2);
    EXPECT_GT(b->correlation, 4);
    EXPECT_GT(b->end.high - b->end.low, 1.4 * (a->end.high - a->end.low));
}

TEST(Fade, AGrowingResistanceReachesItsEnd) {
    FadeSeries s;
    s.rising = true;
    for (int k = 1; k <= 100; ++k)
        s.at.push_back(k), s.value.push_back(0.02 * (1 + 0.004 * k) + 1e-6 * (k % 3));
    const auto fit = fitFade(s, {1.5, kNaN});
    ASSERT_TRUE(fit);
    // 1.5 · 1.004 at the first cycle is 1 + 0.004 · 126.5.
    EXPECT_NEAR(fit->end.middle, 126.5, 0.5);
}

TEST(Fade, AFigureInAhIsAnEndToo) {
    const Made made = make(FadeLaw::Linear, 2, 200, 0.002, 0.9);
    const auto share = fitFade(made.series, {0.8, kNaN});
    ASSERT_TRUE(share);
    const auto figure = fitFade(made.series, {0.8, 0.8 * share->initial});
    ASSERT_TRUE(figure);
    EXPECT_NEAR(figure->end.middle, share->end.middle, 0.01 * made.truth);
}

}  // namespace
