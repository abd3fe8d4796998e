// A reading or a check that is added to the registry is computed, explained, shown and exported
// without any other part of the program knowing it.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "report/analysis_json.h"
#include "report/cards.h"
#include "report/export.h"
#include "report/sheet.h"
#include "report/text.h"
#include "tests/support/sim.h"

using namespace nk;
using testing::HasSubstr;

namespace {

/// The mean power of the whole log: a made-up reading.
void computeMeanPower(const AnalysisInput& in, std::vector<Reading>& out) {
    Reading r;
    r.name = "mean_power", r.unit = "W", r.method = "energy_over_time";
    r.value = 12.5, r.uncertainty = 0.25;
    r.evidence = {in.recording.time_s().front(), in.recording.time_s().back(), -1};
    r.caveats = {"Of the whole log."};
    out.push_back(r);
}

void checkMonday(const AnalysisInput&, std::vector<Finding>& out) {
    out.push_back({Severity::Note, "monday", "This log was taken on a Monday.", "", {}});
}

Registry withMore() {
    Registry r = ownRegistry();
    Metric power{"mean_power",
                 "Mean power",
                 "Energy over time, as a made-up reading.",
                 3,
                 computeMeanPower,
                 Question::Strength,
                 {}};
    power.card = {.rank = 15,
                  .topic = Topic::Temperature,
                  .label = "POWER",
                  .sentence = "On average it gave"};
    r.metrics.push_back(power);
    r.checks.push_back({"monday", "Looks at a calendar.", checkMonday, Question::Curve, true, 1});
    return r;
}

class Presented : public testing::Test {
  protected:
    const test::Logged log = test::logged(test::lithiumCycle("{}"));
    const Registry registry = withMore();
    const Analysis analysis =
        analyse(*log.imported.recording, log.scenario.battery, {}, {}, registry);
};

TEST_F(Presented, AnAddedReadingGetsItsCardInItsPlaceAtItsStation) {
    const auto cards = makeCards(*log.imported.recording, analysis, {});
    const auto card = std::ranges::find(cards, "mean_power", &Card::code);
    ASSERT_NE(card, cards.end());
    EXPECT_EQ(card->kind, "POWER");
    EXPECT_EQ(card->title, "On average it gave");
    EXPECT_THAT(card->value, HasSubstr("12.5"));
    EXPECT_THAT(card->plusMinus, HasSubstr("0.5"));
    EXPECT_EQ(card->tone, CardTone::Temperature);
    EXPECT_EQ(card->question, Question::Strength);
    EXPECT_THAT(card->how, HasSubstr("Energy over time"));
    EXPECT_EQ(card->lines.front(), "Of the whole log.");
    // By rank: behind the capacity, before the knee.
    const auto at = [&](const char* code) {
        return std::ranges::find(cards, code, &Card::code) - cards.begin();
    };
    EXPECT_LT(at("delivered_capacity"), at("mean_power"));
    EXPECT_LT(at("mean_power"), at("knee_time"));
    const auto here = cardsFor(cards, Question::Strength);
    EXPECT_NE(std::ranges::find(here, "mean_power", &Card::code), here.end());
    const auto curve = cardsFor(cards, Question::Curve);
    EXPECT_EQ(std::ranges::find(curve, "mean_power", &Card::code), curve.end());
    const auto monday = std::ranges::find(cards, "monday", &Card::code);
    ASSERT_NE(monday, cards.end());
    EXPECT_EQ(monday->kind, "LOG");
    EXPECT_EQ(monday->tone, CardTone::Log);
}

TEST_F(Presented, AnAddedReadingStandsInEveryExport) {
    EXPECT_THAT(analysisText(*log.imported.recording, analysis, "x"),
                HasSubstr("Mean power: 12.50 ± 0.50"));
    EXPECT_THAT(readingsCsv(analysis), HasSubstr("mean_power,,12.5,W"));
    SheetInput sheet;
    sheet.recording = log.imported.recording.get();
    sheet.analysis = &analysis;
    EXPECT_THAT(benchSheetHtml(sheet, ""), HasSubstr("Mean power"));
    const auto json = nlohmann::json::parse(readingsJson(analysis));
    EXPECT_EQ(json["readings"].back()["name"], "mean_power");
    // The command line and the export write a reading in the same words.
    const auto whole = nlohmann::json::parse(analysisJson(log.imported, analysis, {}, "x.csv", ""));
    EXPECT_EQ(whole["readings"], json["readings"]);
    EXPECT_EQ(whole["steps"], nlohmann::json::parse(stepsJson(analysis))["steps"]);
    EXPECT_TRUE(whole["readings"][0].contains("uncertainty"));
    EXPECT_EQ(whole["readings"][0].size(), 10u);
}

TEST_F(Presented, EveryCardOfOurOwnSaysWhatItNeeds) {
    for (const Metric& m : metrics()) {
        if (m.card.rank == 0) continue;
        EXPECT_NE(std::string(m.card.label), "") << m.name;
        EXPECT_TRUE(m.card.words != nullptr || *m.card.sentence != 0 || *m.title != 0) << m.name;
    }
    EXPECT_NE(withMore().version(), ownRegistry().version());
}

TEST_F(Presented, TheMakersFiguresHoldForAGuessedKindToo) {
    Battery unknown;  // neither chemistry nor series: both are guessed
    MakerLimits limits;
    limits.dischargeFloor_V = 3.2;
    limits.chargeMax_C = 30;
    unknown.setLimits(limits);
    const Analysis a = analyse(*log.imported.recording, unknown);
    ASSERT_NE(a.battery.chemistryData(), nullptr);
    EXPECT_EQ(a.battery.chemistryData()->dischargeFloor_V, 3.2);
    EXPECT_EQ(a.battery.chemistryData()->chargeMax_C, 30);
}

}  // namespace
