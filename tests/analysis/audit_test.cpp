// The audit of chargers: each verdict on a log that deserves it and on one that does not. Logs are
// drawn from formulas, so that the verdict does not depend on our own cell model.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>

#include "analysis/analysis.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

using testing::HasSubstr;

/// A log under construction: sample after sample, a fixed interval apart.
struct Drawn {
    double interval_s = 5;
    RecordingData d;

    /// `length_s` of samples; voltage, current and temperature as functions of the time since its
    /// start, s.
    using Curve = std::function<double(double)>;
    Drawn& add(
        double length_s, const Curve& voltage, const Curve& current,
        const Curve& temperature = [](double) { return 20.0; }) {
        for (double t = 0; t < length_s; t += interval_s) {
            d.time_s.push_back(interval_s * static_cast<double>(d.time_s.size()));
            d.voltage_V.push_back(voltage(t));
            d.current_A.push_back(current(t));
            d.temperature_C.push_back(temperature(t));
        }
        return *this;
    }
    Drawn& rest(double length_s, double voltage_V, double temperature_C = 20) {
        return add(
            length_s, [=](double) { return voltage_V; }, [](double) { return 0.0; },
            [=](double) { return temperature_C; });
    }
    RecordingPtr recording() const { return Recording::make(d); }
};

Battery battery(const std::string& chemistry, double rated_Ah = 2, int series = 1) {
    Battery b;
    b.chemistry = chemistry, b.rated_Ah = rated_Ah, b.series = series;
    return b;
}

const Finding* find(const Analysis& a, const std::string& code) {
    const auto f = std::ranges::find(a.findings, code, &Finding::code);
    return f == a.findings.end() ? nullptr : &*f;
}

double rising(double from, double to, double length_s, double t) {
    return from + (to - from) * t / length_s;
}

/// A rest at `rested_V`, then an hour of constant current.
Analysis startedAt(const std::string& chemistry, double rested_V) {
    Drawn log;
    log.rest(600, rested_V)
        .add(
            3600, [=](double t) { return rising(rested_V + 0.05, rested_V + 0.6, 3600, t); },
            [](double) { return 1.0; });
    return analyse(*log.recording(), battery(chemistry));
}

TEST(OverdrainedStart, LithiumUnderItsFloorIsAWarningAndUnderItsLastLimitAHazard) {
    // Limits of docs/methods.md §12: NMC 2.5 V a cell over-drained, under 1.5 V out of use.
    const Chemistry& nmc = **findChemistry("nmc");
    const Analysis sound = startedAt("nmc", nmc.overdrained_V + 0.3);
    EXPECT_EQ(find(sound, "overdrained_start"), nullptr);
    const Analysis low = startedAt("nmc", nmc.overdrained_V - 0.15);
    const Finding* f = find(low, "overdrained_start");
    ASSERT_NE(f, nullptr);
    EXPECT_EQ(f->severity, Severity::Verdict);
    EXPECT_THAT(f->advice, HasSubstr("tenth of the usual current"));
    EXPECT_NEAR(f->evidence.from_s, 0, 6) << "the evidence begins with the rest";
    const Analysis dead = startedAt("nmc", nmc.outOfUse_V - 0.1);
    f = find(dead, "overdrained_start");
    ASSERT_NE(f, nullptr);
    EXPECT_EQ(f->severity, Severity::Hazard);
    EXPECT_THAT(f->advice, HasSubstr("out of use"));
}

TEST(OverdrainedStart, NickelIsRescuedGently) {
    const Chemistry& nimh = **findChemistry("nimh");
    const Analysis a = startedAt("nimh", nimh.overdrained_V - 0.1);
    const Finding* f = find(a, "overdrained_start");
    ASSERT_NE(f, nullptr);
    EXPECT_EQ(f->severity, Severity::Verdict) << "no nickel cell is out of use for that alone";
    EXPECT_THAT(f->advice, HasSubstr("0.1C"));
}

/// A rest at 3.6 V, 30 s of constant current, and an hour of taper at 4.2 V.
Analysis atTheTopAtOnce(double temperature_C) {
    Drawn log;
    log.interval_s = 2;
    log.rest(600, 3.6, temperature_C)
        .add(
            30, [](double t) { return rising(4.0, 4.2, 30, t); }, [](double) { return 1.0; },
            [=](double) { return temperature_C; })
        .add(
            3600, [](double) { return 4.2; }, [](double t) { return std::exp(-t / 900); },
            [=](double) { return temperature_C; })
        .rest(300, 4.15, temperature_C);
    return analyse(*log.recording(), battery("nmc"));
}

TEST(Worn, TheSetVoltageInTheFirstMinuteIsAResistance) {
    const Analysis warm = atTheTopAtOnce(21);
    const Finding* f = find(warm, "worn");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->text, HasSubstr("21 °C"));
    EXPECT_THAT(f->advice, HasSubstr("worn"));
    const Analysis cold = atTheTopAtOnce(2);
    f = find(cold, "worn");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->advice, HasSubstr("warm it")) << "cold before worn";
}

/// A nickel charge at `current_A` for `length_s`: a parabola with its top at `peak_s`.
Drawn nickel(double current_A, double length_s, double peak_s, double fall_V = 0.02) {
    Drawn log;
    log.rest(300, 1.25).add(
        length_s,
        [=](double t) {
            const double x = (t - peak_s) / peak_s;
            return 1.46 - (t < peak_s ? 0.12 * x * x : fall_V * std::min(1.0, (t - peak_s) / 600));
        },
        [=](double) { return current_A; },
        [=](double t) { return 20 + (t > peak_s ? 8e-3 * (t - peak_s) : 0); });
    return log.rest(300, 1.42, 30);
}

TEST(Nickel, OverchargeIsCountedFromThePeakOrAgainstTheRating) {
    const Analysis prompt = analyse(*nickel(2, 3700, 3500).recording(), battery("nimh"));
    EXPECT_EQ(find(prompt, "overcharged"), nullptr);
    const Analysis late = analyse(*nickel(2, 5000, 3500).recording(), battery("nimh"));
    const Finding* f = find(late, "overcharged");
    ASSERT_NE(f, nullptr);
    const Reading* peak = late.reading("peak_time");
    ASSERT_NE(peak, nullptr);
    EXPECT_NEAR(peak->value, 300 + 3500, peak->expanded()) << "a kink, which no cubic has";
    // 2 A for 1500 s is 833 mAh; the peak is known to half a minute, 17 mAh.
    EXPECT_THAT(f->text, testing::ContainsRegex("8(2|3|4)[0-9].mAh|8(2|3|4)[0-9]..?.?mAh"));
    EXPECT_NEAR(f->evidence.from_s, 300 + 3500, 120) << "it begins at the peak";

    // Slow, without a peak: 0.2 A for 17 h is 170 % of 2 Ah. The standard's full charge is 160 %
    // (IEC 61951-2: 16 h at 0.1 It; from memory).
    const auto slow = [](double hours) {
        Drawn log;
        log.interval_s = 30;
        log.rest(600, 1.2).add(
            hours * 3600, [=](double t) { return 1.44 - 0.2 * std::exp(-t / 9000); },
            [](double) { return 0.2; });
        return analyse(*log.rest(600, 1.4).recording(), battery("nimh"));
    };
    EXPECT_EQ(find(slow(16), "overcharged"), nullptr);
    const Analysis longer = slow(17);
    f = find(longer, "overcharged");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->text, HasSubstr("170 % of the rating"));
    const Finding* none = find(longer, "no_peak");
    ASSERT_NE(none, nullptr);
    EXPECT_THAT(none->advice, HasSubstr("temperature or by a timer"));
}

TEST(Nickel, ACapacityLimitThatCameFirstIsNamed) {
    Drawn log;
    log.rest(300, 1.25).add(
        1800, [](double t) { return 1.30 + 0.1 * t / 1800; }, [](double) { return 2.0; });
    log.rest(300, 1.37);
    Battery b = battery("nimh");
    b.charger.charge_Ah = 1.0;
    const Analysis a = analyse(*log.recording(), b);
    const Finding* f = find(a, "no_peak");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->advice, HasSubstr("capacity limit"));
    b.charger.charge_Ah = 3.0;
    const Analysis other = analyse(*log.recording(), b);
    ASSERT_NE(find(other, "no_peak"), nullptr);
    EXPECT_THAT(find(other, "no_peak")->advice, HasSubstr("If a capacity limit"))
        << "a limit that was not reached is no cause, only a guess";
}

TEST(Balancing, ASmallSteadyCurrentWithConvergingCellsIsNoFault) {
    // Two cells at 8.4 V in all, 20 mA for two hours; their difference shrinks from 40 mV.
    const auto held = [](bool balancer) {
        Drawn log;
        log.interval_s = 10;
        log.rest(600, 7.6)
            .add(
                3600, [](double t) { return rising(7.7, 8.4, 3600, t); },
                [](double) { return 1.0; })
            .add(
                9000, [](double) { return 8.4; },
                [](double t) { return 0.02 + 0.98 * std::exp(-t / 400); });
        log.rest(300, 8.39);
        RecordingData d = log.d;
        d.cells_V.resize(2);
        for (std::size_t k = 0; k < d.time_s.size(); ++k) {
            const double t = d.time_s[k] - 4200;
            const double apart = balancer && t > 0 ? 0.040 * std::exp(-t / 5000) : 0.040;
            d.cells_V[0].push_back(d.voltage_V[k] / 2 + apart / 2);
            d.cells_V[1].push_back(d.voltage_V[k] / 2 - apart / 2);
        }
        return analyse(*Recording::make(d), battery("nmc", 2, 2));
    };
    const Analysis balanced = held(true);
    ASSERT_NE(find(balanced, "balancing"), nullptr);
    EXPECT_EQ(find(balanced, "not_terminated"), nullptr);
    const Analysis stuck = held(false);
    EXPECT_EQ(find(stuck, "balancing"), nullptr);
    EXPECT_NE(find(stuck, "not_terminated"), nullptr);
}

/// A charge of an hour whose current follows `current`; 1 A was set.
std::string whyNotAsSet(const Drawn::Curve& current) {
    Drawn log;
    log.rest(300, 3.5).add(
        3600, [](double t) { return rising(3.6, 4.0, 3600, t); }, current);
    log.rest(300, 3.95);
    Battery b = battery("nmc");
    b.charger.current_A = 1;
    const Analysis a = analyse(*log.recording(), b);
    const Finding* f = find(a, "current_not_as_set");
    return f == nullptr ? "" : f->advice;
}

TEST(Settings, SayWhyTheCurrentIsNotAsSet) {
    EXPECT_EQ(whyNotAsSet([](double) { return 0.98; }), "") << "within five percent";
    EXPECT_THAT(whyNotAsSet([](double) { return 0.8; }), HasSubstr("steady at the lower value"));
    EXPECT_THAT(whyNotAsSet([](double t) { return 0.9 - 0.25 * t / 3600; }), HasSubstr("sags"));
    EXPECT_THAT(whyNotAsSet([](double) { return 1.3; }), HasSubstr("More than was set"));
}

}  // namespace
}  // namespace nk
