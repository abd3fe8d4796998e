// Running charge and energy, and finding a moment: against plain loops, closed forms and each
// other, on even, uneven and repeated stamps.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "recording/integral.h"
#include "recording/silence.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

struct Walk {
    std::vector<double> t, v, i;
};

/// A current that wanders, jumps and rests, on stamps that are uneven and may repeat.
Walk anyWalk(unsigned seed, std::size_t rows) {
    std::mt19937 random(seed);
    std::normal_distribution<double> step;
    Walk w;
    double t = 0, i = 0;
    for (std::size_t k = 0; k < rows; ++k) {
        w.t.push_back(t), w.i.push_back(i), w.v.push_back(3.7 + 0.05 * i + 0.01 * step(random));
        switch (random() % 12) {
            case 0:
                t += 300;
                break;
            case 1:
                break;
            default:
                t += 0.5 + static_cast<double>(random() % 100) / 50;
        }
        i = random() % 9 == 0 ? 4 * step(random) : random() % 30 == 0 ? 0 : i + 0.1 * step(random);
    }
    return w;
}

RecordingPtr of(const Walk& w) {
    return test::recording(w.t, w.v, w.i);
}

TEST(RunningSums, EndWhereTheIntegralOfTheWholeEnds) {
    for (unsigned seed = 1; seed <= 30; ++seed) {
        const auto r = of(anyWalk(seed, 20 + 50 * seed));
        const auto charge = cumulativeCharge_Ah(*r);
        const auto energy = cumulativeEnergy_Wh(*r);
        const auto moved = movedCharge_Ah(*r);
        ASSERT_EQ(charge.size(), r->size());
        ASSERT_EQ(energy.size(), r->size());
        ASSERT_EQ(moved.size(), r->size());
        EXPECT_EQ(charge.front(), 0);
        const Integral whole = integrate(*r, 0, r->size() - 1);
        EXPECT_NEAR(charge.back(), whole.charge_Ah, 1e-9);
        EXPECT_NEAR(energy.back(), whole.energy_Wh, 1e-8);
        EXPECT_GE(moved.back(), std::abs(whole.charge_Ah) - 1e-12);
        EXPECT_TRUE(std::is_sorted(moved.begin(), moved.end())) << "what was moved stays moved";
    }
}

TEST(RunningSums, BetweenTwoRowsAreTheIntegralBetweenThem) {
    std::mt19937 random(2);
    for (unsigned seed = 1; seed <= 10; ++seed) {
        const auto r = of(anyWalk(seed, 700));
        const auto charge = cumulativeCharge_Ah(*r);
        for (int k = 0; k < 60; ++k) {
            std::size_t a = random() % r->size();
            std::size_t b = random() % r->size();
            if (a > b) std::swap(a, b);
            const Integral part = integrate(*r, a, b);
            EXPECT_NEAR(charge[b] - charge[a], part.charge_Ah, 1e-9);
            EXPECT_GE(part.absCharge_Ah, std::abs(part.charge_Ah) - 1e-12);
            EXPECT_NEAR(part.duration_s, r->time_s()[b] - r->time_s()[a], 1e-9);
            EXPECT_GE(part.samplingCharge_Ah, 0);
            EXPECT_LE(part.samplingCharge_Ah, part.absCharge_Ah + 0.05)
                << "sampling is never less sure than everything";
        }
    }
}

TEST(RunningSums, OfKnownCurvesAreTheirClosedForms) {
    // A ramp, a half sine and a falling exponential, finely sampled: x²/2, 1 − cos, τ(1 −
    // e^(−t/τ)).
    const std::size_t n = 20'001;
    Walk ramp, sine, decay;
    for (std::size_t k = 0; k < n; ++k) {
        const double t = static_cast<double>(k) * 3600 / (n - 1);
        for (Walk* w : {&ramp, &sine, &decay}) w->t.push_back(t), w->v.push_back(4);
        ramp.i.push_back(t / 3600);
        sine.i.push_back(std::sin(M_PI * t / 3600));
        decay.i.push_back(std::exp(-t / 600));
    }
    EXPECT_NEAR(cumulativeCharge_Ah(*of(ramp)).back(), 0.5, 1e-8);
    EXPECT_NEAR(cumulativeCharge_Ah(*of(sine)).back(), 2 / M_PI, 1e-8);
    EXPECT_NEAR(cumulativeCharge_Ah(*of(decay)).back(), 600 * (1 - std::exp(-6.0)) / 3600, 1e-8);
    EXPECT_NEAR(cumulativeEnergy_Wh(*of(ramp)).back(), 2, 1e-8);
}

TEST(RunningSums, TurnWithTheSignAndGrowWithTheCurrent) {
    const Walk w = anyWalk(5, 900);
    Walk back = w, twice = w;
    for (double& x : back.i) x = -x;
    for (double& x : twice.i) x *= 2;
    const auto plain = cumulativeCharge_Ah(*of(w));
    const auto turned = cumulativeCharge_Ah(*of(back));
    const auto doubled = cumulativeCharge_Ah(*of(twice));
    const auto moved = movedCharge_Ah(*of(w));
    const auto movedBack = movedCharge_Ah(*of(back));
    for (std::size_t k = 0; k < plain.size(); ++k) {
        EXPECT_NEAR(turned[k], -plain[k], 1e-12);
        EXPECT_NEAR(doubled[k], 2 * plain[k], 1e-9);
        EXPECT_NEAR(movedBack[k], moved[k], 1e-12);
    }
}

TEST(Moments, TheNearestRowIsTheNearestOfAll) {
    std::mt19937 random(7);
    for (unsigned seed = 1; seed <= 8; ++seed) {
        const Walk w = anyWalk(seed, 300);
        const auto r = of(w);
        for (int k = 0; k < 300; ++k) {
            const double at = static_cast<double>(random() % 40'000) - 100;
            const std::size_t found = r->nearest(at);
            double best = 1e300;
            for (const double t : w.t) best = std::min(best, std::abs(t - at));
            ASSERT_LT(found, w.t.size());
            EXPECT_NEAR(std::abs(w.t[found] - at), best, 1e-9) << at;
            const std::size_t bound = r->lowerBound(at);
            EXPECT_EQ(bound, static_cast<std::size_t>(std::lower_bound(w.t.begin(), w.t.end(), at) -
                                                      w.t.begin()));
        }
    }
    EXPECT_EQ(Recording::make({})->nearest(5), 0U);
}

TEST(Silences, AreWhereNobodyWroteAndNowhereElse) {
    std::mt19937 random(11);
    for (int round = 0; round < 60; ++round) {
        std::vector<double> t{0};
        std::vector<std::size_t> silent;
        const double usual = 0.1 * static_cast<double>(1 + random() % 100);
        for (std::size_t k = 1; k < 2000; ++k) {
            const bool gap = random() % 400 == 0;
            if (gap) silent.push_back(k - 1);
            t.push_back(t.back() +
                        (gap ? 40 * usual : usual * (0.9 + 0.2 * (random() % 100) / 100.0)));
        }
        const auto found = silences(t, usualStep_s(t));
        ASSERT_EQ(found.size(), silent.size()) << round;
        for (std::size_t k = 0; k < found.size(); ++k) {
            EXPECT_EQ(found[k].before, silent[k]);
            EXPECT_NEAR(found[k].duration_s, 40 * usual, 1e-6);
        }
    }
    // A logger that writes unevenly is not silent.
    std::vector<double> uneven{0};
    for (int k = 0; k < 3000; ++k) uneven.push_back(uneven.back() + (k % 4 == 0 ? 60 : 1));
    EXPECT_TRUE(silences(uneven, usualStep_s(uneven)).empty());
    EXPECT_TRUE(silences({}, 0).empty());
    EXPECT_EQ(usualStep_s({}), 0);
}

}  // namespace
}  // namespace nk
