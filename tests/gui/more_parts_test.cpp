// More of the window's own drawn parts under real mouse and key events: queues, boards of modules,
// and pictures of nothing, one thing and the odd.
#include <QSignalSpy>
#include <QStandardItemModel>
#include <QToolTip>
#include <cmath>
#include <random>

#include "app/battery/history_plot.h"
#include "app/habits/fade_plot.h"
#include "app/habits/week_band.h"
#include "app/habits/years_bar.h"
#include "app/plan/expected_curve.h"
#include "app/plan/queue_bars.h"
#include "app/plot/prediction_plot.h"
#include "app/side/module_board.h"
#include "app/theme/theme.h"
#include "tests/gui/parts.h"

namespace nk::test {
namespace {

// ---- bars of a queue

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

// ---- a board of modules

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

// ---- pictures

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
}  // namespace nk::test
