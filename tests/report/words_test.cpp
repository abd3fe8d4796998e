// Words on the ribbon and the cards: every kind has its own, and no two are mixed up.
#include "report/words.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <set>

#include "history/summary.h"
#include "quantity/format.h"
#include "report/cards.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

using testing::HasSubstr;

Step made(StepKind kind, double current_A) {
    Step s;
    s.kind = kind, s.meanCurrent_A = current_A;
    return s;
}

TEST(Summary, TheShelfShowsTheResistanceThatTheFindingQuotes) {
    for (const auto& [name, json] : scenarioFiles()) {
        if (name != "flash-pack-pulses" && name != "mount-pack-b-weak-cell") continue;
        const auto log = test::logged(std::string(json));
        const Analysis a = analyse(*log.imported.recording, log.scenario.battery);
        const RecordingSummary s = summarise(a);
        ASSERT_TRUE(std::isfinite(s.resistance_ohm)) << name;
        bool quoted = false;
        for (const Finding& f : a.findings)
            if (f.code == "which_resistance") {
                EXPECT_THAT(f.text, HasSubstr(shortValue(s.resistance_ohm, "ohm"))) << name;
                quoted = true;
            }
        EXPECT_TRUE(quoted) << name;
        ASSERT_NE(findMetric(s.resistanceMethod), nullptr);
    }
}

TEST(Words, EveryKindOfStepHasItsOwnAndFitsItsRoom) {
    std::set<std::string> names;
    for (int k = 0; k <= static_cast<int>(StepKind::Gap); ++k)
        for (const double current : {1.0, -1.0}) {
            const Step s = made(static_cast<StepKind>(k), current);
            const std::string words = kindWords(s);
            EXPECT_NE(words, "step") << k;
            EXPECT_LE(kindWordsShort(s).size(), words.size()) << words;
            EXPECT_LE(kindWordsTiny(s).size(), 12u) << words;
            names.insert(words);
            ASSERT_TRUE(stepKindFrom(toString(s.kind)));
            EXPECT_EQ(*stepKindFrom(toString(s.kind)), s.kind);
        }
    EXPECT_EQ(names.size(), 11u) << "nine kinds; pulses and variable loads in both directions";
    Step cut = made(StepKind::Rest, 0);
    cut.cutOut = true;
    EXPECT_THAT(kindWords(cut), HasSubstr("cut-out"));
    Step limited = made(StepKind::Variable, 2);
    limited.powerLimited = true;
    EXPECT_THAT(kindWords(limited), HasSubstr("power"));
    EXPECT_FALSE(stepKindFrom("siesta"));
}

TEST(Words, EveryEndingIsASentenceOfItsOwn) {
    std::set<std::string> sentences, names;
    for (int k = 0; k <= static_cast<int>(EndedBy::Unknown); ++k) {
        sentences.insert(endingWords(static_cast<EndedBy>(k)));
        names.insert(toString(static_cast<EndedBy>(k)));
    }
    EXPECT_EQ(sentences.size(), 13u);
    EXPECT_EQ(names.size(), 13u);
}

TEST(Words, ABatterySaysWhatIsKnownAndWhatIsAssumed) {
    Battery b;
    EXPECT_THAT(batteryWords(b), HasSubstr("chemistry not given"));
    EXPECT_THAT(batteryWords(b), HasSubstr("rated capacity not given"));
    b.chemistry = "nmc", b.series = 3, b.parallel = 2, b.rated_Ah = 5;
    b.assumed = {"series"};
    EXPECT_THAT(batteryWords(b), HasSubstr("3S2P (assumed)"));
    EXPECT_THAT(batteryWords(b), HasSubstr("rated"));
    EXPECT_THAT(batteryWords(b), testing::Not(HasSubstr("NMC (assumed)")));
}

TEST(Cards, OfACorrectionCanBeTakenAway) {
    Correction c;
    c.id = 7, c.kind = Correction::Kind::LeadResistance, c.value = 0.052, c.uncertainty = 0.002;
    c.name = "leads, from the meter";
    const auto cards = correctionCards({{c}}, {});
    ASSERT_EQ(cards.size(), 1u);
    EXPECT_EQ(cards[0].actionId, 7);
    EXPECT_FALSE(cards[0].action.empty());
    EXPECT_TRUE(cards[0].everywhere) << "a corrected log says so at every station";
    EXPECT_THAT(cards[0].lines.front(), HasSubstr("52"));
    EXPECT_THAT(cards[0].plainText(), HasSubstr("leads, from the meter"));
}

TEST(Cards, AStationWithoutAnswerSaysWhatToLog) {
    for (const Question q : {Question::Finish, Question::Strength}) {
        const auto cards = cardsFor({}, q);
        ASSERT_EQ(cards.size(), 1u);
        EXPECT_FALSE(cards[0].lines.empty());
    }
}

TEST(Cards, HazardsAreAtEveryStationAndFiguresAtTheirOwn) {
    // An over-voltage charge: the hazard is everywhere, the capacity on the Curve only.
    const auto log = test::logged(R"({"battery": {"chemistry": "nmc", "series": 1, "rated_Ah": 2,
      "r0_ohm": 0.03, "soc": 0.3}, "program": [{"do": "rest", "longest_s": 120},
      {"do": "charge", "current_A": 1, "set_V": 4.45, "cutoff_A": 0.1},
      {"do": "rest", "longest_s": 600}, {"do": "discharge", "current_A": 1, "floor_V": 3.0}]})");
    Battery b;
    b.chemistry = "nmc", b.series = 1, b.rated_Ah = 2;
    const auto all = makeCards(*log.imported.recording, analyse(*log.imported.recording, b), {});
    for (const Question q : {Question::Curve, Question::Finish, Question::Strength}) {
        const auto cards = cardsFor(all, q);
        EXPECT_EQ(cards.front().tone, CardTone::Hazard);
        const bool capacity = std::ranges::any_of(
            cards, [](const Card& c) { return c.code == "delivered_capacity"; });
        EXPECT_EQ(capacity, q == Question::Curve);
    }
}

}  // namespace
}  // namespace nk
