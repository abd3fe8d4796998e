// The Habits station in the real window: the own fade, habits dragged and typed, what changes most,
// kept in the book, files.
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>

#include "app/habits/fade_plot.h"
#include "app/habits/habit_column.h"
#include "app/habits/habits_station.h"
#include "app/habits/week_band.h"
#include "history/habit_file.h"
#include "tests/gui/window.h"

namespace nk::test {
namespace {

class HabitsWindow : public Window {
  protected:
    HabitsStation* station() {
        window_->setStation(4);
        settle();
        return window_->findChild<HabitsStation*>();
    }
    HabitColumn* column(int k) {
        return window_->findChild<HabitsStation*>()->columns()[static_cast<std::size_t>(k)];
    }
};

TEST_F(HabitsWindow, WorksOnAnEmptyBook) {
    HabitsStation* s = station();
    ASSERT_NE(s, nullptr);
    EXPECT_TRUE(s->isVisible());
    EXPECT_EQ(s->columns().size(), 3U);
    EXPECT_FALSE(s->changes().empty());
    EXPECT_EQ(s->helpPage(), "habits");
}

TEST_F(HabitsWindow, WhatIsReadOfABatteryThatWasLeftIsDropped) {
    importCycle();
    HabitsStation* s = station();
    ASSERT_TRUE(part<QLabel>("habitsTitle")->text().contains("Dew heater"));
    const auto id = window_->shown()->batteryId;
    for (int k = 0; k < 5; ++k) {
        s->showBattery(id);
        s->showBattery(0);
        QTest::qWait(60);
        EXPECT_FALSE(part<QLabel>("habitsTitle")->text().contains("Dew heater"));
    }
    QTest::qWait(400);
    EXPECT_FALSE(part<QLabel>("habitsTitle")->text().contains("Dew heater"));
    s->showBattery(id);
    settle();
    EXPECT_TRUE(part<QLabel>("habitsTitle")->text().contains("Dew heater"));
}

TEST_F(HabitsWindow, TheEdgeOfTheBandIsTheTarget) {
    importCycle();
    HabitsStation* s = station();
    HabitColumn* c = column(0);
    auto* band = c->findChild<WeekBand*>();
    ASSERT_NE(band, nullptr);
    EXPECT_NEAR(c->habit().target_V, 4.2, 1e-9);
    const QString before = c->findChild<QLabel*>("habitYears")->text();
    const QRect r = band->bandRect();
    QTest::mousePress(band, Qt::LeftButton, {}, QPoint(r.center().x(), r.top() + 1));
    QTest::mouseMove(band, QPoint(r.center().x(), r.top() + r.height() / 4));
    QTest::mouseRelease(band, Qt::LeftButton, {}, QPoint(r.center().x(), r.top() + r.height() / 4));
    EXPECT_LT(c->habit().target_V, 4.1);
    EXPECT_GT(c->habit().target_V, 3.8);
    EXPECT_NE(c->findChild<QLabel*>("habitYears")->text(), before);
    const double dragged = c->habit().target_V;
    QTest::keyClick(band, Qt::Key_Down);
    EXPECT_NEAR(c->habit().target_V, dragged - 0.01, 1e-6);
    // Never above the set voltage.
    for (int k = 0; k < 60; ++k) QTest::keyClick(band, Qt::Key_Up);
    EXPECT_NEAR(c->habit().target_V, 4.2, 1e-9);
    settle();
    EXPECT_EQ(s->columns().size(), 3U);
}

TEST_F(HabitsWindow, HabitsAreKeptInTheBookAndCanBeUndone) {
    importCycle();
    station();
    column(0)->findChild<QDoubleSpinBox*>("habitUses")->setValue(2);
    column(0)->findChild<QLineEdit*>("habitName")->setText("Two nights");
    QTest::keyClick(column(0)->findChild<QLineEdit*>("habitName"), Qt::Key_Return);
    // Chosen again at once, before it is written: nothing is lost.
    station();
    EXPECT_EQ(column(0)->habit().name, "Two nights");
    openWindow();
    station();
    EXPECT_EQ(column(0)->habit().name, "Two nights");
    EXPECT_EQ(column(0)->habit().usesPerWeek, 2);
}

TEST_F(HabitsWindow, TryItPutsTheChangeBeside) {
    importCycle();
    HabitsStation* s = station();
    const auto tries = s->findChildren<QPushButton*>("changeTry");
    ASSERT_FALSE(tries.isEmpty());
    QTest::mouseClick(tries.front(), Qt::LeftButton);
    settle();
    EXPECT_EQ(s->columns().size(), 4U);
    QTest::mouseClick(column(3)->findChild<QPushButton*>("habitRemove"), Qt::LeftButton);
    settle();
    EXPECT_EQ(s->columns().size(), 3U);
    // How a figure came about is one click away.
    auto* how = column(0)->findChild<QPushButton*>("habitHow");
    QTest::mouseClick(how, Qt::LeftButton);
    EXPECT_TRUE(column(0)->findChild<QLabel*>("habitWhy")->isVisible());
    EXPECT_TRUE(column(0)->findChild<QLabel*>("habitWhy")->text().contains("2014"));
}

TEST_F(HabitsWindow, AColumnThatGoesHearsNoMorePresses) {
    HabitsStation* s = station();
    HabitColumn* goes = column(1);
    const std::string stays = column(2)->habit().name;
    QTest::mouseClick(goes->findChild<QPushButton*>("habitRemove"), Qt::LeftButton);
    ASSERT_EQ(s->columns().size(), 2U);
    EXPECT_EQ(column(1)->habit().name, stays);
    // Pressed twice in a hurry: the second press still finds the old column.
    EXPECT_FALSE(goes->isVisible());
    QTest::mousePress(goes, Qt::LeftButton, {}, QPoint(3, 3));
    QTest::qWait(20);  // now it is gone
    EXPECT_TRUE(s->isAncestorOf(s->firstFocus()));
    window_->setStation(0);
    window_->setStation(4);
    EXPECT_TRUE(column(0)->isAncestorOf(window_->focusWidget()));
    EXPECT_EQ(part<QLabel>("changesTitle")->text().indexOf("What changes most: "), 0);
}

TEST_F(HabitsWindow, WhoRemovesAColumnGoesOnInTheFirst) {
    station();
    auto* away = column(0)->findChild<QPushButton*>("habitRemove");
    away->setFocus();
    QTest::keyClick(away, Qt::Key_Space);
    ASSERT_EQ(window_->findChild<HabitsStation*>()->columns().size(), 2U);
    EXPECT_TRUE(column(0)->isAncestorOf(window_->focusWidget()));
}

TEST_F(HabitsWindow, PausesAreLinesAndChargingHasItsOwnWarmth) {
    importCycle();
    station();
    HabitColumn* c = column(0);
    const auto kept = c->habit().pauses.size();
    c->findChild<QPushButton*>("pauseAdd")->click();
    ASSERT_EQ(c->habit().pauses.size(), kept + 1);
    auto days = c->findChildren<QSpinBox*>("habitPause");
    auto warmth = c->findChildren<QSpinBox*>("habitPauseWarmth");
    ASSERT_EQ(days.size(), static_cast<int>(kept) + 1);
    days.back()->setValue(60);
    warmth.back()->setValue(5);
    c->findChild<QSpinBox*>("habitCharging")->setValue(33);
    EXPECT_EQ(c->habit().pauses.back().daysPerYear, 60);
    EXPECT_EQ(c->habit().pauses.back().temperature_C, 5);
    EXPECT_EQ(c->habit().charging_C, 33);
    EXPECT_NE(c->habit().use_C, 33);
    // Closed at once: what was changed last is kept all the same.
    window_->close();
    openWindow();
    station();
    EXPECT_EQ(column(0)->habit().pauses.size(), kept + 1);
    EXPECT_EQ(column(0)->habit().charging_C, 33);
    QTest::mouseClick(column(0)->findChildren<QPushButton*>("pauseRemove").back(), Qt::LeftButton);
    EXPECT_EQ(column(0)->habit().pauses.size(), kept);
}

TEST_F(HabitsWindow, HabitFilesGoOutAndIn) {
    importCycle();
    HabitsStation* s = station();
    dialogs_.save = path("habit.json");
    s->saveHabit();
    dialogs_.file = dialogs_.save;
    s->openHabit();
    settle();
    EXPECT_EQ(s->columns().size(), 4U);
    dialogs_.file = writeLog("no.json", "{}");
    s->openHabit();
    settle();
    EXPECT_EQ(s->columns().size(), 4U);
}

TEST_F(HabitsWindow, TheOwnFadeIsDrawnFromTheBook) {
    Battery b;
    b.name = "Mount";
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = 2.5;
    const auto id = *window_->book().addBattery(b);
    for (int k = 0; k < 9; ++k) {
        const Logged log = logged(
            R"({"seed": )" + std::to_string(k) +
            R"(, "battery": {"name": "x", "chemistry": "nmc", "series": 1, "rated_Ah": 2.5, "capacity_Ah": )" +
            std::to_string(2.5 - 0.05 * k) +
            R"(, "soc": 0.02}, "program": [{"do": "rest", "longest_s": 300},
            {"do": "charge", "current_A": 1.25, "set_V": 4.2, "cutoff_A": 0.1}, {"do": "rest", "longest_s": 1200},
            {"do": "discharge", "current_A": 0.5, "floor_V": 3.0}],
            "logger": {"interval_s": 20, "noise_V": 0.0004, "noise_A": 0.0005, "noise_C": 0.05},
            "format": {"time": "datetime", "start": "2025-0)" +
            std::to_string(1 + k) + R"(-01 10:00:00"}})");
        NewRecording r;
        r.batteryId = id;
        r.title = "test " + std::to_string(k);
        r.originalBytes = log.text;
        r.imported = &log.imported;
        ASSERT_TRUE(window_->book().addRecording(r));
    }
    window_->session().reread();
    settle();
    window_->chooseRecording(window_->book().recordings()->front().id);
    settle();
    HabitsStation* s = station();
    ASSERT_TRUE(s->found().habits);
    ASSERT_TRUE(s->found().habits->fade) << s->found().habits->whyNoFade;
    const FadePicture& picture = s->findChild<FadePlot*>()->picture();
    EXPECT_EQ(picture.at.size(), 9U);
    EXPECT_TRUE(std::isfinite(picture.crossing.middle));
    // What lay between the logs can be said, and is kept.
    auto* between = s->findChild<QComboBox*>("betweenLogs");
    ASSERT_TRUE(between->isVisible());
    between->setCurrentIndex(1);
    Q_EMIT between->activated(1);
    settle();
    EXPECT_TRUE(s->findChild<QLabel*>("recordWords")->text().contains("as you say"));
    EXPECT_EQ(*window_->book().setting("between_logs:" + std::to_string(id)), "1");
    // Another end: the label's share, then a figure; kept in the book.
    auto* of = s->findChild<QComboBox*>("fadeEndOf");
    auto* value = s->findChild<QDoubleSpinBox*>("fadeEndValue");
    ASSERT_TRUE(of->isVisible());
    value->setValue(90);
    settle();
    EXPECT_NEAR(s->findChild<FadePlot*>()->picture().end, 0.9 * 2.5, 0.03);
    EXPECT_TRUE(
        s->findChild<QLabel*>("fadeWords")->text().contains("90\u202F% of its first capacity"));
    of->setCurrentIndex(2);
    Q_EMIT of->activated(2);
    settle();
    value->setValue(1.5);
    settle();
    EXPECT_NEAR(s->findChild<FadePlot*>()->picture().end, 1.5, 1e-9);
    EXPECT_EQ(*window_->book().setting("fade_end:" + std::to_string(id)), "Ah 1.5");
}

}  // namespace
}  // namespace nk::test
