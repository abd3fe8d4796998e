// Presenters without a window: what the Finish and Strength stations say of a charge, of rules that
// are typed or moved, of readings by hand.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "app/finish/finish_presenter.h"
#include "app/strength/strength_presenter.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

ShownPtr shownOf(const std::string& json, const Battery& battery) {
    const test::Logged log = test::logged(json);
    auto out = std::make_shared<ShownRecording>();
    out->id = 1;
    out->batteryId = 7;
    out->title = "night";
    out->recording = log.imported.recording;
    out->analysis = analyse(*out->recording, battery);
    return out;
}

Battery lithium() {
    Battery b;
    b.chemistry = "nmc";
    b.series = 3;
    b.rated_Ah = 2.5;
    return b;
}

ShownPtr lithiumCharge(int seed = 1) {
    static std::map<int, ShownPtr> made;
    ShownPtr& out = made[seed];
    if (!out)
        out = shownOf(test::lithiumCycle(
                          R"({"interval_s": 5, "noise_V": 0.0005, "noise_A": 0.0005})", "{}", seed),
                      lithium());
    return out;
}

TEST(FinishPresenting, AChargeHasItsFlagsRankedAndItsPartInView) {
    FinishPresenter p;
    EXPECT_EQ(p.chargeCount(), 0);
    p.setShown(lithiumCharge());
    ASSERT_EQ(p.chargeCount(), 1);
    EXPECT_FALSE(p.nickel());
    EXPECT_TRUE(p.chargeLabel(0).startsWith("Charge 1 of 1, from "));
    const Ranking ranking = p.rankingWork(0)();
    const FinishView view = p.view(0, ranking);
    ASSERT_EQ(view.rows.size(), p.rules().size());
    EXPECT_LT(view.from_s, view.to_s);
    EXPECT_GE(view.full_s, view.from_s);
    EXPECT_LE(view.full_s, view.to_s);
    EXPECT_TRUE(view.fullWords.startsWith("Full is "));
    EXPECT_FALSE(view.advice.isEmpty());
    std::vector<int> rules;
    for (const RuleRow& row : view.rows) {
        rules.push_back(row.rule);
        EXPECT_FALSE(row.words.isEmpty()) << row.text.toStdString();
        EXPECT_TRUE(row.words.front().isUpper()) << row.words.toStdString();
        if (row.fired) {
            EXPECT_GE(row.time_s, view.from_s) << row.text.toStdString();
            EXPECT_LE(row.time_s, view.to_s);
            EXPECT_TRUE(row.charge.endsWith("Ah"));
        } else if (!row.extrapolated) {
            EXPECT_EQ(row.stops, "–") << "what did not fire has no time";
        }
    }
    std::ranges::sort(rules);
    for (std::size_t k = 0; k < rules.size(); ++k)
        EXPECT_EQ(rules[k], static_cast<int>(k)) << "every rule has one row";
}

TEST(FinishPresenting, ANickelChargeIsOne) {
    const ShownPtr shown = shownOf(
        R"({"seed": 4, "ambient_C": 23,
            "battery": {"name": "x", "chemistry": "nimh", "series": 6, "rated_Ah": 2.0, "soc": 0.1},
            "program": [{"do": "rest", "longest_s": 300},
                        {"do": "charge", "current_A": 2.0, "peak_drop_V": 0.005, "longest_s": 14400},
                        {"do": "rest", "longest_s": 600}],
            "logger": {"interval_s": 5, "noise_V": 0.0005, "noise_A": 0.0005, "noise_C": 0.05}})",
        [] {
            Battery b;
            b.chemistry = "nimh";
            b.series = 6;
            b.rated_Ah = 2.0;
            return b;
        }());
    FinishPresenter p;
    p.setShown(shown);
    ASSERT_EQ(p.chargeCount(), 1);
    EXPECT_TRUE(p.nickel());
    EXPECT_TRUE(std::ranges::any_of(p.ruleTexts(), [](const std::string& t) {
        return t.find("dv") != std::string::npos;
    })) << "nickel has its own usual rules";
}

TEST(FinishPresenting, RulesAreTypedAndSlipsAreNamed) {
    FinishPresenter p;
    p.setShown(lithiumCharge());
    const auto before = p.ruleTexts();
    ASSERT_TRUE(p.typeRule(-1, " timer:90min "));
    EXPECT_EQ(p.rules().size(), before.size() + 1) << "a new one is added at the end";
    const auto again = p.typeRule(-1, "timer:90min");
    ASSERT_FALSE(again);
    EXPECT_NE(again.error().text().find("on the list already"), std::string::npos);
    EXPECT_TRUE(p.typeRule(static_cast<int>(before.size()), "timer:90min"))
        << "typed over itself it is no second one";
    for (const char* bad : {"", "timer", "timer:-3h", "banana:5", "cutoff:", "timer:2h;rm -rf"}) {
        const auto wrong = p.typeRule(0, bad);
        EXPECT_FALSE(wrong) << bad;
        if (!wrong) {
            EXPECT_FALSE(wrong.error().text().empty());
        }
    }
    EXPECT_EQ(p.rules().size(), before.size() + 1) << "what cannot be read changes nothing";
    p.resetRules();
    EXPECT_EQ(p.ruleTexts(), before);
}

TEST(FinishPresenting, AMovedFlagFiresWhereItWasPut) {
    FinishPresenter p;
    p.setShown(lithiumCharge());
    const FinishView view = p.view(0, p.rankingWork(0)());
    int moved = 0;
    for (std::size_t k = 0; k < p.rules().size(); ++k)
        for (const double part : {0.3, 0.6, 0.9}) {
            const double t = view.from_s + part * (view.full_s - view.from_s);
            const auto now = p.movingWork(0, static_cast<int>(k), t)();
            if (!now) {
                EXPECT_FALSE(now.error().text().empty());
                continue;
            }
            ASSERT_EQ(now->rules.size(), p.rules().size());
            for (std::size_t other = 0; other < p.rules().size(); ++other) {
                if (other != k) {
                    EXPECT_EQ(now->rules[other].text, p.rules()[other].text) << "the others stay";
                }
            }
            // A taper cannot end a charge whose current has not begun to fall.
            if (now->rules[k].text.starts_with("taper") && part < 0.8) continue;
            for (const RankedRule& r : now->ranking.rules)
                if (r.result.rule == now->rules[k].text && r.result.fired == Fired::Yes) {
                    EXPECT_NEAR(r.result.time_s, t, 0.06 * (view.full_s - view.from_s) + 60)
                        << r.result.rule;
                    ++moved;
                }
        }
    EXPECT_GT(moved, 3);
    EXPECT_FALSE(p.movingWork(0, 99, 100)());
    EXPECT_FALSE(p.movingWork(5, 0, 100)());
    EXPECT_FALSE(p.movingWork(0, -1, 100)());
}

TEST(FinishPresenting, RulesStayWithTheBatteryAndGoWithAnother) {
    FinishPresenter p;
    p.setShown(lithiumCharge(1));
    ASSERT_TRUE(p.typeRule(-1, "timer:91min"));
    p.setShown(lithiumCharge(2));
    EXPECT_TRUE(std::ranges::count(p.ruleTexts(), "timer:91min"))
        << "another log of the same battery keeps what was typed";
    auto other = std::make_shared<ShownRecording>(*lithiumCharge(1));
    other->batteryId = 8;
    p.setShown(other);
    EXPECT_FALSE(std::ranges::count(p.ruleTexts(), "timer:91min"));
    p.setShown(nullptr);
    EXPECT_EQ(p.chargeCount(), 0);
}

struct Typed {
    const char* text;
    std::vector<double> ohms;  ///< empty: refused
};

void PrintTo(const Typed& typed, std::ostream* out) {
    *out << typed.text;
}

class ResistancesTyped : public testing::TestWithParam<Typed> {};

TEST_P(ResistancesTyped, AreReadOrRefused) {
    Battery b = lithium();
    const auto read = parseResistances(QString::fromUtf8(GetParam().text), b);
    ASSERT_EQ(read.has_value(), !GetParam().ohms.empty())
        << GetParam().text << (read ? "" : ": " + read.error().text());
    if (!read) {
        EXPECT_FALSE(read.error().text().empty());
        return;
    }
    ASSERT_EQ(read->size(), GetParam().ohms.size()) << GetParam().text;
    for (std::size_t k = 0; k < read->size(); ++k)
        EXPECT_NEAR((*read)[k], GetParam().ohms[k], 1e-12) << GetParam().text;
}

INSTANTIATE_TEST_SUITE_P(
    ByPeople, ResistancesTyped,
    testing::Values(Typed{"288 mΩ", {0.288}}, Typed{"288, 260, 261 mΩ", {0.288, 0.260, 0.261}},
                    Typed{"288 260 261 mohm", {0.288, 0.260, 0.261}},
                    Typed{"120;118;121 mΩ", {0.120, 0.118, 0.121}}, Typed{"0.26 ohm", {0.26}},
                    Typed{"0,26 ohm", {0.26}}, Typed{"0,26 0,27 Ω", {0.26, 0.27}},
                    Typed{"58.7 mΩ", {0.0587}}, Typed{"58,75 mΩ", {}},
                    Typed{"120,118,121 mΩ", {0.120, 0.118, 0.121}}, Typed{"288", {}},
                    Typed{"mΩ", {}}, Typed{"", {}}, Typed{"0 mΩ", {}}, Typed{"288,260 mΩ", {}},
                    Typed{"900 ohm", {}}, Typed{"0.001 mΩ", {}}, Typed{"-5 mΩ", {}}));

TEST(StrengthPresenting, WithoutLogsItSaysWhatToLog) {
    StrengthStudy study;
    study.battery = lithium();
    study.leftOut = {"night 3: damaged"};
    const StrengthView v = strengthView(study, 1, {});
    EXPECT_TRUE(v.resistances.empty());
    EXPECT_TRUE(v.rating.empty());
    EXPECT_TRUE(v.cells.contains("no cell voltages"));
    EXPECT_TRUE(v.openCircuit.contains("No curve of its own yet"));
    EXPECT_TRUE(v.law.contains("No step of the current"));
    EXPECT_TRUE(v.conditions.contains("Left out: night 3: damaged"));
    EXPECT_FALSE(v.ownCurveInUse);
}

TEST(StrengthPresenting, ReadingsByHandStandBesideThoseOfLogs) {
    StrengthStudy study;
    study.battery = lithium();
    std::vector<SpotReading> spots(2);
    spots[0].kind = "resistance";
    spots[0].value = 0.063;
    spots[1].kind = "charge";
    spots[1].value = 2.4;
    const StrengthView v = strengthView(study, 1, spots);
    ASSERT_EQ(v.resistances.size(), 1U) << "a capacity is no resistance";
    EXPECT_TRUE(v.resistances[0].value.contains("63"));
    EXPECT_TRUE(v.resistances[0].perCell.contains("21")) << "of three cells in series";
}

}  // namespace
}  // namespace nk
