// The window's own drawn parts, one by one, under real mouse and key events: what is taken hold of
// by the mouse can be done by keys, what is beside a part does nothing, and figures that cannot be
// drawn break nothing.
#include <gtest/gtest.h>

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>
#include <QSignalSpy>
#include <QSpinBox>
#include <QStandardItemModel>
#include <QTest>
#include <QToolTip>
#include <cmath>
#include <random>
#include <set>

#include "app/battery/history_plot.h"
#include "app/finish/flag_strip.h"
#include "app/habits/end_chooser.h"
#include "app/habits/fade_plot.h"
#include "app/habits/pause_list.h"
#include "app/habits/week_band.h"
#include "app/habits/years_bar.h"
#include "app/plan/expected_curve.h"
#include "app/plan/queue_bars.h"
#include "app/plot/prediction_plot.h"
#include "app/side/module_board.h"
#include "app/theme/theme.h"

namespace nk {
namespace {

void shown(QWidget& w, const QSize& size) {
    w.resize(size);
    w.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&w));
    w.activateWindow();
    w.setFocus();
}

/// How many colours are in the picture of a part: one is an empty sheet.
std::size_t coloursIn(QWidget& w) {
    const QImage picture = w.grab().toImage().convertToFormat(QImage::Format_RGB32);
    std::set<QRgb> seen;
    for (int y = 0; y < picture.height(); ++y)
        for (int x = 0; x < picture.width(); ++x) seen.insert(picture.pixel(x, y));
    return seen.size();
}

void drag(QWidget& w, const QPoint& from, const QPoint& to) {
    QTest::mousePress(&w, Qt::LeftButton, {}, from);
    QTest::mouseMove(&w, (from + to) / 2);
    QTest::mouseMove(&w, to);
    QTest::mouseRelease(&w, Qt::LeftButton, {}, to);
}

// ----------------------------------------------------------------------------------- flags of
// rules

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

// --------------------------------------------------------------------------------- a week of
// charge

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

// ------------------------------------------------------------------------------------ where it
// ends

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

// -------------------------------------------------------------------------------------------
// pauses

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

// ------------------------------------------------------------------------------------ bars of a
// queue

class Bars : public testing::Test {
  protected:
    void SetUp() override {
        wish.modules.resize(2);
        wish.modules[0].name = "<b>one</b>", wish.modules[1].name = "two";
        ChargerCard a;
        a.name = "A", a.channels = 2;
        wish.chargers = {a};
        plan.start_s = 1749999900, plan.finish_s = plan.start_s + 10 * 3600;
        const auto step = [&](std::size_t module, int channel, double from, double to,
                              const char* what) {
            QueueStep s;
            s.module = module, s.charger = 0, s.channel = channel, s.what = what;
            s.start_s = plan.start_s + 3600 * from, s.end_s = plan.start_s + 3600 * to;
            plan.steps.push_back(s);
        };
        step(0, 1, 0, 3, "discharge");
        step(1, 2, 0, 5, "charge");
        step(0, 1, 3, 3.5, "rest");
        step(0, 1, 3.5, 8, "charge");
        bars.setPlan(plan, wish);
        shown(bars, {900, 120});
    }
    QueueWish wish;
    QueuePlan plan;
    QueueBars bars;
};

TEST_F(Bars, LieWhereTheirTimeAndChannelAre) {
    const QRectF first = bars.barOf(plan.steps[0]);
    const QRectF other = bars.barOf(plan.steps[1]);
    const QRectF later = bars.barOf(plan.steps[3]);
    EXPECT_NEAR(first.left(), other.left(), 0.5);
    EXPECT_NEAR(other.width() / first.width(), 5.0 / 3, 0.02);
    EXPECT_GT(other.top(), first.bottom()) << "each channel has its line";
    EXPECT_GT(later.left(), first.right());
    QueueStep strange = plan.steps[0];
    strange.channel = 9;
    EXPECT_TRUE(bars.barOf(strange).isEmpty());
    EXPECT_GT(coloursIn(bars), 4U);
}

TEST_F(Bars, AreDraggedToAnotherChannelAndTimeOnAGridOfFiveMinutes) {
    QSignalSpy moved(&bars, &QueueBars::moved);
    const QPoint from = bars.barOf(plan.steps[0]).center().toPoint();
    const double perHour = bars.barOf(plan.steps[0]).width() / 3;
    drag(bars, from, from + QPoint(static_cast<int>(2 * perHour), 30));
    ASSERT_EQ(moved.count(), 1);
    EXPECT_EQ(moved.last().at(0).toULongLong(), 0U);
    EXPECT_EQ(moved.last().at(3).toInt(), 2) << "the second channel";
    const double start = moved.last().at(4).toDouble();
    EXPECT_NEAR(start, plan.start_s + 7200, 301);
    EXPECT_NEAR(std::remainder(start, 300), 0, 1e-6);
    // Hardly moved is not moved; a rest is nobody's to move; nor with the right button.
    drag(bars, from, from + QPoint(1, 1));
    const QPoint rest = bars.barOf(plan.steps[2]).center().toPoint();
    drag(bars, rest, rest + QPoint(80, 0));
    QTest::mousePress(&bars, Qt::RightButton, {}, from);
    QTest::mouseRelease(&bars, Qt::RightButton, {}, from + QPoint(90, 0));
    EXPECT_EQ(moved.count(), 1);
}

TEST_F(Bars, GoByKeysAsFarAsThereAreChannels) {
    QSignalSpy moved(&bars, &QueueBars::moved);
    QTest::keyClick(&bars, Qt::Key_Down, Qt::ControlModifier);
    EXPECT_EQ(moved.count(), 0) << "none is chosen yet";
    QTest::keyClick(&bars, Qt::Key_Right);
    QTest::keyClick(&bars, Qt::Key_Down, Qt::ControlModifier);
    ASSERT_EQ(moved.count(), 1);
    EXPECT_EQ(moved.last().at(3).toInt(), 2);
    QTest::keyClick(&bars, Qt::Key_Up, Qt::ControlModifier);
    EXPECT_EQ(moved.count(), 1) << "above the first channel there is none";
    QTest::keyClick(&bars, Qt::Key_Right, Qt::ControlModifier);
    EXPECT_NEAR(moved.last().at(4).toDouble(), plan.start_s + 900, 1);
    for (int k = 0; k < 9; ++k) QTest::keyClick(&bars, Qt::Key_Right);
    QTest::keyClick(&bars, Qt::Key_Left, Qt::ControlModifier);
    EXPECT_EQ(moved.last().at(1).toULongLong(), plan.steps[3].link)
        << "the last, rests passed over";
}

TEST_F(Bars, ANameOfATableIsLettersInTheTip) {
    const QPoint at = bars.barOf(plan.steps[0]).center().toPoint();
    QHelpEvent help(QEvent::ToolTip, at, bars.mapToGlobal(at));
    QApplication::sendEvent(&bars, &help);
    EXPECT_NE(QToolTip::text().indexOf("&lt;b&gt;one"), -1) << QToolTip::text().toStdString();
    QToolTip::hideText();
}

TEST_F(Bars, APlanThatShrinksLetsGoOfWhatWasHeld) {
    QTest::mousePress(&bars, Qt::LeftButton, {}, bars.barOf(plan.steps[3]).center().toPoint());
    QueuePlan less = plan;
    less.steps.resize(1);
    bars.setPlan(less, wish);
    QTest::mouseMove(&bars, {400, 60});
    QTest::mouseRelease(&bars, Qt::LeftButton, {}, {500, 60});
    bars.setPlan({}, {});
    QTest::keyClick(&bars, Qt::Key_Right);
    QTest::keyClick(&bars, Qt::Key_Right, Qt::ControlModifier);
    bars.grab();
}

// -------------------------------------------------------------------------------- a board of
// modules

class Board : public testing::Test {
  protected:
    void SetUp() override {
        for (int k = 0; k < 7; ++k) {
            MatchModule m;
            m.name = "m" + std::to_string(k), m.capacity_Ah = 2 - 0.05 * k;
            m.resistance_ohm = 0.02 + 0.001 * k;
            modules.push_back(m);
        }
        matching.groups = {{{0, 1, 2}, 0, 0}, {{3, 4, 5}, 0, 0}};
        matching.spares = {6};
        board.setMatching(modules, matching);
        shown(board, {700, 400});
    }
    std::vector<int> all() const {
        std::vector<int> out = board.spares();
        for (const auto& g : board.groups()) out.insert(out.end(), g.begin(), g.end());
        std::sort(out.begin(), out.end());
        return out;
    }
    std::vector<MatchModule> modules;
    Matching matching;
    ModuleBoard board;
};

TEST_F(Board, ExchangesByMouseAndNothingIsLostOrDoubled) {
    QSignalSpy changed(&board, &ModuleBoard::changed);
    drag(board, board.tile(1).center(), board.tile(5).center());
    EXPECT_EQ(changed.count(), 1);
    EXPECT_EQ(board.groups()[0], (std::vector<int>{0, 5, 2}));
    EXPECT_EQ(board.groups()[1], (std::vector<int>{3, 4, 1}));
    drag(board, board.tile(0).center(), board.tile(6).center());
    EXPECT_EQ(board.spares(), std::vector<int>{0});
    drag(board, board.tile(3).center(), QPoint(690, 395));
    drag(board, board.tile(3).center(), board.tile(3).center());
    EXPECT_EQ(changed.count(), 2) << "beside all tiles, and onto itself, nothing happens";
    EXPECT_EQ(all(), (std::vector<int>{0, 1, 2, 3, 4, 5, 6}));
}

TEST_F(Board, ExchangesByKeysAlsoAfterAClickBesideTheTiles) {
    QTest::mouseClick(&board, Qt::LeftButton, {}, QPoint(690, 395));
    QSignalSpy changed(&board, &ModuleBoard::changed);
    QTest::keyClick(&board, Qt::Key_Return);
    QTest::keyClick(&board, Qt::Key_Down);
    QTest::keyClick(&board, Qt::Key_Return);
    EXPECT_EQ(changed.count(), 1);
    EXPECT_EQ(board.groups()[0].front(), 3);
    EXPECT_EQ(board.groups()[1].front(), 0);
    QTest::keyClick(&board, Qt::Key_Space);
    QTest::keyClick(&board, Qt::Key_Escape);
    QTest::keyClick(&board, Qt::Key_Right);
    EXPECT_EQ(changed.count(), 1) << "taken up and put down again";
    std::mt19937 random(4);
    const Qt::Key keys[] = {Qt::Key_Left,   Qt::Key_Right, Qt::Key_Up,    Qt::Key_Down,
                            Qt::Key_Return, Qt::Key_Space, Qt::Key_Escape};
    for (int k = 0; k < 400; ++k) QTest::keyClick(&board, keys[random() % 7]);
    EXPECT_EQ(all(), (std::vector<int>{0, 1, 2, 3, 4, 5, 6}));
    EXPECT_EQ(board.groups()[0].size(), 3U);
}

TEST_F(Board, TilesLieBesideEachOtherAtEveryWidth) {
    for (const int width : {150, 300, 520, 1200}) {
        board.resize(width, board.heightForWidth(width));
        for (int a = 0; a < 7; ++a) {
            EXPECT_FALSE(board.tile(a).isEmpty());
            EXPECT_LE(board.tile(a).bottom(), board.heightForWidth(width)) << width;
            for (int b = a + 1; b < 7; ++b)
                EXPECT_FALSE(board.tile(a).intersects(board.tile(b))) << width;
        }
    }
}

TEST_F(Board, AnotherTableInTheMiddleOfADragIsTheNewOne) {
    QTest::mousePress(&board, Qt::LeftButton, {}, board.tile(5).center());
    QTest::mouseMove(&board, board.tile(1).center());
    Matching small;
    small.groups = {{{0}, 0, 0}, {{1}, 0, 0}};
    board.setMatching({modules[0], modules[1]}, small);
    board.grab();
    QTest::mouseMove(&board, {200, 60});
    QTest::mouseRelease(&board, Qt::LeftButton, {}, board.tile(1).center());
    EXPECT_EQ(all(), (std::vector<int>{0, 1}));
    board.setMatching({}, {});
    QTest::keyClick(&board, Qt::Key_Return);
    board.grab();
}

// -------------------------------------------------------------------------------------------
// pictures

TEST(HistoryPictures, EachPointKeepsItsOwnInterval) {
    BatteryPageView view;
    // Newest first, as logs come in; and by cycles in yet another order.
    for (int k = 9; k >= 0; --k) {
        HistoryDot d;
        d.at_s = 1.7e9 + 86400.0 * k, d.efc = (7 * k) % 10, d.value = 2 - 0.02 * k;
        d.low = d.value - 0.001 * (k + 1), d.high = d.value + 0.002 * (k + 1);
        d.group = "1", d.recording = k + 1;
        view.capacities.push_back(d);
    }
    HistoryPlot plot;
    shown(plot, {600, 300});
    for (const bool cycles : {false, true}) {
        plot.setView(view);
        plot.setByCycles(cycles);
        const auto* graph = plot.graph(0);
        QCPErrorBars* bars = nullptr;
        for (int k = 0; k < plot.plottableCount(); ++k)
            if (auto* found = qobject_cast<QCPErrorBars*>(plot.plottable(k))) bars = found;
        ASSERT_TRUE(graph != nullptr && bars != nullptr);
        ASSERT_EQ(bars->data()->size(), 10);
        for (int n = 0; n < 10; ++n) {
            const double value = graph->data()->at(n)->value;
            const double k = std::round((2 - value) / 0.02);
            EXPECT_NEAR(bars->data()->at(n).errorMinus, 0.001 * (k + 1), 1e-9) << n;
            EXPECT_NEAR(bars->data()->at(n).errorPlus, 0.002 * (k + 1), 1e-9) << n;
        }
    }
}

TEST(HistoryPictures, APointTellsWhereItComesFromAndBesideItNothing) {
    BatteryPageView view;
    for (int k = 0; k < 3; ++k) {
        HistoryDot d;
        d.at_s = 1.7e9 + 86400.0 * k, d.value = 2 - 0.1 * k, d.recording = 10 + k;
        d.words = QString::number(k);
        view.capacities.push_back(d);
    }
    HistoryPlot plot;
    shown(plot, {600, 300});
    plot.setView(view);
    QSignalSpy chosen(&plot, &HistoryPlot::evidenceChosen);
    const auto at = [&](int k) {
        return QPoint(static_cast<int>(plot.xAxis->coordToPixel(view.capacities[k].at_s)),
                      static_cast<int>(plot.yAxis->coordToPixel(view.capacities[k].value)));
    };
    QTest::mouseClick(&plot, Qt::LeftButton, {}, at(1));
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen.last().at(0).toLongLong(), 11);
    QTest::mouseClick(&plot, Qt::LeftButton, {}, (at(0) + at(1)) / 2);
    EXPECT_EQ(chosen.count(), 1);
}

/// A picture at several sizes, in both looks, does not break and shows something.
template <class Plot>
void standsUp(Plot& plot, const char* what) {
    for (const ThemeChoice look : {ThemeChoice::Paper, ThemeChoice::NightBench}) {
        applyTheme(*qApp, look);
        plot.applyColours();
        for (const QSize size : {QSize(120, 90), QSize(420, 240), QSize(1200, 700)}) {
            plot.resize(size);
            EXPECT_GE(coloursIn(plot), 2U) << what << " " << size.width();
        }
    }
    applyTheme(*qApp, ThemeChoice::Paper);
}

TEST(Pictures, OfNothingOneThingAndTheOddStandUp) {
    {
        HistoryPlot plot;
        shown(plot, {400, 240});
        standsUp(plot, "no history");
        BatteryPageView view;
        view.capacities.push_back({});
        view.label_Ah = 2, view.first_Ah = 2.001, view.siblings_Ah = kNaN;
        plot.setView(view);
        standsUp(plot, "one point");
        view.capacities[0].value = kNaN;
        view.resistances = view.temperatures = view.capacities;
        plot.setView(view);
        for (const auto picture :
             {HistoryPlot::Picture::Resistance, HistoryPlot::Picture::Temperature,
              HistoryPlot::Picture::Capacity})
            plot.show(picture);
        plot.setByCycles(true);
        standsUp(plot, "no number");
    }
    {
        FadePlot plot;
        shown(plot, {400, 240});
        plot.setPicture({}, "Nothing yet.");
        standsUp(plot, "no fade");
        FadePicture p;
        p.at = {0, 100}, p.value = {2, 1.9}, p.x = {0, 100, 200}, p.low = {1.9, 1.8, 1.6};
        p.middle = {2, 1.9, 1.8}, p.high = {2.1, 2.0, 2.0}, p.end = 1.6;
        p.axis = "cycles", p.unit = "Ah", p.endWords = "80 %";
        plot.setPicture(p, "");
        standsUp(plot, "a fade");
        p.crossing.low = 150, p.crossing.high = INFINITY, p.knee = kNaN;
        p.oddAt = {50}, p.oddValue = {0};
        plot.setPicture(p, "");
        standsUp(plot, "a fade without end");
    }
    {
        PredictionPlot plot;
        shown(plot, {400, 240});
        plot.setLines({});
        plot.setLines({{{0}, {3.7}, "alone", PredictionPlot::Line::Kind::Measured}});
        standsUp(plot, "one point");
        plot.setLines({{{0, 1, 2}, {3.7, kNaN, 3.6}, "a", PredictionPlot::Line::Kind::Measured},
                       {{0, 1, 2}, {3.7, 3.7, 3.7}, "b", PredictionPlot::Line::Kind::Predicted},
                       {{}, {}, "c", PredictionPlot::Line::Kind::Instead}});
        standsUp(plot, "lines with holes");
    }
    {
        ExpectedCurve plot;
        shown(plot, {400, 240});
        plot.setStep({});
        PredictedStep step;
        step.time_s = {0, 60, 120}, step.voltage_V = {3.6, 3.9, 4.2}, step.knee_s = 90;
        step.duration_s = 120, step.uncertainty_s = 30;
        plot.setStep(step);
        standsUp(plot, "an expected charge");
    }
    {
        YearsBar bar;
        shown(bar, {400, 80});
        bar.setFigures({}, 10);
        bar.grab();
        HabitFigures f;
        f.low = 3, f.high = 200, f.lines = {"a", "b"};
        f.marks = {{"x", 5, 3, 9, false}, {"y", kNaN, kNaN, kNaN, true}, {"z", 1e6, 10, 1e9, true}};
        bar.setFigures(f, 30);
        EXPECT_GT(coloursIn(bar), 3U);
        bar.resize(60, 30);
        bar.grab();
    }
}

}  // namespace
}  // namespace nk
