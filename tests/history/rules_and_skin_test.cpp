// Rules of a book and looks at a battery: every figure is kept, refused beyond its limits and read
// back as the program's where the book holds nonsense; what is dangerous to the eye takes a battery
// out of use, and only a person brings it back.
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "history/due.h"
#include "history/rules.h"
#include "history/skin_check.h"
#include "tests/support/book_state.h"
#include "tests/support/folder.h"

namespace nk {
namespace {

class BookRules : public testing::Test {
  protected:
    void SetUp() override {
        auto opened = BenchBook::open(folder.path() / "b.nkbook");
        ASSERT_TRUE(opened);
        book = std::move(*opened);
        Battery b;
        b.name = "Lamp", b.chemistry = "nmc", b.series = 3, b.rated_Ah = 2;
        lamp = *book->addBattery(b);
    }
    BatteryLife life() const {
        const auto all = book->lives();
        const auto at = all->find(lamp);
        return at == all->end() ? BatteryLife{} : at->second;
    }
    test::Folder folder;
    std::unique_ptr<BenchBook> book;
    std::int64_t lamp = 0;
};

template <class Rules>
void expectUsual(const Rules& rules, const std::vector<RuleField<Rules>>& fields) {
    const Rules usual;
    for (const auto& f : fields) EXPECT_EQ(rules.*f.value, usual.*f.value) << f.id;
}

TEST_F(BookRules, EveryFigureIsKeptAtBothItsEnds) {
    std::set<std::string> ids;
    for (const auto& f : verdictFields()) {
        EXPECT_TRUE(ids.insert(f.id).second) << f.id;
        EXPECT_LT(f.least, f.most) << f.id;
        const VerdictRules usual;
        EXPECT_GE(usual.*f.value, f.least) << f.id;
        EXPECT_LE(usual.*f.value, f.most) << f.id;
    }
    for (const auto& f : dueFields())
        for (const double x : {f.least, f.most}) {
            DueRules rules;
            rules.*f.value = x;
            ASSERT_TRUE(setDueRules(*book, rules)) << f.id;
            const auto read = dueRules(*book);
            ASSERT_TRUE(read);
            EXPECT_EQ((*read).*f.value, x) << f.id;
            ASSERT_TRUE(book->undo());
            expectUsual(*dueRules(*book), dueFields());
        }
}

TEST_F(BookRules, BeyondTheirLimitsTheyAreRefusedAndNothingIsKept) {
    const std::string before = test::stateOf(*book);
    for (const auto& f : dueFields())
        for (const double x : {f.least - 1, f.most + 1, std::nan(""), double(INFINITY)}) {
            DueRules rules;
            rules.*f.value = x;
            const auto refused = setDueRules(*book, rules);
            ASSERT_FALSE(refused) << f.id << " " << x;
            EXPECT_FALSE(refused.error().accepted.empty()) << f.id;
        }
    for (const auto& f : verdictFields())
        for (const double x : {f.least - 0.5 * (1 + std::abs(f.least)), 10 * f.most + 1}) {
            VerdictRules rules;
            rules.*f.value = x;
            EXPECT_FALSE(setVerdictRules(*book, rules)) << f.id << " " << x;
        }
    EXPECT_EQ(test::stateOf(*book), before);
}

TEST_F(BookRules, NonsenseInTheBookCountsAsNotSaid) {
    // The names under which they are kept, found by keeping some.
    DueRules some;
    some.retest_days = 100;
    ASSERT_TRUE(setDueRules(*book, some));
    std::string key;
    for (const char* name : {"due_rules", "due.rules", "rules.due", "due"})
        if (!book->setting(name).value_or("").empty()) key = name;
    ASSERT_FALSE(key.empty()) << "kept under another name";
    for (const char* nonsense :
         {"{", "[]", "null", "{\"retest_days\": \"soon\"}", "{\"retest_days\": -5}",
          "{\"retest_days\": 1e99}", "{\"other\": 3}", "\xFF\xFE", "{\"retest_days\": null}"}) {
        ASSERT_TRUE(book->setSetting(key, nonsense));
        const auto read = dueRules(*book);
        ASSERT_TRUE(read) << nonsense;
        expectUsual(*read, dueFields());
    }
}

TEST_F(BookRules, TheWorstOfWhatIsSeenCounts) {
    ASSERT_GE(skinSigns().size(), 4U);
    std::set<std::string> ids;
    bool anyHazard = false;
    for (const SkinSign& s : skinSigns()) {
        EXPECT_TRUE(ids.insert(s.id).second) << s.id;
        EXPECT_EQ(std::string(s.id).find(' '), std::string::npos) << s.id;
        EXPECT_EQ(gradeOf({s.id}), s.grade);
        anyHazard |= s.grade == SkinGrade::Hazard;
        for (const SkinSign& t : skinSigns())
            EXPECT_EQ(gradeOf({s.id, t.id}), std::max(s.grade, t.grade)) << s.id << " " << t.id;
    }
    EXPECT_TRUE(anyHazard);
    EXPECT_EQ(gradeOf({}), SkinGrade::Fine);
    EXPECT_EQ(gradeOf({"of a later version"}), SkinGrade::Watch) << "not known is not fine";
}

TEST_F(BookRules, AHazardTakesItOutOfUseAndOnlyAPersonBringsItBack) {
    for (const SkinSign& s : skinSigns()) {
        const std::string before = test::stateOf(*book);
        const auto grade = addSkinCheck(*book, lamp, {s.id}, "a note", 1.79e9);
        ASSERT_TRUE(grade) << grade.error().text();
        EXPECT_EQ(*grade, s.grade);
        EXPECT_EQ(!life().outOfUse.empty(), s.grade == SkinGrade::Hazard) << s.id;
        const auto spots = book->spotReadings(lamp);
        ASSERT_TRUE(spots && !spots->empty());
        EXPECT_EQ(spots->back().kind, "skin");
        EXPECT_NE(spots->back().method.find(s.id), std::string::npos);
        if (s.grade == SkinGrade::Hazard) {
            // Another look that finds nothing does not bring it back.
            ASSERT_TRUE(addSkinCheck(*book, lamp, {}, "", 1.79e9 + 10));
            EXPECT_FALSE(life().outOfUse.empty()) << s.id;
            ASSERT_TRUE(book->undo());
            ASSERT_TRUE(bringBack(*book, lamp));
            EXPECT_TRUE(life().outOfUse.empty()) << s.id;
            ASSERT_TRUE(book->undo());
            EXPECT_FALSE(life().outOfUse.empty()) << "taken back, it is out of use again";
        }
        ASSERT_TRUE(book->undo());
        EXPECT_EQ(test::stateOf(*book), before) << "reading and ban are one step";
    }
}

TEST_F(BookRules, WhatIsOutOfUseOrInTheDrawerIsNeverDue) {
    SpotReading spot;
    spot.batteryId = lamp, spot.kind = "voltage", spot.value = 11.4, spot.atEpoch_s = 1.6e9;
    ASSERT_TRUE(book->addSpotReading(spot));
    const auto due = [&] {
        const auto tasks = dueTasks(*book, 1.79e9, DueRules{});
        EXPECT_TRUE(tasks);
        return tasks ? tasks->size() : 0U;
    };
    const std::size_t usual = due();
    ASSERT_GT(usual, 0U) << "read years ago";
    ASSERT_TRUE(setRetired(*book, lamp, true, 1.79e9));
    EXPECT_EQ(due(), 0U);
    ASSERT_TRUE(setRetired(*book, lamp, false, 1.79e9));
    EXPECT_EQ(due(), usual);
    std::string worst;
    for (const SkinSign& s : skinSigns())
        if (s.grade == SkinGrade::Hazard) worst = s.id;
    ASSERT_TRUE(addSkinCheck(*book, lamp, {worst}, "", 1.79e9));
    EXPECT_EQ(due(), 0U);
    ASSERT_TRUE(bringBack(*book, lamp));
    EXPECT_GT(due(), 0U);
}

TEST_F(BookRules, TickedOffATaskCountsAnew) {
    SpotReading spot;
    spot.batteryId = lamp, spot.kind = "voltage", spot.value = 11.4, spot.atEpoch_s = 1.6e9;
    ASSERT_TRUE(book->addSpotReading(spot));
    const double now = 1.79e9;
    const auto tasks = dueTasks(*book, now, DueRules{});
    ASSERT_TRUE(tasks);
    for (const DueTask& t : *tasks) {
        ASSERT_TRUE(t.overdue(now)) << t.task;
        EXPECT_FALSE(t.text.empty());
        EXPECT_FALSE(t.reason.empty());
        ASSERT_TRUE(tickOff(*book, t, now));
        const auto after = dueTasks(*book, now, DueRules{});
        for (const DueTask& left : *after)
            if (left.task == t.task) {
                EXPECT_GT(left.due_s, now) << t.task;
            }
        ASSERT_TRUE(book->undo());
        EXPECT_EQ(dueTasks(*book, now, DueRules{})->size(), tasks->size());
    }
    EXPECT_TRUE(
        std::is_sorted(tasks->begin(), tasks->end(),
                       [](const DueTask& a, const DueTask& b) { return a.due_s < b.due_s; }));
}

}  // namespace
}  // namespace nk
