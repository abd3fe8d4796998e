// Verdicts by their rules (methods.md §11: common practice, no source), on histories made by hand.
#include "history/verdict.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>

using namespace nk;
using testing::Contains;
using testing::Field;
using testing::HasSubstr;

namespace {

class Verdicts : public testing::Test {
  protected:
    void card(const std::string& chemistry, double rated) {
        history.battery.battery.chemistry = chemistry;
        history.battery.battery.series = 1;
        history.battery.battery.rated_Ah = rated;
    }
    void point(const std::string& name, double value, double u, double efc,
               const std::string& group = {}) {
        HistoryPoint p;
        p.reading.recordingId = ++recordings;
        p.reading.name = name;
        p.reading.value = value;
        p.reading.low = value - 2 * u;
        p.reading.high = value + 2 * u;
        p.reading.step = 1;
        p.reading.conditions.cRate = 0.2;
        p.reading.conditions.temperature_C = 22;
        p.efc = efc;
        p.at_s = 1e9 + recordings;
        p.comparable = group;
        history.points.push_back(p);
    }
    void whole(double capacity, double u, double efc) {
        point("delivered_capacity", capacity, u, efc, "c");
        HistoryPoint health = history.points.back();
        health.reading.name = "health_capacity";
        history.points.push_back(health);
    }
    std::string verdict() {
        result = judge(history, standingOf(history, hazards, life, {}), siblings);
        return result.verdict;
    }
    std::string firstRule() const { return result.reasons.empty() ? "" : result.reasons[0].rule; }

    BatteryHistory history;
    std::vector<HazardOnFile> hazards;
    BatteryLife life;
    std::vector<double> siblings;
    Verdict result;
    std::int64_t recordings = 0;
};

TEST_F(Verdicts, NothingKnownSaysWhatToLogNext) {
    card("nmc", 2.5);
    EXPECT_EQ(verdict(), "unknown");
    EXPECT_THAT(result.logNext, HasSubstr("0.2C"));
    point("delivered_capacity", 1.0, 0.01, 5);  // a part of a discharge judges nothing
    EXPECT_EQ(verdict(), "unknown");
    card("nmc", 0);
    whole(2.4, 0.01, 5);
    EXPECT_EQ(verdict(), "unknown");
    EXPECT_THAT(result.logNext, HasSubstr("rated capacity"));
}

TEST_F(Verdicts, CapacityAgainstTheLabel) {
    struct Case {
        double capacity;
        const char* wanted;
    };
    for (const Case& c : {Case{2.4, "keep"}, Case{2.05, "keep"}, Case{1.8, "watch"},
                          Case{1.4, "sell"}, Case{0.9, "retire"}}) {
        history.points.clear();
        recordings = 0;
        card("nmc", 2.5);
        whole(2.5, 0.005, 2);
        whole(c.capacity, 0.005, 300);
        EXPECT_EQ(verdict(), c.wanted) << c.capacity;
        EXPECT_EQ(firstRule(), "capacity");
        EXPECT_NEAR(result.reasons[0].value, c.capacity / 2.5, 1e-12);
        EXPECT_EQ(result.reasons[0].recording, 2) << "the evidence is the latest log";
        EXPECT_EQ(result.yardsticks.ownFirst, 2.5);
        EXPECT_EQ(result.yardsticks.latest, c.capacity);
    }
}

TEST_F(Verdicts, ANewBatteryThatNeverGaveItsLabelGoesBack) {
    card("nmc", 3.5);
    whole(2.2, 0.01, 1);
    EXPECT_EQ(verdict(), "watch") << "nobody said that it was bought new";
    life.boughtNew = 1;
    EXPECT_EQ(verdict(), "return");
    EXPECT_EQ(firstRule(), "false_label");
    history.points.clear();
    whole(2.2, 0.01, 400);
    EXPECT_NE(verdict(), "return") << "an old one may have lost it";
    history.points.clear();
    whole(3.4, 0.01, 1);
    whole(2.2, 0.01, 8);
    EXPECT_NE(verdict(), "return") << "its own first reading was fine";
}

TEST_F(Verdicts, ResistanceAgainstItsOwnFirstValue) {
    card("nmc", 2.5);
    whole(2.4, 0.01, 1);
    point("resistance_10s", 0.040, 0.001, 1, "r1");
    point("resistance_10s", 0.055, 0.001, 90, "r1");
    EXPECT_EQ(verdict(), "keep");
    point("resistance_10s", 0.062, 0.001, 200, "r1");
    EXPECT_EQ(verdict(), "watch");
    EXPECT_EQ(firstRule(), "resistance");
    EXPECT_NEAR(result.reasons[0].value, 1.55, 1e-9);
    point("resistance_10s", 0.085, 0.001, 300, "r1");
    EXPECT_EQ(verdict(), "retire");
    history.points.pop_back();
    point("resistance_10s", 0.085, 0.010, 300, "r1");
    EXPECT_EQ(verdict(), "watch") << "it may be less than twice";
    history.points.pop_back();
    point("resistance_10s", 0.200, 0.001, 300, "r2");
    EXPECT_EQ(verdict(), "watch") << "another school or charge is no comparison";
}

TEST_F(Verdicts, NickelIsReconditionedWhileItGains) {
    card("nimh", 4);
    whole(2.6, 0.01, 20);
    EXPECT_EQ(verdict(), "recondition") << "one discharge does not tell that it cannot";
    whole(2.9, 0.01, 21);
    EXPECT_EQ(verdict(), "recondition");
    EXPECT_THAT(result.reasons, Contains(Field(&VerdictReason::rule, "reconditioning")));
    whole(2.93, 0.01, 22);
    EXPECT_EQ(verdict(), "watch") << "under two per cent gained";
    EXPECT_LT(std::ranges::find(result.reasons, "reconditioning", &VerdictReason::rule)->value,
              0.5);
}

TEST_F(Verdicts, NeglectedNickelIsNotAFalseLabel) {
    card("nimh", 4);
    whole(2.2, 0.01, 0.3);
    EXPECT_EQ(verdict(), "recondition") << "few cycles in the book do not make it new";
    whole(2.5, 0.01, 1);
    whole(2.7, 0.01, 2);
    EXPECT_EQ(verdict(), "recondition");
    whole(2.75, 0.01, 3);
    whole(2.76, 0.01, 4);
    EXPECT_EQ(verdict(), "watch");
    history.points.clear();
    for (int k = 0; k < 5; ++k) whole(1.8 + 0.001 * k, 0.01, k);
    EXPECT_EQ(verdict(), "sell") << "five equal cycles under 60 % of the label";
    life.boughtNew = 1;
    EXPECT_EQ(verdict(), "return") << "and bought as new: the label is false";
    EXPECT_THAT(result.reasons[0].text, HasSubstr("bought as new"));
}

TEST_F(Verdicts, HeatImbalanceAndSiblingsAreReasonsToWatch) {
    card("lfp", 10);
    whole(9.5, 0.02, 10);
    EXPECT_EQ(verdict(), "keep");
    siblings = {9.6, 9.9, 9.4};
    EXPECT_EQ(verdict(), "keep");
    EXPECT_EQ(result.yardsticks.siblingsMedian, 9.6);
    siblings = {11.6, 11.9, 11.5};
    EXPECT_EQ(verdict(), "watch");
    EXPECT_EQ(firstRule(), "siblings");
    siblings.clear();
    point("imbalance_loss", 0.4, 0.01, 10);
    EXPECT_EQ(verdict(), "keep");
    point("imbalance_loss", 1.2, 0.05, 12);
    EXPECT_EQ(verdict(), "watch");
    history.points.pop_back();
    hazards.push_back({"too_hot", "2026-05-01", "battery", false, 3, "It was at 64 °C."});
    EXPECT_EQ(verdict(), "watch");
    EXPECT_EQ(firstRule(), "hazard");
    EXPECT_EQ(result.reasons[0].recording, 3);
}

TEST_F(Verdicts, HazardsStandBeforeEveryFigure) {
    card("nmc", 2.5);
    whole(2.45, 0.01, 10);
    EXPECT_EQ(verdict(), "keep");
    hazards = {{"overvoltage", "2026-02-01", "charger", false, 7, "It reached 4.28 V."}};
    EXPECT_EQ(verdict(), "watch");
    EXPECT_EQ(firstRule(), "hazard");
    EXPECT_EQ(result.reasons[0].recording, 7);
    EXPECT_NE(result.reasons[0].text.find("2026-02-01"), std::string::npos);
    hazards.push_back({"out_of_use", "2026-03-01", "battery", true, 9, "It was driven to 0.8 V."});
    EXPECT_EQ(verdict(), "retire") << "whatever it holds, and looked at or not";
    EXPECT_EQ(firstRule(), "hazard");
    // Without any capacity a hazard is a verdict all the same.
    history.points.clear();
    EXPECT_EQ(verdict(), "retire");
    hazards.pop_back();
    EXPECT_EQ(verdict(), "watch");
}

TEST_F(Verdicts, ColdOrFastDischargesJudgeNothing) {
    card("nmc", 2.5);
    whole(1.1, 0.01, 10);
    for (HistoryPoint& p : history.points) p.reading.conditions.temperature_C = -10;
    EXPECT_EQ(verdict(), "unknown");
    for (HistoryPoint& p : history.points) {
        p.reading.conditions.temperature_C = 22;
        p.reading.conditions.cRate = 8;
    }
    EXPECT_EQ(verdict(), "unknown");
}

}  // namespace
