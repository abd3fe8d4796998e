// The window's own drawn parts, one by one, under real mouse and key events: what is taken hold of
// by the mouse can be done by keys, what is beside a part does nothing, and figures that cannot be
// drawn break nothing.

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>
#include <QSignalSpy>
#include <QSpinBox>
#include <cmath>

#include "app/finish/flag_strip.h"
#include "app/habits/end_chooser.h"
#include "app/habits/pause_list.h"
#include "app/habits/week_band.h"
#include "tests/gui/parts.h"

namespace nk::test {
namespace {

// ---- flags of rules

class Flags : public testing::Test {
  protected:
    void SetUp() override {
        shown(strip, {800, strip.height()});
        strip.setView(0, 1000, 50, 750);
        strip.setFlags({{0, 200, "C/10", true, true, "at 200"},
                        {1, 500, "C/20", false, true, "at 500"},
                        {2, kNaN, "timer", false, true, "does not fire"},
                        {3, 700, "slowing", false, false, "is not moved"}});
    }
    double x(double time_s) const { return 50 + 0.7 * time_s; }
    FlagStrip strip;
};

TEST_F(Flags, AreChosenByAClickAndByArrows) {
    QSignalSpy chosen(&strip, &FlagStrip::flagSelected);
    QTest::mouseClick(&strip, Qt::LeftButton, {}, strip.flagRect(1).center());
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(strip.selectedRule(), 1);
    QTest::keyClick(&strip, Qt::Key_Down);
    EXPECT_EQ(strip.selectedRule(), 2);
    QTest::keyClick(&strip, Qt::Key_Up);
    QTest::keyClick(&strip, Qt::Key_Up);
    EXPECT_EQ(strip.selectedRule(), 0);
    QTest::keyClick(&strip, Qt::Key_Up);
    EXPECT_EQ(strip.selectedRule(), 3) << "round the corner";
    EXPECT_NE(strip.accessibleDescription().indexOf("slowing"), -1);
}

TEST_F(Flags, AreDraggedWithTheLeftButtonAlone) {
    QSignalSpy dragged(&strip, &FlagStrip::flagDragged);
    QSignalSpy dropped(&strip, &FlagStrip::flagDropped);
    const QPoint from = strip.flagRect(0).center();
    QTest::mousePress(&strip, Qt::RightButton, {}, from);
    QTest::mouseMove(&strip, from + QPoint(100, 0));
    QTest::mouseRelease(&strip, Qt::RightButton, {}, from + QPoint(100, 0));
    EXPECT_EQ(dragged.count(), 0);
    drag(strip, from, from + QPoint(70, 0));
    ASSERT_GE(dragged.count(), 1);
    EXPECT_EQ(dragged.last().at(0).toInt(), 0);
    EXPECT_NEAR(dragged.last().at(1).toDouble(), 300, 3) << "70 pixels are 100 s";
    EXPECT_EQ(dropped.count(), 1);
    dragged.clear();
    drag(strip, strip.flagRect(3).center(), strip.flagRect(3).center() - QPoint(90, 0));
    EXPECT_EQ(dragged.count(), 0) << "one without a threshold stays";
    // Beyond the view it stays at its end.
    drag(strip, strip.flagRect(1).center(), QPoint(790, 5));
    EXPECT_LE(dragged.last().at(1).toDouble(), 1000 + 1e-9);
}

TEST_F(Flags, AreMovedByArrowsInSmallAndLargeSteps) {
    QSignalSpy dragged(&strip, &FlagStrip::flagDragged);
    QSignalSpy dropped(&strip, &FlagStrip::flagDropped);
    strip.select(1);
    QTest::keyClick(&strip, Qt::Key_Right);
    EXPECT_NEAR(dragged.last().at(1).toDouble(), 510, 1e-6);
    QTest::keyClick(&strip, Qt::Key_Left, Qt::ShiftModifier);
    EXPECT_NEAR(dragged.last().at(1).toDouble(), 498, 1e-6);
    EXPECT_EQ(dropped.count(), 2);
    strip.select(2);
    QTest::keyClick(&strip, Qt::Key_Left);
    EXPECT_NEAR(dragged.last().at(1).toDouble(), 990, 1e-6)
        << "one that is parked comes from the end";
    strip.select(3);
    dragged.clear();
    QTest::keyClick(&strip, Qt::Key_Left);
    EXPECT_EQ(dragged.count(), 0);
}

TEST_F(Flags, OfOneMomentDoNotCoverEachOther) {
    std::vector<Flag> many;
    for (int k = 0; k < 4; ++k)
        many.push_back({k, 500.0 + k, "C/" + QString::number(10 * (k + 1)), k == 0, true, ""});
    strip.setFlags(many);
    for (int a = 0; a < 4; ++a)
        for (int b = a + 1; b < 4; ++b)
            if (strip.height() > 3 * strip.flagRect(a).height()) {
                EXPECT_FALSE(strip.flagRect(a).intersects(strip.flagRect(b))) << a << " " << b;
            }
    for (int k = 0; k < 4; ++k) {
        EXPECT_TRUE(strip.rect().contains(strip.flagRect(k))) << k;
        EXPECT_GE(strip.flagRect(k).width(), 20);
    }
}

TEST_F(Flags, WithoutAnyTheKeysGoOnAndNothingBreaks) {
    strip.setFlags({});
    strip.setFull(kNaN, "full");
    QSignalSpy chosen(&strip, &FlagStrip::flagSelected);
    for (const Qt::Key key : {Qt::Key_Up, Qt::Key_Down, Qt::Key_Left, Qt::Key_Escape})
        QTest::keyClick(&strip, key);
    EXPECT_EQ(chosen.count(), 0);
    strip.setView(5, 5, 100, 100);  // no width at all
    strip.setFlags({{0, 5, "x", true, true, ""}});
    strip.grab();
}

// ---- a week of charge

class Week : public testing::Test {
  protected:
    void SetUp() override {
        shown(band, {400, 120});
        Habit habit;
        habit.target_V = 4.10;
        const auto load = loadOf(habit, nmc);
        ASSERT_TRUE(load) << load.error().text();
        band.setLoad(*load, 4.10, nmc);
    }
    const Chemistry& nmc = **findChemistry("nmc");
    WeekBand band;
};

TEST_F(Week, TheTargetGoesByHundredthsAndNeverBeyondTheUsual) {
    QSignalSpy wanted(&band, &WeekBand::targetDragged);
    QTest::keyClick(&band, Qt::Key_Up);
    EXPECT_NEAR(wanted.last().at(0).toDouble(), 4.11, 1e-9);
    QTest::keyClick(&band, Qt::Key_Down);
    EXPECT_NEAR(wanted.last().at(0).toDouble(), 4.09, 1e-9);
    wanted.clear();
    Habit full;
    full.target_V = nmc.set_V;
    band.setLoad(*loadOf(full, nmc), nmc.set_V, nmc);
    QTest::keyClick(&band, Qt::Key_Up);
    EXPECT_EQ(wanted.count(), 0) << "no level above the usual is offered";
    drag(band, band.bandRect().center(), QPoint(200, -50));
    for (const auto& one : wanted) {
        EXPECT_LE(one.at(0).toDouble(), nmc.set_V + 1e-9);
        EXPECT_GE(one.at(0).toDouble(), nmc.nominal_V - 0.06);
    }
}

TEST_F(Week, AnEdgeThatIsHeldFollowsAndIsLetGo) {
    QSignalSpy wanted(&band, &WeekBand::targetDragged);
    const QRect b = band.bandRect();
    drag(band, QPoint(b.center().x(), b.top() + b.height() / 3),
         QPoint(b.center().x(), b.bottom() - 5));
    ASSERT_GE(wanted.count(), 1);
    EXPECT_LT(wanted.last().at(0).toDouble(), 3.8);
    const auto so_far = wanted.count();
    QTest::mouseMove(&band, b.center());
    EXPECT_EQ(wanted.count(), so_far) << "let go is let go";
    QTest::mouseClick(&band, Qt::RightButton, {}, b.center());
    QTest::mouseClick(&band, Qt::LeftButton, {}, QPoint(2, 110));
    EXPECT_EQ(wanted.count(), so_far) << "beside the band and with another button";
}

TEST_F(Week, EveryKindOfLithiumHasItsWeek) {
    for (const Chemistry& c : chemistries()) {
        if (c.nickel()) continue;
        Habit habit;
        habit.target_V = c.set_V - 0.05;
        const auto load = loadOf(habit, c);
        ASSERT_TRUE(load) << c.id;
        band.setLoad(*load, habit.target_V, c);
        EXPECT_GT(coloursIn(band), 3U) << c.id;
    }
    WeekBand empty;
    shown(empty, {300, 100});
    QTest::keyClick(&empty, Qt::Key_Up);
    QTest::mouseClick(&empty, Qt::LeftButton, {}, empty.bandRect().center());
    empty.grab();
}

// ---- where it ends

TEST(EndsOfLife, EveryQuestionComesBackFromTheFieldAndFromTheBook) {
    EndChooser chooser;
    shown(chooser, {500, 40});
    std::vector<FadeQuestion> questions;
    for (const double share : {0.5, 0.7, 0.8, 0.95})
        for (const bool label : {false, true}) {
            FadeQuestion q;
            q.fraction = share, q.ofLabel = label;
            questions.push_back(q);
        }
    for (const double figure : {0.05, 1.25, 80.0}) {
        FadeQuestion q;
        q.figure = figure;
        questions.push_back(q);
        q.of = FadeOf::Resistance, q.figure = figure / 1000;
        questions.push_back(q);
    }
    FadeQuestion grown;
    grown.of = FadeOf::Resistance, grown.fraction = 2;
    questions.push_back(grown);
    for (const FadeQuestion& q : questions) {
        const FadeQuestion kept = endIn(keptEnd(q));
        EXPECT_EQ(kept.of, q.of) << keptEnd(q);
        EXPECT_EQ(kept.ofLabel, q.ofLabel) << keptEnd(q);
        EXPECT_EQ(std::isfinite(kept.figure), std::isfinite(q.figure)) << keptEnd(q);
        if (std::isfinite(q.figure)) {
            EXPECT_NEAR(kept.figure, q.figure, 1e-9);
        } else {
            EXPECT_NEAR(kept.fraction, q.fraction, 1e-9);
        }
        chooser.setQuestion(q);
        EXPECT_EQ(keptEnd(chooser.question()), keptEnd(q));
        EXPECT_FALSE(endWords(q).isEmpty());
        EXPECT_EQ(endWords(q).indexOf("nan"), -1);
    }
}

TEST(EndsOfLife, WhatIsKeptByAnotherHandIsTheUsualOrWhatItSays) {
    const FadeQuestion usual;
    for (const char* odd :
         {"", "first", "first x", "first -1", "first 0", "first 5", "label nan", "Ah -2", "ohm 0",
          "grown 1", "grown 99", "second 0.8", "Ah inf", "first 0,8 Ah; drop table"}) {
        const FadeQuestion q = endIn(odd);
        EXPECT_TRUE(q.fraction > 0 && std::isfinite(q.fraction)) << odd;
        EXPECT_FALSE(std::isfinite(q.figure) && !(q.figure > 0)) << odd;
    }
    EXPECT_EQ(keptEnd(endIn("first -1")), keptEnd(usual));
}

TEST(EndsOfLife, TheKindIsChosenByHandAndTheLabelOnlyWhereThereIsOne) {
    EndChooser chooser;
    shown(chooser, {500, 40});
    QSignalSpy changed(&chooser, &EndChooser::changed);
    auto* kind = chooser.findChild<QComboBox*>("fadeEndOf");
    auto* value = chooser.findChild<QDoubleSpinBox*>("fadeEndValue");
    ASSERT_TRUE(kind && value);
    chooser.setRated(false);
    auto* items = qobject_cast<QStandardItemModel*>(kind->model());
    ASSERT_NE(items, nullptr);
    EXPECT_FALSE(items->item(1)->isEnabled());
    chooser.setRated(true);
    EXPECT_TRUE(items->item(1)->isEnabled());
    kind->setFocus();
    for (int k = 0; k < 4; ++k) {
        QTest::keyClick(kind, Qt::Key_Down);
        EXPECT_EQ(kind->currentIndex(), k + 1);
        // Each kind has its own range, and a figure within it.
        EXPECT_GE(value->value(), value->minimum());
        EXPECT_LE(value->value(), value->maximum());
    }
    EXPECT_EQ(changed.count(), 4);
    EXPECT_EQ(chooser.question().of, FadeOf::Resistance);
    value->setFocus();
    QTest::keyClick(value, Qt::Key_Up);
    EXPECT_EQ(changed.count(), 5);
}

// ---- pauses

TEST(Pauses, ComeAndGoAndAreAtMostFour) {
    PauseList list;
    shown(list, {420, 200});
    QSignalSpy changed(&list, &PauseList::changed);
    auto* more = list.findChild<QPushButton*>("pauseAdd");
    for (int k = 0; k < 4; ++k) QTest::mouseClick(more, Qt::LeftButton);
    EXPECT_EQ(changed.count(), 4);
    EXPECT_EQ(list.pauses().size(), PauseList::kMost);
    EXPECT_FALSE(more->isVisible());
    auto* days = list.findChildren<QSpinBox*>("habitPause").at(1);
    days->setFocus();
    QTest::keyClick(days, Qt::Key_PageUp);
    EXPECT_EQ(list.pauses()[1].daysPerYear, 40);
    QTest::mouseClick(list.findChildren<QPushButton*>("pauseRemove").at(0), Qt::LeftButton);
    ASSERT_EQ(list.pauses().size(), 3U);
    EXPECT_EQ(list.pauses()[0].daysPerYear, 40) << "the others keep their places";
    EXPECT_TRUE(more->isVisible());
    list.setPauses({{100, 0.25, -10}});
    ASSERT_EQ(list.pauses().size(), 1U);
    EXPECT_NEAR(list.pauses()[0].soc, 0.25, 1e-9);
    EXPECT_NEAR(list.pauses()[0].temperature_C, -10, 1e-9);
    list.setPauses({});
    EXPECT_TRUE(list.pauses().empty());
}

TEST(Pauses, WhateverIsSetCanBeReckonedWith) {
    for (const bool fahrenheit : {false, true}) {
        Presentation style;
        style.style.fahrenheit = fahrenheit;
        const Presenting now(style);
        PauseList list;
        shown(list, {420, 200});
        list.setPauses({{30, 0.5, 15}});
        auto* warmth = list.findChild<QSpinBox*>("habitPauseWarmth");
        for (const int end : {warmth->minimum(), warmth->maximum()}) {
            warmth->setValue(end);
            Habit habit;
            habit.pauses = list.pauses();
            const auto load = loadOf(habit, **findChemistry("nmc"));
            EXPECT_TRUE(load) << end << (fahrenheit ? " °F: " : " °C: ")
                              << (load ? "" : load.error().text());
        }
        EXPECT_NEAR(celsiusOf(shownWarmth(21.5)), 21.5, 1e-12);
    }
}

}  // namespace
}  // namespace nk::test
