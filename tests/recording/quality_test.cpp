// Resolution and noise found from the log itself, against what was put in.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "recording/recording.h"

namespace nk {
namespace {

std::vector<double> noisy(double sigma, double step, double follow, unsigned seed,
                          double slope = 0) {
    std::mt19937 random(seed);
    std::normal_distribution<double> normal;
    std::vector<double> out;
    double e = 0;
    for (int k = 0; k < 20000; ++k) {
        e = follow * e + std::sqrt(1 - follow * follow) * sigma * normal(random);
        out.push_back(std::round((0.37 * step + slope * k + e) / step) * step);
    }
    return out;
}

TEST(Quality, WhiteNoiseOnCoarseStepsIsItself) {
    for (const double ratio : {0.3, 0.5, 1.0, 3.0, 20.0}) {
        const ChannelQuality q = estimateQuality(noisy(0.01 * ratio, 0.01, 0, 4), 0.01);
        EXPECT_NEAR(q.resolution, 0.01, 1e-9) << ratio;
        EXPECT_NEAR(q.noise, 0.01 * ratio, 0.15 * 0.01 * ratio + 0.0006) << ratio;
        EXPECT_LT(q.follow, 0.1) << ratio;
    }
}

TEST(Quality, FilteredNoiseIsSeenWhole) {
    for (const double follow : {0.5, 0.7, 0.85}) {
        const ChannelQuality q = estimateQuality(noisy(0.02, 0.01, follow, 5), 0.01);
        EXPECT_NEAR(q.follow, follow, 0.1);
        EXPECT_NEAR(q.noise, 0.02, 0.004) << follow;
        // A hundred such samples are worth far fewer.
        EXPECT_GT(q.ofMean(100), 0.02 / 10 * std::sqrt((1 + follow) / (1 - follow)) * 0.8);
    }
}

TEST(Quality, AStaircaseIsNoNoise) {
    // 0.3 steps a row: nothing flickers.
    const ChannelQuality q = estimateQuality(noisy(0, 0.01, 0, 6, 0.003), 0.01);
    EXPECT_LT(q.noise, 0.3 * 0.01);
    EXPECT_LT(q.follow, 0.1);
}

TEST(Quality, RoundingGoesAwayUnderNoise) {
    ChannelQuality q{0.01, 0};
    EXPECT_NEAR(q.rounding(), 0.01 / std::sqrt(12.0), 1e-12);
    q.noise = 0.005;
    EXPECT_LT(q.rounding(), 0.02 * 0.01) << "half a step of noise dithers";
    EXPECT_NEAR(q.ofMean(10000), 0, 2e-4);
    // What it says agrees with rounding itself: the mean of many samples at any place of the step.
    std::mt19937 random(8);
    for (const double ratio : {0.1, 0.2, 0.3}) {
        std::normal_distribution<double> noise(0, 0.01 * ratio);
        double square = 0;
        for (int place = 0; place < 100; ++place) {
            double sum = 0;
            for (int k = 0; k < 2000; ++k)
                sum += std::round((0.0001 * place + noise(random)) / 0.01) * 0.01 / 2000;
            square += (sum - 0.0001 * place) * (sum - 0.0001 * place) / 100;
        }
        q.noise = 0.01 * ratio;
        EXPECT_NEAR(q.rounding(), std::sqrt(square), 0.35 * std::sqrt(square) + 2e-5) << ratio;
    }
}

TEST(Quality, TheStepThatAllValuesAreMultiplesOf) {
    std::vector<double> column;
    for (int k = 0; k < 500; ++k) column.push_back(k < 100 ? 0.05 : k < 300 ? 1.65 : 1.70);
    EXPECT_NEAR(estimateQuality(column, 0.01).resolution, 0.05, 1e-9);
    // Round settings alone say nothing of the display.
    std::vector<double> settings;
    for (int k = 0; k < 500; ++k) settings.push_back(k < 100 ? 0 : 2.0);
    EXPECT_NEAR(estimateQuality(settings, 0.01).resolution, 0.01, 1e-9);
}

TEST(Quality, ALoadThatTheVoltageAnswersIsNoNoise) {
    std::mt19937 random(9);
    std::uniform_real_distribution<double> level(-5, 1);
    RecordingData d;
    for (int k = 0; k < 2000; ++k) {
        const double i = level(random);
        d.time_s.push_back(k), d.current_A.push_back(i);
        d.voltage_V.push_back(std::round((3.9 + 0.04 * i) * 1000) / 1000);
    }
    d.textStep_V = 0.001, d.textStep_A = 0.01;
    const auto answered = Recording::make(d);
    EXPECT_LT(answered->currentQuality().noise, 0.05);
    // The same current beside a voltage of its own is noise.
    std::shuffle(d.voltage_V.begin(), d.voltage_V.end(), random);
    EXPECT_GT(Recording::make(d)->currentQuality().noise, 1.0);
}

}  // namespace
}  // namespace nk
