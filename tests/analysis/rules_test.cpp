// Stop rules as flags, their ranking, the meter check, and settings against facts.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "analysis/finish/meter_check.h"
#include "analysis/finish/rule_moves.h"
#include "analysis/finish/rule_ranking.h"
#include "tests/support/sim.h"

using namespace nk;
using testing::HasSubstr;

namespace {

/// A nickel charge: voltage rises, peaks at 4800 s and falls; it warms in the end.
RecordingPtr nickelCharge(double noise_V = 0) {
    std::mt19937 random(4);
    std::normal_distribution<double> noise(0, noise_V);
    std::vector<double> t, v, i, c;
    for (int k = 0; k <= 6600; ++k) {
        const bool on = k >= 60 && k < 6000;
        t.push_back(k);
        v.push_back((on ? 1.45 - 2e-8 * std::pow(k - 4800.0, 2) : 1.30) +
                    (noise_V > 0 ? noise(random) : 0));
        i.push_back(on ? 1.2 : 0);
        c.push_back(20 + (k > 4000 ? 12e-3 * (std::min(k, 6000) - 4000) : 0));
    }
    return nk::test::recording(t, v, i, c);
}

struct Bench {
    explicit Bench(RecordingPtr r, const std::string& chemistry = "nimh", double rated = 1.6)
        : recording(std::move(r)) {
        battery.chemistry = chemistry;
        battery.series = 1;
        battery.rated_Ah = rated;
        steps = findSteps(*recording, battery);
    }
    AnalysisInput in() const { return {*recording, steps, battery, accuracy}; }
    ChargeSpan charge() const { return chargeSpans(in()).at(0); }

    RecordingPtr recording;
    Battery battery;
    Steps steps;
    InstrumentAccuracy accuracy;
};

}  // namespace

TEST(RuleMoves, AFlagFiresWhereItWasPut) {
    using Kind = StopCondition::Kind;
    const Bench b(nickelCharge());
    struct {
        Kind kind;
        double at;
    } const rows[] = {{Kind::NegativeDeltaV, 5400}, {Kind::ZeroDeltaV, 5200}, {Kind::DeltaT, 5000},
                      {Kind::MaxTemperature, 5500}, {Kind::Timer, 3000},      {Kind::Input, 4000}};
    for (const auto& row : rows) {
        const auto c = conditionAt(b.in(), b.charge(), row.kind, row.at, 600);
        ASSERT_TRUE(c) << c.error().text();
        StopRule rule;
        rule.conditions = {*c};
        rule.text = ruleText(rule);
        const auto read = parseRule(rule.text);
        ASSERT_TRUE(read) << rule.text << " is read back";
        const ReplayResult r = replay(b.in(), b.charge(), *read);
        ASSERT_EQ(r.fired, Fired::Yes) << rule.text;
        EXPECT_NEAR(r.time_s, row.at, 12) << rule.text;
        EXPECT_FALSE(conditionWords(*c).empty());
        EXPECT_FALSE(conditionLabel(*c).empty());
    }
}

TEST(RuleMoves, RefusesWhatCannotBe) {
    using Kind = StopCondition::Kind;
    const Bench b(nickelCharge());
    EXPECT_THAT(conditionAt(b.in(), b.charge(), Kind::NegativeDeltaV, 3000, 600).error().text(),
                HasSubstr("not fallen"));
    EXPECT_THAT(conditionAt(b.in(), b.charge(), Kind::NegativeDeltaV, 200, 600).error().text(),
                HasSubstr("hold-off"));
    EXPECT_THAT(conditionAt(b.in(), b.charge(), Kind::Inflection, 4000, 600).error().text(),
                HasSubstr("no threshold"));
    // The fall stays within 2 to 20 mV, what chargers can be set to.
    const auto deep = conditionAt(b.in(), b.charge(), Kind::NegativeDeltaV, 5999, 600);
    ASSERT_TRUE(deep);
    EXPECT_LE(deep->threshold, 20e-3);
}

TEST(RuleRanking, ThePeakIsTheReferenceOfNickel) {
    const Bench b(nickelCharge(0.0004));
    const auto ranking = rankRules(b.in(), b.charge(), defaultRules(b.battery));
    EXPECT_NEAR(ranking.full.time_s, 4800, 60);
    EXPECT_NEAR(ranking.full.charge_Ah, 1.2 * (4800 - 60) / 3600, 0.03);
    ASSERT_EQ(ranking.rules.size(), 7u);
    EXPECT_EQ(ranking.rules.front().result.fired, Fired::Yes);
    for (std::size_t k = 1; k < ranking.rules.size(); ++k)
        EXPECT_GE(ranking.rules[k].score, ranking.rules[k - 1].score);
    EXPECT_THAT(ranking.advice, HasSubstr("after the peak"));
    EXPECT_THAT(ranking.advice, HasSubstr("timer"));
    EXPECT_TRUE(ranking.anySuits);
}

TEST(RuleRanking, WithoutAPeakATemperatureRuleOrATimerIsTheHonestChoice) {
    std::vector<double> t, v, i;
    for (int k = 0; k <= 60000; k += 10) {
        t.push_back(k);
        v.push_back(k >= 60 ? 1.42 - 0.1 * std::exp(-k / 20000.0) : 1.25);
        i.push_back(k >= 60 ? 0.16 : 0);
    }
    const Bench b(nk::test::recording(t, v, i));
    const auto ranking = rankRules(b.in(), b.charge(), defaultRules(b.battery));
    EXPECT_THAT(ranking.advice, HasSubstr("no voltage peak"));
    EXPECT_THAT(ranking.advice, HasSubstr("timer"));
    EXPECT_THAT(ranking.full.words, HasSubstr("110 %"));
}

TEST(RuleRanking, LithiumCutOffsAreCarriedOnByTheFit) {
    // Constant current 1 A, then an exponential tail with τ = 900 s cut at C/8 of 2 Ah.
    std::vector<double> t, v, i;
    int k = 0;
    for (; k < 300; ++k) t.push_back(k), v.push_back(3.6), i.push_back(0);
    for (; k < 3900; ++k)
        t.push_back(k), v.push_back(3.7 + 0.5 * (k - 300) / 3600.0), i.push_back(1);
    for (; std::exp(-(k - 3900) / 900.0) > 0.25; ++k)
        t.push_back(k), v.push_back(4.2), i.push_back(std::exp(-(k - 3900) / 900.0));
    for (int n = 0; n < 600; ++n, ++k) t.push_back(k), v.push_back(4.18), i.push_back(0);
    const Bench b(nk::test::recording(t, v, i), "nmc", 2.0);
    const auto ranking = rankRules(b.in(), b.charge(), defaultRules(b.battery));
    // Analytic: the tail reaches I at 3900 + 900·ln(1/I).
    for (const RankedRule& r : ranking.rules) {
        const auto rule = parseRule(r.result.rule);
        const double current = 2.0 * rule->conditions[0].taperFraction;
        const double at = 3900 + 900 * std::log(1 / current);
        ASSERT_TRUE(std::isfinite(r.result.time_s)) << r.result.rule;
        EXPECT_NEAR(r.result.time_s, at, 0.03 * (at - 3900) + 2) << r.result.rule;
        EXPECT_EQ(r.extrapolated, current < 0.249) << r.result.rule;
    }
    EXPECT_THAT(ranking.advice, HasSubstr("stopped"));
    EXPECT_THAT(ranking.advice, HasSubstr("before C/20"));
}

TEST(MeterCheck, OffsetAndLeadAreToldApart) {
    // The logger reads 20 mV high and sits behind 50 mΩ of lead.
    const double offset = 0.020;
    const double lead = 0.050;
    std::vector<double> t, v, i;
    for (int k = 0; k < 1200; ++k) {
        const double current = k < 600 ? 0 : 2;
        const double true_V = 12.0 + 0.1 * current;
        t.push_back(k), i.push_back(current), v.push_back(true_V + offset + lead * current);
    }
    const auto r = nk::test::recording(t, v, i);
    MeterReading rest{300, 12.000, 0.001, 0.0002, MeterReading::Place::Terminals};
    MeterReading flow{900, 12.200, 0.001, 0.0002, MeterReading::Place::Terminals};
    const auto both = checkMeter(*r, {rest, flow});
    ASSERT_TRUE(both) << both.error().text();
    ASSERT_EQ(both->proposals.size(), 2u);
    EXPECT_NEAR(both->proposals[0].value, -offset, 1e-6);
    EXPECT_NEAR(both->proposals[1].value, lead, 1e-6);
    const auto corrected = applyCorrections(r, both->proposals);
    EXPECT_NEAR(corrected->voltage_V()[300], 12.0, 1e-9);
    EXPECT_NEAR(corrected->voltage_V()[900], 12.2, 1e-9);
    EXPECT_NEAR(r->voltage_V()[900], 12.32, 1e-9) << "the logged samples stay";

    // The charger's reading minus the meter at the terminals, over the current (methods §6).
    const auto alone = checkMeter(*r, {flow});
    ASSERT_TRUE(alone);
    ASSERT_EQ(alone->proposals.size(), 1u);
    EXPECT_NEAR(alone->proposals[0].value, (12.32 - 12.20) / 2, 1e-6);
    EXPECT_THAT(alone->words.back(), HasSubstr("one reading"));
}

TEST(MeterCheck, SlipsAreRefusedWithAHint) {
    std::vector<double> t, v, i;
    for (int k = 0; k < 600; ++k) t.push_back(k), v.push_back(12.3), i.push_back(k < 300 ? 0 : 1);
    const auto r = nk::test::recording(t, v, i);
    const auto text = [&](double at, double volts) {
        const auto x = checkMeter(*r, {{at, volts, 0.01, 0.005, MeterReading::Place::Terminals}});
        return x ? std::string() : x.error().text();
    };
    EXPECT_THAT(text(100, 12300), HasSubstr("mV"));
    EXPECT_THAT(text(100, 4.1), HasSubstr("single cell"));
    EXPECT_THAT(text(5000, 12.3), HasSubstr("not in the recording"));
    EXPECT_THAT(text(300, 12.3), HasSubstr("steady current"));
    EXPECT_FALSE(checkMeter(*r, {}));
    EXPECT_EQ(text(100, 12.31), "");
}

TEST(Corrections, AnUnseenLoadCountsInTheCapacity) {
    std::vector<double> t, v, i;
    for (int k = 0; k <= 3600; ++k) t.push_back(k), v.push_back(10), i.push_back(-1);
    const auto r = nk::test::recording(t, v, i);
    const auto charge = [&](Correction::Kind kind, double value) {
        const Correction c{0, kind, value, 0, 0, kNaN, "lamp"};
        const auto fixed = applyCorrections(r, std::span(&c, 1));
        return integrate(*fixed, 0, fixed->size() - 1).charge_Ah;
    };
    EXPECT_NEAR(charge(Correction::Kind::UnseenCurrent, -0.5), -1.5, 1e-9);
    EXPECT_NEAR(charge(Correction::Kind::UnseenPower, -5), -1.5, 1e-9);
    EXPECT_NEAR(charge(Correction::Kind::UnseenResistance, 20), -1.5, 1e-9);
    EXPECT_NEAR(charge(Correction::Kind::UnseenResistance, 0), -1.0, 1e-9)
        << "no resistance, no change";
    EXPECT_EQ(applyCorrections(r, {}), r);
    for (const auto kind : {Correction::Kind::VoltageOffset, Correction::Kind::LeadResistance,
                            Correction::Kind::UnseenCurrent, Correction::Kind::UnseenPower,
                            Correction::Kind::UnseenResistance}) {
        Correction::Kind back{};
        ASSERT_TRUE(correctionKindFrom(toString(kind), back));
        EXPECT_EQ(back, kind);
    }
}

TEST(Settings, AreNotFacts) {
    // 20 W at 7.2 V is about 2.8 A, whatever is set (docs/methods.md §11).
    const auto log = nk::test::logged(R"({"battery": {"chemistry": "nmc", "series": 2,
      "rated_Ah": 5, "r0_ohm": 0.03, "soc": 0.2}, "program": [{"do": "rest", "longest_s": 120},
      {"do": "charge", "current_A": 5, "power_W": 20, "set_V": 8.4, "cutoff_A": 0.25},
      {"do": "rest", "longest_s": 120}]})");
    Battery b;
    b.chemistry = "nmc", b.series = 2, b.rated_Ah = 5;
    b.charger.current_A = 5;
    const auto a = analyse(*log.imported.recording, b);
    const auto f = std::find_if(a.findings.begin(), a.findings.end(),
                                [](const Finding& x) { return x.code == "current_not_as_set"; });
    ASSERT_NE(f, a.findings.end());
    EXPECT_THAT(f->advice, HasSubstr("power limit"));
    b.charger.current_A = 0;
    for (const Finding& x : analyse(*log.imported.recording, b).findings)
        EXPECT_NE(x.code, "current_not_as_set") << "nothing was said of the setting";
}

TEST(Settings, AChargerThatBeganAnewAfterAPowerCut) {
    const auto log = nk::test::logged(R"({"battery": {"chemistry": "nimh", "series": 4,
      "rated_Ah": 2, "r0_ohm": 0.03, "soc": 0.1}, "program": [{"do": "rest", "longest_s": 120},
      {"do": "charge", "current_A": 0.4, "longest_s": 7300},
      {"do": "rest", "longest_s": 600},
      {"do": "charge", "current_A": 0.4, "longest_s": 14400},
      {"do": "rest", "longest_s": 300}]})");
    Battery b;
    b.chemistry = "nimh", b.series = 4, b.rated_Ah = 2;
    const auto a = analyse(*log.imported.recording, b);
    const auto f = std::find_if(a.findings.begin(), a.findings.end(),
                                [](const Finding& x) { return x.code == "charger_restarted"; });
    ASSERT_NE(f, a.findings.end());
    EXPECT_THAT(f->text, HasSubstr("121 % of the rating"));
}
