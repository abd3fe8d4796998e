// Curves over each other and dQ/dV: against published smoothing weights, and on cells whose dQ/dV
// is known in closed form (a flat part and Gaussian peaks), by families of loggers.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>
#include <random>

#include "analysis/overlay/incremental.h"
#include "analysis/overlay/overlay.h"
#include "tests/support/sim.h"

using namespace nk;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

namespace {

/// A cell of dQ/dV(V) = base + Σ areaₖ · normal(V; atₖ, widthₖ), charged at a constant current.
struct Cell {
    struct Peak {
        double at_V, width_V, area_Ah;
    };
    std::vector<Peak> peaks = {{3.55, 0.03, 0.6}, {3.80, 0.04, 0.9}, {4.02, 0.025, 0.3}};
    double base_Ah_V = 0.6, low_V = 3.2, high_V = 4.2;

    double charge(double v) const {
        double q = base_Ah_V * (v - low_V);
        for (const Peak& p : peaks)
            q += p.area_Ah * 0.5 *
                 (std::erf((v - p.at_V) / p.width_V / std::sqrt(2.0)) -
                  std::erf((low_V - p.at_V) / p.width_V / std::sqrt(2.0)));
        return q;
    }
    double volts(double q) const {
        double low = low_V;
        double high = high_V;
        for (int k = 0; k < 60; ++k) {
            const double middle = 0.5 * (low + high);
            (charge(middle) < q ? low : high) = middle;
        }
        return 0.5 * (low + high);
    }
    double incremental(double v) const {
        double y = base_Ah_V;
        for (const Peak& p : peaks)
            y += p.area_Ah / p.width_V / std::sqrt(2 * M_PI) *
                 std::exp(-0.5 * std::pow((v - p.at_V) / p.width_V, 2));
        return y;
    }
};

struct Logger {
    double interval_s = 10, noise_V = 0.0005, resolution_V = 0.001, rate = 0.1;
};

/// Rest, charge at constant current, rest; `Study` keeps what the analysis borrows.
struct Study {
    RecordingPtr recording;
    Analysis analysis;
    InstrumentAccuracy accuracy;
    AnalysisInput input() const {
        return {*recording, analysis.steps, analysis.battery, accuracy, analysis.memo};
    }
    int step() const {
        for (std::size_t k = 0; k < analysis.steps.list.size(); ++k)
            if (analysis.steps.list[k].kind == StepKind::CcCharge) return static_cast<int>(k);
        return -1;
    }
};
Study charged(const Cell& cell, const Logger& logger, unsigned seed) {
    std::mt19937 draw(seed);
    std::normal_distribution<double> normal;
    const double whole = cell.charge(cell.high_V);
    const double amps = logger.rate * whole;
    std::vector<double> t, v, i;
    const auto row = [&](double at, double volts, double current) {
        t.push_back(at);
        const double noisy = volts + logger.noise_V * normal(draw);
        v.push_back(logger.resolution_V * std::round(noisy / logger.resolution_V));
        i.push_back(0.001 * std::round((current + 0.0005 * normal(draw)) / 0.001));
    };
    double at = 0;
    for (; at < 600; at += logger.interval_s) row(at, cell.low_V, 0);
    const double start = at;
    for (; (at - start) * amps / 3600 < whole; at += logger.interval_s)
        row(at, cell.volts((at - start) * amps / 3600), amps);
    const double end = at;
    for (; at < end + 600; at += logger.interval_s) row(at, cell.high_V, 0);
    Study s;
    s.recording = test::recording(t, v, i);
    Battery b;
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = whole;
    s.analysis = analyse(*s.recording, b);
    return s;
}

TEST(Incremental, WeightsAreThePublishedOnes) {
    // Savitzky and Golay 1964, table I (quadratic, 5 and 7 points; from memory).
    const auto five = smoothingWeights(2);
    const double published5[] = {-3, 12, 17, 12, -3};
    for (std::size_t k = 0; k < 5; ++k) EXPECT_NEAR(five[k], published5[k] / 35, 1e-12);
    const auto seven = smoothingWeights(3);
    const double published7[] = {-2, 3, 6, 7, 6, 3, -2};
    for (std::size_t k = 0; k < 7; ++k) EXPECT_NEAR(seven[k], published7[k] / 21, 1e-12);
    // What makes them so: they keep every parabola, and every cubic at its middle.
    for (const int half : {2, 3, 5, 8}) {
        const auto w = smoothingWeights(half);
        double ones = 0;
        double squares = 0;
        double cubes = 0;
        for (int k = -half; k <= half; ++k) {
            const double weight = w[static_cast<std::size_t>(k + half)];
            ones += weight, squares += weight * k * k, cubes += weight * k * k * k;
        }
        EXPECT_NEAR(ones, 1, 1e-12);
        EXPECT_NEAR(squares, 0, 1e-9);
        EXPECT_NEAR(cubes, 0, 1e-9);
    }
}

TEST(Incremental, KnownPeaksAreFoundWithIntervalsThatHoldThem) {
    int positions = 0;
    int heights = 0;
    int areas = 0;
    int peaks = 0;
    std::vector<double> widths;  // of the positions' intervals, in widths of the peaks
    for (unsigned seed = 0; seed < 60; ++seed) {
        Logger logger;
        logger.interval_s = seed % 3 == 0 ? 2 : seed % 3 == 1 ? 10 : 30;
        logger.noise_V = seed % 2 == 0 ? 0.0003 : 0.001;
        logger.resolution_V = seed % 4 < 2 ? 0.001 : 0.0001;
        logger.rate = seed % 5 < 3 ? 0.1 : 0.2;
        const Cell cell;
        const Study s = charged(cell, logger, seed);
        const auto found = incrementalCapacity(s.input(), s.step());
        ASSERT_EQ(found.why, "") << seed;
        // One that does not stand out of the scatter is left out; none is invented.
        ASSERT_LE(found.peaks.size(), 3u) << seed;
        // Charge is not lost: what the bins hold is what went in, but for the first minute.
        const double sum =
            std::accumulate(found.raw_Ah_V.begin(), found.raw_Ah_V.end(), 0.0) * found.bin_V;
        EXPECT_NEAR(sum, cell.charge(cell.high_V), 0.03 * sum) << seed;
        for (const IncrementalPeak& p : found.peaks) {
            const auto truth = *std::ranges::min_element(
                cell.peaks, {}, [&](const Cell::Peak& t) { return std::abs(t.at_V - p.volts); });
            ASSERT_LT(std::abs(truth.at_V - p.volts), truth.width_V) << seed;
            ++peaks;
            positions += std::abs(p.volts - truth.at_V) <= 2 * p.voltsScatter;
            heights +=
                std::abs(p.height_Ah_V - cell.incremental(truth.at_V)) <= 2 * p.heightUncertainty;
            const double area = cell.charge(p.to_V) - cell.charge(p.from_V);
            areas += std::abs(p.area_Ah - area) <= 2 * p.areaUncertainty;
            widths.push_back(p.voltsScatter / truth.width_V);
        }
    }
    EXPECT_GE(peaks, 0.97 * 3 * 60);
    std::ranges::sort(widths);
    EXPECT_LT(widths[widths.size() / 2], 0.2);
    EXPECT_GE(positions, 0.93 * peaks) << positions << " of " << peaks;
    EXPECT_GE(heights, 0.93 * peaks) << heights << " of " << peaks;
    EXPECT_GE(areas, 0.93 * peaks) << areas << " of " << peaks;
}

TEST(Incremental, RefusesWhatCannotTell) {
    const Cell cell;
    Logger fast;
    fast.rate = 0.6;
    const Study s = charged(cell, fast, 1);
    EXPECT_THAT(incrementalCapacity(s.input(), s.step()).why, HasSubstr("too fast"));
    Logger coarse;
    coarse.resolution_V = 0.02;
    const Study c = charged(cell, coarse, 1);
    EXPECT_THAT(incrementalCapacity(c.input(), c.step()).why, HasSubstr("coarse"));
    Logger seldom;
    seldom.interval_s = 600;
    const Study few = charged(cell, seldom, 1);
    if (few.step() >= 0) {
        EXPECT_NE(incrementalCapacity(few.input(), few.step()).why, "");
    }
    EXPECT_NE(incrementalCapacity(s.input(), 0).why, "") << "a rest";
    EXPECT_NE(incrementalCapacity(s.input(), 99).why, "");
    EXPECT_THAT(incrementalSteps(charged(cell, {}, 1).input()), SizeIs(1));
}

TEST(Incremental, AFeaturelessCellHasNoPeaks) {
    Cell cell;
    cell.peaks.clear();
    cell.base_Ah_V = 2.5;
    for (unsigned seed = 0; seed < 20; ++seed) {
        Logger logger;
        logger.noise_V = 0.001;
        const Study s = charged(cell, logger, seed);
        EXPECT_THAT(incrementalCapacity(s.input(), s.step()).peaks, IsEmpty()) << seed;
    }
}

TEST(Incremental, DifferentialVoltageIsTheInverseSlope) {
    const Cell cell;
    const Study s = charged(cell, {}, 3);
    const auto found = incrementalCapacity(s.input(), s.step());
    ASSERT_GT(found.charge_Ah.size(), 300u);
    // Against the mean slope over its own window: 13 steps of a four-hundredth.
    const double reach = 6.5 * cell.charge(cell.high_V) / 400;
    std::vector<double> off;
    for (std::size_t k = 10; k + 10 < found.charge_Ah.size(); ++k) {
        const double q = found.charge_Ah[k];
        const double truth = (cell.volts(q + reach) - cell.volts(q - reach)) / (2 * reach);
        off.push_back(std::abs(found.dVdQ_V_Ah[k] / truth - 1));
    }
    std::ranges::sort(off);
    EXPECT_LT(off[off.size() / 2], 0.05);
    EXPECT_LT(off[off.size() * 95 / 100], 0.25);
}

TEST(Incremental, PeaksAreFollowedFromLogToLog) {
    std::vector<IncrementalCapacity> logs(3);
    const auto peak = [](double volts) {
        IncrementalPeak p;
        p.volts = volts;
        return p;
    };
    logs[0].peaks = {peak(3.50), peak(3.80)};
    logs[1].peaks = {peak(3.53), peak(3.82), peak(4.05)};
    logs[2].peaks = {peak(3.84)};
    EXPECT_THAT(followPeaks(logs, 1),
                ElementsAre(PeakTrack{0, 0, -1}, PeakTrack{1, 1, 0}, PeakTrack{-1, 2, -1}));
    EXPECT_THAT(followPeaks({}, 1), IsEmpty());
}

/// Charge full, rest, discharge to the floor; `battery` changes the cell.
Study cycled(const char* battery, int seed) {
    const auto log =
        test::logged(R"({"seed": )" + std::to_string(seed) +
                     R"(, "ambient_C": 22, "battery": {"name": "x", "chemistry": "nmc", "series": 1,
        "rated_Ah": 2.5, "soc": 0.02)" +
                     std::string(battery) + R"(}, "program": [{"do": "rest", "longest_s": 300},
        {"do": "charge", "current_A": 1.25, "set_V": 4.2, "cutoff_A": 0.1}, {"do": "rest", "longest_s": 1800},
        {"do": "discharge", "current_A": 1.0, "floor_V": 3.0}, {"do": "rest", "longest_s": 900}],
        "logger": {"interval_s": 5, "noise_V": 0.0005, "noise_A": 0.0005}})");
    Study s;
    s.recording = log.imported.recording;
    Battery b;
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = 2.5;
    s.analysis = analyse(*s.recording, b);
    return s;
}

TEST(Overlay, EveryAxisCountsAsItSays) {
    const Study s = cycled(R"(, "capacity_Ah": 2.4, "r0_ohm": 0.03)", 1);
    const auto time = overlayCurve(s.input(), -1, OverlayAxis::Time, "a");
    EXPECT_EQ(time.x.front(), 0);
    EXPECT_NEAR(time.x.back(), s.recording->duration_s() / 3600, 1e-9);
    const auto charge = overlayCurve(s.input(), -1, OverlayAxis::Charge, "a");
    const Reading* gave = s.analysis.reading("delivered_capacity");
    ASSERT_NE(gave, nullptr);
    EXPECT_NEAR(charge.x.back(), gave->value, 0.01);
    const auto soc = overlayCurve(s.input(), -1, OverlayAxis::StateOfCharge, "a");
    EXPECT_NEAR(soc.x.back(), 100, 0.01);
    EXPECT_NEAR(soc.x.front(), 0, 0.5);
    const auto knee = overlayCurve(s.input(), -1, OverlayAxis::Knee, "a");
    const Reading* at = s.analysis.reading("knee_time");
    ASSERT_NE(at, nullptr);
    EXPECT_NEAR(-knee.x.front() * 3600, at->value, 10);
    EXPECT_THAT(overlayCurve(s.input(), -1, OverlayAxis::Peak, "a").why,
                HasSubstr("no nickel peak"));
    for (const auto& c : {time, charge, soc, knee}) {
        EXPECT_TRUE(std::ranges::is_sorted(c.x));
        EXPECT_EQ(c.x.size(), c.volts.size());
    }
    const auto few = overlayCurve(s.input(), -1, OverlayAxis::Time, "a", 200);
    EXPECT_LE(few.x.size(), 201u);
    EXPECT_EQ(std::ranges::max(few.volts), std::ranges::max(time.volts)) << "extremes stay";
}

TEST(Overlay, TheDifferenceHoldsTheTruthAndACommonGainCancels) {
    OverlayCurve a;
    OverlayCurve b;
    for (int k = 0; k <= 1000; ++k) {
        a.x.push_back(0.001 * k);
        b.x.push_back(0.001 * k);
        a.volts.push_back(4.0 - 0.5 * 0.001 * k);
        b.volts.push_back(3.9 - 0.5 * 0.001 * k);
    }
    a.voltsUncertainty = b.voltsUncertainty = 0.001;
    a.voltageGain = b.voltageGain = 0.01;
    const auto same = overlayDifference(a, b, true);
    const auto other = overlayDifference(a, b, false);
    ASSERT_THAT(same.x, SizeIs(400));
    for (std::size_t k = 0; k < 400; ++k) {
        EXPECT_NEAR(same.volts[k], -0.1, 1e-9);
        EXPECT_LT(same.high[k] - same.low[k], 0.008);
        EXPECT_GT(other.high[k] - other.low[k], 0.1);
    }
    // Shifted by hand: where they still lie over each other.
    const auto shifted = overlayDifference(a, b, true, 0.2);
    EXPECT_NEAR(shifted.x.front(), 0.2, 1e-12);
    EXPECT_NEAR(shifted.volts.front(), 0.0, 1e-9);
    EXPECT_THAT(overlayDifference(a, b, true, 5).x, IsEmpty());
    EXPECT_THAT(overlayDifference(a, OverlayCurve{}, true).x, IsEmpty());
}

TEST(Overlay, WhatDiffersIsSaidWithWhereAndHowMuch) {
    const Study fresh = cycled(R"(, "capacity_Ah": 2.4, "r0_ohm": 0.03)", 1);
    const Study worn = cycled(R"(, "capacity_Ah": 2.1, "r0_ohm": 0.045, "r1_ohm": 0.016)", 2);
    const auto words = whatDiffers(fresh.input(), -1, "A", worn.input(), -1, "B");
    ASSERT_FALSE(words.empty());
    EXPECT_THAT(words[0], HasSubstr("B gives"));
    EXPECT_THAT(words[0], HasSubstr("% less than A"));
    EXPECT_THAT(words[1], HasSubstr("times that of A"));
    const auto alike =
        whatDiffers(fresh.input(), -1, "A",
                    cycled(R"(, "capacity_Ah": 2.4, "r0_ohm": 0.03)", 9).input(), -1, "C");
    EXPECT_THAT(alike[0], HasSubstr("give the same"));
}

}  // namespace
