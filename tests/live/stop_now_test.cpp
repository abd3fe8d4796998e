// Once a peak, a rule or a hazard has spoken nobody is told when it will be done; what was called
// stays until somebody has seen it.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "history/kept_alarms.h"
#include "live/channel.h"

namespace nk {
namespace {

Battery cell(const char* kind, int series, double rated) {
    Battery b;
    b.chemistry = kind;
    b.series = series;
    b.rated_Ah = rated;
    return b;
}

/// A nickel charge at a steady current: it rises, tops, falls and warms. By arithmetic: a parabola
/// of `fall_mV` over twenty minutes behind the top.
struct NickelCharge {
    double top_s = 3600, amps = 1, fall_mV = 8, noise_mV = 0.4;
    int series = 2;
    LiveRow at(double t, std::mt19937& random) const {
        std::normal_distribution<double> noise(0, noise_mV / 1000);
        const double before = std::min(0.0, (t - top_s) / top_s);
        const double behind = std::max(0.0, t - top_s) / 1200;
        const double volts =
            1.45 + 0.1 * before - fall_mV / 1000 * std::min(1.0, behind * behind) + noise(random);
        LiveRow r;
        r.at_s = 1e9 + t;
        r.voltage_V = std::round(1000 * series * volts) / 1000;
        r.current_A = amps;
        r.temperature_C = 22 + 12 * std::min(1.0, std::max(0.0, t - top_s + 600) / 2400);
        return r;
    }
};

bool promises(const LiveChannel& c) {
    return c.estimate() && std::isfinite(c.estimate()->likely_s);
}

TEST(StopNow, APeakOrARuleEndsEveryPromise) {
    for (const unsigned seed : {1U, 2U, 3U}) {
        std::mt19937 random(seed);
        LiveChannel channel(cell("nimh", 2, 2), {*parseRule("-dv:3mV")});
        const NickelCharge charge;
        double called = -1;
        for (double t = 0; t < 6000; t += 5) {
            for (const LiveEvent& e : channel.take({charge.at(t, random)}))
                if (e.kind == LiveEvent::Kind::StopNow && called < 0) called = t;
            if (called >= 0 && t > called + 120) {
                EXPECT_FALSE(promises(channel)) << t;
                ASSERT_TRUE(channel.stopNow()) << t;
            }
        }
        EXPECT_GT(called, charge.top_s) << "not before there is a top";
        EXPECT_LT(called, charge.top_s + 1300) << seed;
        // How much too much: the current since then.
        const LiveEvent& stop = *channel.stopNow();
        EXPECT_NEAR(stop.charge_Ah, charge.amps * (stop.t_s - stop.low_s) / 3600, 0.02);
    }
}

TEST(StopNow, WithoutARuleAnOverchargeIsCalledWithinFiveMinutesOfWatching) {
    for (const unsigned seed : {4U, 5U, 6U}) {
        std::mt19937 random(seed);
        LiveChannel channel(cell("nimh", 2, 2), {});
        const NickelCharge charge;
        // The watching begins eight minutes behind the top.
        const double began = charge.top_s + 480;
        double called = -1;
        for (double t = began; t < began + 900 && called < 0; t += 5)
            for (const LiveEvent& e : channel.take({charge.at(t, random)}))
                if (e.kind == LiveEvent::Kind::StopNow) called = t;
        ASSERT_GE(called, 0) << seed;
        EXPECT_LE(called - began, 310) << seed;
    }
}

TEST(StopNow, AChargeThatStillRisesIsLeftAlone) {
    for (unsigned seed = 1; seed <= 10; ++seed) {
        std::mt19937 random(seed);
        LiveChannel channel(cell("nimh", 2, 2), {});
        NickelCharge charge;
        charge.top_s = 7000;
        for (double t = 0; t < 6300; t += 5)
            for (const LiveEvent& e : channel.take({charge.at(t, random)}))
                EXPECT_NE(e.kind, LiveEvent::Kind::StopNow) << seed << " at " << t;
    }
}

TEST(StopNow, AHazardSpeaksInPlaceOfTheEnd) {
    LiveChannel channel(cell("nmc", 1, 3), {});
    LiveRow row;
    for (int k = 0; k < 1500; ++k) {
        row.at_s = 1e9 + k;
        row.voltage_V = 3.9 + 0.4 * k / 1000.0;  // on through the fault voltage
        row.current_A = 1.5;
        row.temperature_C = 24;
        channel.take({row});
    }
    ASSERT_TRUE(channel.stopNow());
    EXPECT_EQ(channel.stopNow()->what, "overvoltage");
    EXPECT_FALSE(promises(channel));
    // Taken off, the alarm stands until it was seen.
    for (int k = 1500; k < 1700; ++k) {
        row.at_s = 1e9 + k;
        row.voltage_V = 4.1;
        row.current_A = 0;
        channel.take({row});
    }
    const auto& alarms = channel.alarms();
    const auto it = std::ranges::find(alarms, "overvoltage", &StandingAlarm::code);
    ASSERT_NE(it, alarms.end());
    EXPECT_TRUE(it->over);
    EXPECT_TRUE(it->stands()) << "latched";
    channel.acknowledge("overvoltage");
    EXPECT_FALSE(
        std::ranges::find(channel.alarms(), "overvoltage", &StandingAlarm::code)->stands());
}

TEST(StopNow, ADeadCellIsCalledBeforeTheChargeGoesOn) {
    LiveChannel channel(cell("nmc", 3, 3), {});
    LiveRow row;
    row.cells_V = {3.7, 3.7, 0.62};
    row.voltage_V = 8.02;
    row.current_A = 0;
    row.at_s = 1e9;
    bool called = false;
    for (const LiveEvent& e : channel.take({row})) called = called || e.what == "out_of_use";
    EXPECT_TRUE(called);
}

TEST(KeptAlarms, SurviveAndAreReadWithCare) {
    const std::vector<KeptAlarm> alarms = {{"left", "peak", "It has passed its peak.", 1.8e9, true},
                                           {"right", "no_data", "Nothing came.", 1.81e9, false}};
    EXPECT_EQ(keptAlarmsIn(keptAlarmsText(alarms)), alarms);
    for (const char* bad : {"", "[]", "{}", R"({"alarms": 3})", R"({"alarms": [1, {"code": 5}]})",
                            R"({"alarms": [{"code": "x", "at_s": "soon"}]})"})
        EXPECT_LE(keptAlarmsIn(bad).size(), 1U) << bad;
    EXPECT_LE(keptAlarmsIn(keptAlarmsText(std::vector<KeptAlarm>(1000, alarms[0]))).size(), 100U);
}

}  // namespace
}  // namespace nk
