// Constant voltage as slow loggers and restless cells show it: a taper in a handful of rows, a
// current that goes up and down while the voltage is held, the slow end of diffusion that looks
// like a floor.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "analysis/analysis.h"
#include "formats/importer.h"

namespace nk {
namespace {

Battery cell(const char* chemistry, double rated_Ah) {
    Battery b;
    b.chemistry = chemistry;
    b.series = b.parallel = 1;
    b.rated_Ah = rated_Ah;
    return b;
}

struct Columns {
    std::vector<double> t, v, i;
    double every_s = 1, step_V = 1e-3, step_A = 1e-3;
    void row(double volts, double amps) {
        t.push_back(every_s * static_cast<double>(t.size()));
        v.push_back(std::round(volts / step_V) * step_V);
        i.push_back(std::round(amps / step_A) * step_A);
    }
    /// As the reader sees it, with the digits that were written.
    RecordingPtr recording() const {
        std::string text = "Time [s],Voltage [V],Current [A]\n";
        for (std::size_t k = 0; k < t.size(); ++k)
            text += fmt::format("{:.0f},{:.{}f},{:.4f}\n", t[k], v[k], step_V < 0.01 ? 3 : 2, i[k]);
        const auto log = readLog(text, "x.csv");
        EXPECT_TRUE(log) << log.error().text();
        return log->recording;
    }
};

std::vector<StepKind> kindsOf(const Analysis& a) {
    std::vector<StepKind> out;
    for (const Step& s : a.steps.list) out.push_back(s.kind);
    return out;
}

TEST(Tapers, AreSeenInAHandfulOfRows) {
    // A flat cell fills at the end within two minutes; rows half a minute apart see five of it.
    for (const double fall : {0.5, 0.6, 0.7})
        for (const double every_s : {20.0, 30.0, 60.0}) {
            Columns c;
            c.every_s = every_s;
            for (int k = 0; k < 8; ++k) c.row(3.30, 0);
            for (int k = 0; k < 90; ++k) c.row(3.38 + 0.002 * k, 2.3);
            double amps = 2.3 * fall;
            while (amps > 0.12) c.row(3.60, amps), amps *= fall;
            for (int k = 0; k < 60; ++k) c.row(3.58 - 0.02 * (1 - std::exp(-k / 10.0)), 0);
            const Analysis a = analyse(*c.recording(), cell("lfp", 2.3));
            EXPECT_EQ(kindsOf(a), (std::vector{StepKind::Rest, StepKind::CcCharge,
                                               StepKind::CvCharge, StepKind::Rest}))
                << fall << " " << every_s;
            const Reading* knee = a.reading("knee_time");
            ASSERT_NE(knee, nullptr);
            // Somewhere between the last row of the plateau and the first below it.
            EXPECT_GE(knee->value + knee->expanded(), every_s * 97);
            EXPECT_LE(knee->value - knee->expanded(), every_s * 98);
            EXPECT_LT(knee->expanded(), 2.1 * every_s);
            ASSERT_GE(a.steps.list.size(), 3U);
            EXPECT_EQ(a.steps.list[2].endedBy, EndedBy::Taper);
        }
}

TEST(Tapers, OfLevelsOfARealChargerAreStillLevels) {
    // Three currents one after the other, each with its own voltage: no voltage is held.
    Columns c;
    c.every_s = 30;
    for (int k = 0; k < 8; ++k) c.row(3.5, 0);
    double volts = 3.55;
    for (const double amps : {2.0, 1.0, 0.5})
        for (int k = 0; k < 20; ++k) c.row((volts += 0.003) + 0.05 * amps, amps);
    for (int k = 0; k < 20; ++k) c.row(volts, 0);
    const Analysis a = analyse(*c.recording(), cell("nmc", 2.5));
    EXPECT_EQ(kindsOf(a), (std::vector{StepKind::Rest, StepKind::CcCharge, StepKind::CcCharge,
                                       StepKind::CcCharge, StepKind::Rest}));
}

TEST(Tapers, LevelsThatACoarseDisplayDoesNotTellFromHeldVoltageStayLevels) {
    // A trickle whose start shows one digit, 10 mV for 20 mA, says nothing of the resistance: 1 A
    // and 0.7 A behind it differ by less than a digit in voltage, and are two levels all the same.
    Columns c;
    c.every_s = 10, c.step_V = 0.01;
    for (int k = 0; k < 30; ++k) c.row(3.70, 0);
    for (int k = 0; k < 30; ++k) c.row(3.71, 0.04);
    for (int k = 0; k < 60; ++k) c.row(3.74, 1.0);
    for (int k = 0; k < 60; ++k) c.row(3.74, 0.7);
    for (int k = 0; k < 30; ++k) c.row(3.72, 0);
    const Analysis a = analyse(*c.recording(), cell("nmc", 2.5));
    EXPECT_EQ(kindsOf(a), (std::vector{StepKind::Rest, StepKind::CcCharge, StepKind::CcCharge,
                                       StepKind::CcCharge, StepKind::Rest}));
}

TEST(Tapers, ACurrentThatGoesUpAndDownWhileTheVoltageIsHeldIsOne) {
    // Phases of the electrode let the current rise for a moment; rows ten seconds apart see levels.
    for (const double step_V : {1e-3, 2e-3, 5e-3}) {
        Columns c;
        c.every_s = 10, c.step_V = step_V;
        for (int k = 0; k < 30; ++k) c.row(3.70, 0);
        for (int k = 0; k < 140; ++k) c.row(3.86 + 0.34 * k / 140, 5);
        double amps = 4.97;
        for (int k = 0; amps > 0.25; ++k) {
            c.row(4.2, amps * (1 + 0.025 * std::sin(k * 0.9)));
            amps = 0.2 + 4.8 * std::exp(-(k + 1) / 60.0) * (k < 12 ? 1 : 0.97);
        }
        for (int k = 0; k < 80; ++k) c.row(4.17 - 0.01 * (1 - std::exp(-k / 20.0)), 0);
        const Analysis a = analyse(*c.recording(), cell("nmc", 5));
        EXPECT_EQ(kindsOf(a), (std::vector{StepKind::Rest, StepKind::CcCharge, StepKind::CvCharge,
                                           StepKind::Rest}))
            << step_V;
        const Reading* knee = a.reading("knee_time");
        ASSERT_NE(knee, nullptr);
        EXPECT_NEAR(knee->value, 1695, 25) << step_V;
    }
}

/// Two exponentials, as diffusion gives, over `floor_A`, until `until_A`.
Analysis tailOver(double floor_A, double until_A) {
    Columns c;
    c.every_s = 2, c.step_A = 5e-4;
    for (int k = 0; k < 60; ++k) c.row(3.90, 0);
    for (int k = 0; k < 600; ++k) c.row(3.95 + 0.25 * k / 600, 0.68);
    for (int k = 0;; ++k) {
        const double t = 2.0 * k;
        const double amps = floor_A + 0.42 * std::exp(-t / 150) + 0.26 * std::exp(-t / 650);
        if (amps < until_A) break;
        c.row(4.2, amps);
    }
    for (int k = 0; k < 600; ++k) c.row(4.19 - 0.005 * (1 - std::exp(-k / 100.0)), 0);
    return analyse(*c.recording(), cell("nmc", 0.68));
}

TEST(Tapers, TheSlowEndOfDiffusionIsNoFloor) {
    const Analysis a = tailOver(0, 0.023);
    const Reading* left = a.reading("charge_left_at_stop");
    ASSERT_NE(left, nullptr);
    // From 23 mA to a thousandth of 0.68 Ah, of which all is in the slow part by then.
    const double truth = (0.023 - 0.00068) * 650 / 3600;
    EXPECT_NEAR(left->value, truth, left->expanded());
    EXPECT_LT(left->expanded(), 0.3 * truth);
    for (const std::string& caveat : left->caveats)
        EXPECT_EQ(caveat.find("floor"), std::string::npos) << caveat;
}

TEST(Tapers, ARealFloorIsStillSeen) {
    const Analysis a = tailOver(0.02, 0.022);
    const Reading* left = a.reading("charge_left_at_stop");
    ASSERT_NE(left, nullptr);
    bool told = false;
    for (const std::string& caveat : left->caveats)
        told |= caveat.find("settles on a floor of 2") != std::string::npos;
    EXPECT_TRUE(told);
    EXPECT_LT(left->value, 0.002) << "nothing more goes in above the floor";
}

TEST(Tapers, AnEarlyStopIsJudgedByTheCurrentOfTheStop) {
    // C/10 cut-off, rows half a minute apart: the last row stands above it, the stop does not.
    Columns c;
    c.every_s = 30;
    for (int k = 0; k < 8; ++k) c.row(3.8, 0);
    for (int k = 0; k < 90; ++k) c.row(3.95 + 0.0027 * k, 5);
    for (int k = 0; 5 * std::exp(-30.0 * (k + 1) / 200) > 0.43; ++k)
        c.row(4.2, 5 * std::exp(-30.0 * (k + 0.5) / 200));
    for (int k = 0; k < 60; ++k) c.row(4.18, 0);
    const Analysis a = analyse(*c.recording(), cell("nmc", 5));
    for (const Finding& f : a.findings) EXPECT_NE(f.code, "stopped_early") << f.text;
}

}  // namespace
}  // namespace nk
