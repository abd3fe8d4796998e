// Stop rules replayed on families of charges in closed form, against a second way of telling their
// moment: a plain walk over the same rows that knows nothing of windows, spans or memory.
#include <gtest/gtest.h>

#include <cmath>
#include <optional>
#include <random>

#include "analysis/finish/replay.h"
#include "analysis/finish/rule_moves.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

struct Charge {
    RecordingPtr recording;
    Battery battery;
    std::size_t first = 0, last = 0;  ///< rows with current
    double interval_s = 1;
};

/// A nickel charge that rises, peaks and falls; it warms towards the end.
Charge nickel(unsigned seed) {
    std::mt19937 draw(seed);
    const auto between = [&](double a, double b) {
        return std::uniform_real_distribution<double>(a, b)(draw);
    };
    Charge out;
    const int cells = 1 + static_cast<int>(draw() % 8);
    out.interval_s = std::vector{1.0, 2.0, 5.0, 10.0}[draw() % 4];
    const double amps = between(0.8, 2.5);
    const double peak_s = between(3000, 6000);
    const double end_s = peak_s + between(300, 1500);
    const double curve = between(1e-8, 6e-8);
    const double warm = between(3, 12) * 1e-3;
    std::vector<double> t, v, i, c;
    for (double s = 0; s <= end_s + 900; s += out.interval_s) {
        const bool on = s >= 60 && s < end_s;
        if (on && out.first == 0) out.first = t.size();
        if (on) out.last = t.size();
        t.push_back(s);
        v.push_back(cells * (on ? 1.48 - curve * (s - peak_s) * (s - peak_s) : 1.32));
        i.push_back(on ? amps : 0);
        c.push_back(22 + warm * std::max(0.0, std::min(s, end_s) - 0.7 * peak_s));
    }
    out.recording = test::recording(t, v, i, c);
    out.battery.chemistry = "nimh";
    out.battery.series = cells;
    out.battery.rated_Ah = amps * peak_s / 3600 / 1.1;
    return out;
}

/// Constant current, then an exponential taper at constant voltage.
Charge lithium(unsigned seed) {
    std::mt19937 draw(seed);
    const auto between = [&](double a, double b) {
        return std::uniform_real_distribution<double>(a, b)(draw);
    };
    Charge out;
    const int cells = 1 + static_cast<int>(draw() % 6);
    out.interval_s = std::vector{1.0, 2.0, 5.0, 10.0}[draw() % 4];
    const double amps = between(0.5, 5);
    const double knee_s = between(2000, 5000);
    const double tau_s = between(500, 1200);
    const double end_s = knee_s + between(3, 4.5) * tau_s;
    std::vector<double> t, v, i, c;
    for (double s = 0; s <= end_s + 600; s += out.interval_s) {
        const bool on = s >= 60 && s < end_s;
        if (on && out.first == 0) out.first = t.size();
        if (on) out.last = t.size();
        t.push_back(s);
        const double rise = std::min(1.0, (s - 60) / (knee_s - 60));
        v.push_back(cells * (on ? 3.5 + 0.7 * rise : s < 60 ? 3.45 : 4.18));
        i.push_back(!on ? 0 : s < knee_s ? amps : amps * std::exp(-(s - knee_s) / tau_s));
        c.push_back(20 + 0.002 * std::min(s, end_s));
    }
    out.recording = test::recording(t, v, i, c);
    out.battery.chemistry = "nmc";
    out.battery.series = cells;
    out.battery.rated_Ah = amps * (knee_s + tau_s) / 3600;
    return out;
}

/// The first row from the hold-off on at which a condition holds; nothing: it never does.
std::optional<double> plainly(const Charge& x, const StopCondition& c, double holdOff_s) {
    using Kind = StopCondition::Kind;
    const auto t = x.recording->time_s();
    const auto v = x.recording->voltage_V();
    const auto i = x.recording->current_A();
    const auto warm = x.recording->temperature_C();
    const double cells = x.battery.series;
    const double start = t[x.first];
    double top = -1e300;
    double stands = start;
    double moved = 0;
    for (std::size_t k = x.first; k <= x.last; ++k) {
        const bool hears = t[k] - start >= holdOff_s;
        if (k > x.first) moved += 0.5 * (i[k] + i[k - 1]) * (t[k] - t[k - 1]) / 3600;
        bool fires = false;
        switch (c.kind) {
            case Kind::NegativeDeltaV:
                if (!hears) break;
                top = std::max(top, v[k]);
                fires = top - v[k] >= c.threshold * cells - 1e-12;
                break;
            case Kind::ZeroDeltaV:
                if (!hears) break;
                if (v[k] > top + c.rise_V * cells) top = v[k], stands = t[k];
                fires = t[k] - stands >= c.threshold - 1e-9;
                break;
            case Kind::MaxVoltage:
                fires = hears && v[k] >= c.threshold * cells - 1e-9;
                break;
            case Kind::MaxTemperature:
                fires = warm[k] >= c.threshold - 1e-9;
                break;
            case Kind::DeltaT:
                fires = warm[k] - warm[x.first] >= c.threshold - 1e-9;
                break;
            case Kind::Timer:
                fires = t[k] - start >= c.threshold - 1e-9;
                break;
            case Kind::Input:
                fires = moved >= c.threshold * x.battery.rated_Ah - 1e-12;
                break;
            case Kind::Taper: {
                const double limit =
                    c.taperFraction > 0 ? c.taperFraction * x.battery.rated_Ah : c.threshold;
                fires = i[k] <= limit + 1e-12;
                break;
            }
            default:
                return std::nullopt;
        }
        if (fires) return t[k];
    }
    return std::nullopt;
}

void compare(const Charge& x, const std::vector<std::string>& rules, int& fired, int& silent) {
    const Steps steps = findSteps(*x.recording, x.battery);
    const InstrumentAccuracy accuracy;
    const AnalysisInput in{*x.recording, steps, x.battery, accuracy};
    const auto spans = chargeSpans(in);
    ASSERT_EQ(spans.size(), 1U);
    for (const std::string& text : rules) {
        const auto rule = parseRule(text);
        ASSERT_TRUE(rule) << text;
        std::optional<double> expected;
        for (const StopCondition& c : rule->conditions)
            if (const auto at = plainly(x, c, rule->holdOff_s))
                expected = expected ? std::min(*expected, *at) : *at;
        const ReplayResult found = replay(in, spans[0], *rule);
        if (!expected) {
            EXPECT_NE(found.fired, Fired::Yes) << text << " at " << found.time_s;
            ++silent;
            continue;
        }
        ASSERT_EQ(found.fired, Fired::Yes) << text << " is due at " << *expected;
        ++fired;
        EXPECT_NEAR(found.time_s, *expected, 2 * x.interval_s + 1e-6) << text;
        EXPECT_GE(found.condition, 0);
        // What went in until then, by the same rows.
        const auto t = x.recording->time_s();
        const auto i = x.recording->current_A();
        double moved = 0;
        for (std::size_t k = x.first + 1; k <= x.last && t[k] <= found.time_s + 1e-9; ++k)
            moved += 0.5 * (i[k] + i[k - 1]) * (t[k] - t[k - 1]) / 3600;
        EXPECT_NEAR(found.charge_Ah, moved, 1e-9 + 1e-6 * moved) << text;
    }
}

TEST(ReplayFamilies, NickelRulesFireWhereAPlainWalkSaysSo) {
    int fired = 0;
    int silent = 0;
    for (unsigned seed = 1; seed <= 24; ++seed) {
        SCOPED_TRACE(seed);
        compare(nickel(seed),
                {"-dv:1mV",
                 "-dv:3mV",
                 "-dv:8mV",
                 "-dv:20mV",
                 "0dv:3min",
                 "0dv:10min:1mV",
                 "tmax:30C",
                 "tmax:45C",
                 "tmax:80C",
                 "dt:3C",
                 "dt:12C",
                 "timer:20min",
                 "timer:75min",
                 "timer:10h",
                 "input:50%",
                 "input:105%",
                 "input:300%",
                 "vmax:1.45V",
                 "vmax:1.6V",
                 "timer:70min|-dv:3mV",
                 "-dv:3mV@holdoff=2h",
                 "-dv:3mV@holdoff=0s",
                 "tmax:40C|dt:8C|timer:80min"},
                fired, silent);
    }
    EXPECT_GT(fired, 250);
    EXPECT_GT(silent, 60) << "rules that never fire are asked too";
}

TEST(ReplayFamilies, LithiumRulesFireWhereAPlainWalkSaysSo) {
    int fired = 0;
    int silent = 0;
    for (unsigned seed = 1; seed <= 24; ++seed) {
        SCOPED_TRACE(seed);
        compare(lithium(seed),
                {"taper:C/5", "taper:C/10", "taper:C/20", "taper:C/1000", "taper:10mA",
                 "timer:30min", "timer:90min", "timer:20h", "input:40%", "input:95%", "vmax:3.9V",
                 "vmax:4.15V", "vmax:4.3V", "tmax:22C", "tmax:60C", "dt:4C",
                 "taper:C/10|timer:60min", "vmax:4.0V|taper:C/20"},
                fired, silent);
    }
    EXPECT_GT(fired, 250);
    EXPECT_GT(silent, 60);
}

TEST(ReplayFamilies, WhatIsWrittenReadsBackAsTheSameRule) {
    using Kind = StopCondition::Kind;
    std::mt19937 draw(11);
    const auto between = [&](double a, double b) {
        return std::uniform_real_distribution<double>(a, b)(draw);
    };
    for (int n = 0; n < 400; ++n) {
        StopRule rule;
        const int conditions = 1 + static_cast<int>(draw() % 3);
        for (int k = 0; k < conditions; ++k) {
            StopCondition c;
            c.kind = static_cast<Kind>(draw() % 10);
            switch (c.kind) {
                case Kind::NegativeDeltaV:
                    c.threshold = between(0.001, 0.03);
                    break;
                case Kind::ZeroDeltaV:
                    c.threshold = std::round(between(60, 1800));
                    c.rise_V = draw() % 2 == 0 ? 0 : 0.001 * static_cast<double>(draw() % 5);
                    break;
                case Kind::DTdt:
                    c.threshold = between(0.2, 3);
                    break;
                case Kind::DeltaT:
                case Kind::MaxTemperature:
                    c.threshold = between(5, 60);
                    break;
                case Kind::MaxVoltage:
                    c.threshold = between(1.2, 4.3);
                    break;
                case Kind::Timer:
                    c.threshold = std::round(between(60, 60000));
                    break;
                case Kind::Input:
                    c.threshold = between(0.1, 2);
                    break;
                case Kind::Taper:
                    if (draw() % 2 == 0)
                        c.taperFraction = 1.0 / static_cast<double>(2 + draw() % 50);
                    else
                        c.threshold = between(0.005, 2);
                    break;
                case Kind::Inflection:
                    break;
            }
            rule.conditions.push_back(c);
        }
        if (draw() % 3 == 0) rule.holdOff_s = 60.0 * static_cast<double>(draw() % 40);
        const std::string text = ruleText(rule);
        const auto read = parseRule(text);
        ASSERT_TRUE(read) << text << ": " << read.error().text();
        ASSERT_EQ(read->conditions.size(), rule.conditions.size()) << text;
        for (std::size_t k = 0; k < rule.conditions.size(); ++k) {
            const StopCondition& a = rule.conditions[k];
            const StopCondition& b = read->conditions[k];
            EXPECT_EQ(a.kind, b.kind) << text;
            // As many digits as people set on a charger.
            EXPECT_NEAR(a.threshold, b.threshold, 0.06 * std::abs(a.threshold) + 1e-12) << text;
            EXPECT_NEAR(a.taperFraction, b.taperFraction, 1e-9) << text;
            EXPECT_NEAR(a.rise_V, b.rise_V, 1e-6) << text;
            EXPECT_FALSE(conditionLabel(b).empty());
            EXPECT_FALSE(conditionWords(b).empty());
        }
        EXPECT_NEAR(read->holdOff_s, rule.holdOff_s, 1e-6) << text;
        EXPECT_EQ(ruleText(*read), text) << "written again it is the same";
    }
}

}  // namespace
}  // namespace nk
