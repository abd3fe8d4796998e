// Side by side and the matching bench in the real window: presets, axes, a curve shifted by hand,
// views kept, dQ/dV, tiles dragged and moved by the keyboard.
#include <QDialog>
#include <QDoubleSpinBox>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QTableWidget>
#include <QTreeWidget>
#include <random>

#include "app/plot/ribbon.h"
#include "app/side/kept_views.h"
#include "app/side/matching_bench.h"
#include "app/side/module_board.h"
#include "app/side/side_station.h"
#include "tests/gui/window.h"

namespace nk::test {
namespace {

class SideWindow : public Window {
  protected:
    /// A whole cycle of a cell of that capacity, stored under the battery's name and day.
    std::int64_t cycle(std::int64_t battery, const std::string& title, double capacity,
                       double ambient, const std::string& start, int seed) {
        const Logged log = logged(
            R"({"seed": )" + std::to_string(seed) + R"(, "ambient_C": )" + std::to_string(ambient) +
            R"(, "battery": {"name": "x", "chemistry": "nmc", "series": 1, "rated_Ah": 2.5, "capacity_Ah": )" +
            std::to_string(capacity) +
            R"(, "soc": 0.02}, "program": [{"do": "rest", "longest_s": 300},
            {"do": "charge", "current_A": 1.25, "set_V": 4.2, "cutoff_A": 0.1}, {"do": "rest", "longest_s": 1200},
            {"do": "discharge", "current_A": 0.5, "floor_V": 3.0}, {"do": "rest", "longest_s": 900}],
            "logger": {"interval_s": 10, "noise_V": 0.0004, "noise_A": 0.0005, "noise_C": 0.05},
            "format": {"time": "datetime", "start": ")" +
            start + R"("}})");
        NewRecording r;
        r.batteryId = battery;
        r.title = title;
        r.fileName = title + ".csv";
        r.originalBytes = log.text;
        r.imported = &log.imported;
        const auto id = window_->book().addRecording(r);
        EXPECT_TRUE(id);
        return id.value_or(0);
    }
    std::int64_t battery(const std::string& name) {
        Battery b;
        b.name = name;
        b.chemistry = "nmc";
        b.series = 1;
        b.rated_Ah = 2.5;
        return *window_->book().addBattery(b);
    }
    void fill() {
        a_ = battery("Cell A");
        b_ = battery("Cell B");
        first_ = cycle(a_, "autumn", 2.45, 22, "2025-10-01 10:00:00", 1);
        last_ = cycle(a_, "spring", 2.2, 22, "2026-04-01 10:00:00", 2);
        cold_ = cycle(a_, "frost", 2.2, 2, "2026-01-10 10:00:00", 3);
        other_ = cycle(b_, "first", 2.4, 22, "2026-02-01 10:00:00", 4);
        window_->session().reread();
        ASSERT_TRUE(QTest::qWaitFor(
            [&] {
                return std::ranges::all_of(window_->session().recordings(),
                                           [](const RecordingEntry& r) {
                                               return std::isfinite(r.summary.health_percent);
                                           });
            },
            30000));
        window_->chooseRecording(last_);
        settle();
        window_->setStation(3);
        settle();
    }
    SideStation* side() const { return window_->findChild<SideStation*>(); }
    void click(const QString& name) const {
        auto* button = window_->findChild<QPushButton*>(name);
        ASSERT_NE(button, nullptr) << name.toStdString();
        QTest::mouseClick(button, Qt::LeftButton);
        settle();
    }
    std::int64_t a_ = 0, b_ = 0, first_ = 0, last_ = 0, cold_ = 0, other_ = 0;
};

TEST_F(SideWindow, BeforeAndAfterIsLaidByItselfAndSaid) {
    fill();
    EXPECT_EQ(side()->choice().items, (std::vector<SideItem>{{first_}, {last_}}));
    const SideView& v = side()->view();
    ASSERT_EQ(v.curves.size(), 2U);
    EXPECT_EQ(v.curves[0].name, "autumn") << "of one battery the log's name is enough";
    EXPECT_FALSE(v.difference.x.empty());
    ASSERT_FALSE(v.sentences.isEmpty());
    EXPECT_TRUE(v.sentences[0].startsWith("spring gives")) << v.sentences[0].toStdString();
    EXPECT_TRUE(v.sentences[0].contains("less than autumn"));
    EXPECT_TRUE(window_->findChild<QLabel*>("sideWords")->text().contains("spring gives"));
    click("preset-1");
    EXPECT_EQ(side()->choice().items.back(), SideItem{cold_})
        << "the cold one against the warm one";
    click("preset-2");
    EXPECT_EQ(side()->choice().items.size(), 2U);
    EXPECT_TRUE(side()->view().curves[0].name.contains("Cell A"));
}

TEST_F(SideWindow, EveryLaneAndAxisShowsOrSaysWhyNot) {
    fill();
    for (const int axis : {0, 1, 2, 3, 4}) {
        click(QString("axis-%1").arg(axis));
        const SideView& v = side()->view();
        for (const SideCurve& c : v.curves) {
            EXPECT_EQ(c.x.empty(), !c.why.isEmpty()) << axis;
            EXPECT_EQ(c.x.size(), c.y.size());
            EXPECT_TRUE(std::ranges::is_sorted(c.x)) << axis;
        }
        EXPECT_EQ(v.curves[0].x.empty(), axis == 4) << "lithium has no nickel peak";
    }
    click("axis-1");
    click("lane-1");
    EXPECT_TRUE(side()->view().yLabel.startsWith("Temperature"));
    click("lane-2");
    EXPECT_EQ(side()->view().yLabel, "dQ/dV, Ah/V");
    EXPECT_TRUE(side()->view().difference.x.empty());
    EXPECT_FALSE(window_->findChild<QPushButton*>("axis-0")->isEnabled());
    EXPECT_TRUE(side()->view().sentences.join("\n").contains("smoothed over"));
    click("lane-3");
    EXPECT_EQ(side()->view().xLabel, "Charge, Ah");
    click("lane-0");
    EXPECT_TRUE(window_->findChild<QPushButton*>("axis-0")->isEnabled());
    window_->setTheme(ThemeChoice::NightBench);
    settle();
    window_->setTheme(ThemeChoice::Paper);
}

TEST_F(SideWindow, ADragOnACurveShiftsItAndElsewhereMovesTheView) {
    fill();
    click("axis-0");
    SidePlot* plot = side()->plot();
    plot->replot();
    QCPGraph* curve = plot->graph(1);
    const double x = curve->keyAxis()->range().lower + 0.7 * curve->keyAxis()->range().size();
    const auto at = curve->findBegin(x);
    const auto sample = curve->data()->at(at - 0);
    const QPoint from(qRound(curve->keyAxis()->coordToPixel(sample->key)),
                      qRound(curve->valueAxis()->coordToPixel(sample->value)));
    const double before = side()->view().curves[1].x.front();
    QTest::mousePress(plot, Qt::LeftButton, {}, from);
    QTest::mouseMove(plot, from + QPoint(60, 0));
    QTest::mouseRelease(plot, Qt::LeftButton, {}, from + QPoint(60, 0));
    settle();
    ASSERT_FALSE(side()->choice().shifts.empty());
    const double shift = side()->choice().shifts.begin()->second;
    EXPECT_GT(shift, 0);
    bool moved = false;
    for (const SideCurve& c : side()->view().curves)
        moved = moved || std::abs(c.x.front() - before - shift) < 1e-9;
    EXPECT_TRUE(moved);
    click("axis-1");
    EXPECT_TRUE(side()->choice().shifts.empty()) << "another axis, another shift";
    // The keyboard moves and scales; Home shows all.
    settle();
    const QCPRange all = plot->graph(0)->keyAxis()->range();
    plot->setFocus();
    QTest::keyClick(plot, Qt::Key_Plus);
    EXPECT_LT(plot->graph(0)->keyAxis()->range().size(), all.size());
    QTest::keyClick(plot, Qt::Key_Home);
    EXPECT_NEAR(plot->graph(0)->keyAxis()->range().size(), all.size(), 1e-6);
}

TEST_F(SideWindow, LogsAreChosenFromAListAndAViewIsKept) {
    fill();
    click("chooseLogs");
    auto* dialog = window_->findChild<QDialog*>("sideChoose");
    ASSERT_NE(dialog, nullptr);
    auto* list = dialog->findChild<QTreeWidget*>("sideList");
    ASSERT_EQ(list->topLevelItemCount(), 4);
    dialog->findChild<QLineEdit*>("sideSearch")->setText("Cell B");
    int shown = 0;
    for (int k = 0; k < 4; ++k) shown += !list->topLevelItem(k)->isHidden();
    EXPECT_EQ(shown, 1);
    for (int k = 0; k < 4; ++k) list->topLevelItem(k)->setCheckState(0, Qt::Checked);
    QTest::mouseClick(dialog->findChild<QPushButton*>("sideTake"), Qt::LeftButton);
    settle();
    ASSERT_EQ(side()->choice().items.size(), 4U);
    EXPECT_EQ(side()->choice().items[0], SideItem{first_})
        << "the first stays the one compared with";
    // Kept under a name, in the book; chosen again after something else.
    QMenu* menu = window_->findChild<QPushButton*>("sideViews")->menu();
    Q_EMIT menu->aboutToShow();
    menu->actions().front()->trigger();
    auto* name = window_->findChild<QInputDialog*>("keepView");
    ASSERT_NE(name, nullptr);
    name->setTextValue("all & four");
    name->accept();
    settle();
    click("preset-0");
    EXPECT_EQ(side()->choice().items.size(), 2U);
    Q_EMIT menu->aboutToShow();
    for (QAction* action : menu->actions())
        if (action->text() == "all && four") action->trigger();
    settle();
    EXPECT_EQ(side()->choice().items.size(), 4U);
    window_->undo();
    settle();
    EXPECT_EQ(*window_->book().setting("side_views"), "") << "one act";
    // What is damaged in the book is passed over.
    ASSERT_TRUE(window_->book().setSetting(
        "side_views", "[1, {\"name\": 2}, {\"name\": \"x\", \"recordings\": [\"a\", 99999999]}]"));
    Q_EMIT menu->aboutToShow();
    for (QAction* action : menu->actions())
        if (action->text() == "x") action->trigger();
    settle();
    EXPECT_TRUE(side()->choice().items.empty());
}

TEST_F(SideWindow, StepsOfOneLogLieOverEachOtherFromTheRibbonAndTheTree) {
    fill();
    // On the Curve's ribbon: a step is chosen, B lays it side by side.
    window_->setStation(0);
    settle();
    auto* ribbon = window_->findChild<Ribbon*>();
    const Steps steps = window_->session().shown()->analysis.steps;
    const auto stepOf = [&](StepKind kind) {
        for (std::size_t k = 0; k < steps.list.size(); ++k)
            if (steps.list[k].kind == kind) return static_cast<int>(k);
        return -1;
    };
    const int charge = stepOf(StepKind::CcCharge);
    const int discharge = stepOf(StepKind::CcDischarge);
    ASSERT_TRUE(charge >= 0 && discharge >= 0);
    ribbon->select(discharge);
    ribbon->setFocus();
    QTest::keyClick(ribbon, Qt::Key_B);
    settle();
    EXPECT_TRUE(side()->isVisible());
    ASSERT_EQ(side()->choice().items.size(), 1U);
    const SideView one = side()->view();
    ASSERT_EQ(one.curves.size(), 1U);
    const Step& d = steps.list[static_cast<std::size_t>(discharge)];
    // From its first row to its last: the interval into it is counted with it and not drawn.
    const double interval_Ah = 0.5 * 10 / 3600 + 1e-6;
    EXPECT_NEAR(one.curves[0].x.back(), -d.sum.charge_Ah, interval_Ah)
        << "only that step, over its charge";
    EXPECT_TRUE(one.curves[0].name.startsWith(QString("Step %1").arg(discharge + 1)));
    // Its charge too, from the tree, where the chosen one is ticked already.
    click("chooseLogs");
    auto* tree = window_->findChild<QTreeWidget*>("sideList");
    ASSERT_NE(tree, nullptr);
    QTreeWidgetItem* log = nullptr;
    QTreeWidgetItem* other = nullptr;
    for (int k = 0; k < tree->topLevelItemCount(); ++k) {
        (tree->topLevelItem(k)->text(0).contains("spring") ? log : other) = tree->topLevelItem(k);
        EXPECT_EQ(tree->topLevelItem(k)->checkState(0), Qt::Unchecked);
    }
    ASSERT_TRUE(log != nullptr && log->isExpanded());
    ASSERT_EQ(log->childCount(), static_cast<int>(steps.list.size()));
    EXPECT_EQ(log->child(discharge)->checkState(0), Qt::Checked);
    log->child(charge)->setCheckState(0, Qt::Checked);
    // A log that was never opened is read when it is unfolded.
    other->setExpanded(true);
    ASSERT_TRUE(QTest::qWaitFor([&] { return other->childCount() > 1; }, 10000));
    EXPECT_EQ(other->child(0)->checkState(0), Qt::Unchecked);
    QTest::mouseClick(window_->findChild<QPushButton*>("sideTake"), Qt::LeftButton);
    settle();
    ASSERT_EQ(side()->choice().items.size(), 2U);
    EXPECT_EQ(side()->view().curves[0].name, one.curves[0].name) << "the first stays the first";
    EXPECT_EQ(side()->view().curves.size(), 2U);
    EXPECT_FALSE(side()->view().difference.x.empty());
    // Kept with its steps, and found again after an edit of the steps.
    EXPECT_EQ(readViews(writeViews({{"two", side()->choice()}}))[0].choice.items,
              side()->choice().items);
    window_->setStation(0);
    ribbon->select(charge);
    ribbon->setFocus();
    QTest::keyClick(ribbon, Qt::Key_S);
    settle();
    window_->setStation(3);
    settle();
    EXPECT_NEAR(side()->view().curves[0].x.back(), -d.sum.charge_Ah, interval_Ah)
        << "still the discharge, though it has another number";
    // As a sheet: picture, sentences, which steps they are.
    ASSERT_TRUE(side()->writeSideSheet(path("side.html")));
    QFile sheet(path("side.html"));
    ASSERT_TRUE(sheet.open(QIODevice::ReadOnly));
    const QString html = QString::fromUtf8(sheet.readAll());
    EXPECT_TRUE(html.contains("<svg") && html.contains("spring") && html.contains("Cell A"));
    EXPECT_TRUE(html.contains("constant current"));
    // From the menu it is written beside the window, and what came of it is said.
    dialogs_.save = path("side.pdf");
    Q_EMIT window_->findChild<QPushButton*>("sideViews")->menu()->aboutToShow();
    for (QAction* a : window_->findChild<QPushButton*>("sideViews")->menu()->actions())
        if (a->text().contains("sheet")) a->trigger();
    ASSERT_TRUE(QTest::qWaitFor([&] { return QFile(path("side.pdf")).size() > 3000; }, 10000));
    settle();
    EXPECT_TRUE(part<QLabel>("inlineText")->text().contains("side.pdf"));
    dialogs_.save = path("no such folder/side.pdf");
    for (QAction* a : window_->findChild<QPushButton*>("sideViews")->menu()->actions())
        if (a->text().contains("sheet")) a->trigger();
    settle();
    EXPECT_TRUE(part<QLabel>("inlineText")->text().contains("could not be written"));
}

TEST_F(SideWindow, KeptViewsOfOlderBooksAreRead) {
    const auto views = readViews(
        R"([{"name": "old", "axis": 0, "lane": 1, "recordings": [4, 7], "shifts": [[7, 0.5]]},
            {"name": "new", "recordings": [[4, 120.5], 9, 9, [1], "x"], "shifts": [[[4, 120.5], -1]]}])");
    ASSERT_EQ(views.size(), 2U);
    EXPECT_EQ(views[0].choice.items, (std::vector<SideItem>{{4}, {7}}));
    EXPECT_EQ(views[0].choice.shifts.at({7}), 0.5);
    EXPECT_EQ(views[0].choice.lane, SideLane::Temperature);
    EXPECT_EQ(views[1].choice.items, (std::vector<SideItem>{{4, 120.5}, {9}}));
    EXPECT_EQ(views[1].choice.shifts.at({4, 120.5}), -1);
    // What no hand would do is passed over, whatever the book says.
    const auto odd = readViews(
        R"([{"name": "odd", "axis": 99, "lane": -3, "recordings": [[1, -7], [2, 1e300], [3, null], 4.5],
             "shifts": [[4, 1e300], [[4], 1], [4, "far"], [4, -2.5]]}, {"name": "none"}, 7])");
    ASSERT_EQ(odd.size(), 1U);
    EXPECT_EQ(odd[0].choice.axis, OverlayAxis::Peak);
    EXPECT_EQ(odd[0].choice.lane, SideLane::Voltage);
    EXPECT_EQ(odd[0].choice.items.size(), 2U);
    EXPECT_TRUE(odd[0].choice.items[0].whole());
    EXPECT_EQ(odd[0].choice.shifts.size(), 1U);
    EXPECT_EQ(readViews(writeViews(odd))[0].choice.items, odd[0].choice.items);
}

TEST_F(SideWindow, ThePictureIsWrittenAndALogThatGoesLeaves) {
    fill();
    for (const char* ending : {"png", "svg", "pdf"})
        EXPECT_TRUE(side()->writePicture(path(QString("side.") + ending)));
    EXPECT_GT(QFile(path("side.svg")).size(), 1000);
    const std::string table = sideTable(side()->view());
    EXPECT_EQ(table.substr(0, table.find('\n')), "curve,\"Charge, Ah\",\"Voltage, V\",low,high");
    EXPECT_NE(table.find("spring less autumn,"), std::string::npos);
    ASSERT_TRUE(window_->book().removeRecording(first_));
    window_->session().reread();
    window_->chooseRecording(last_);
    settle();
    EXPECT_EQ(side()->choice().items, std::vector<SideItem>{{last_}});
}

TEST_F(SideWindow, ColoursStandOutOfTheGround) {
    for (const bool dark : {false, true})
        for (std::size_t n : {2, 5, 12, 50})
            for (std::size_t k = 0; k < n; ++k)
                EXPECT_GE(contrastRatio(SidePlot::colourOf(k, n, dark),
                                        dark ? Theme::nightBench().plot : Theme::paper().plot),
                          4.5)
                    << k << " of " << n;
}

TEST_F(SideWindow, TilesAreExchangedByMouseAndKeyboardAndFiguresFollow) {
    window_->setStation(3);
    side()->openBench();
    settle();
    auto* bench = window_->findChild<MatchingBench*>();
    ASSERT_NE(bench, nullptr);
    std::vector<MatchModule> modules;
    std::mt19937 draw(3);
    for (int k = 0; k < 26; ++k) {
        MatchModule m;
        m.name = "M" + std::to_string(k);
        m.capacity_Ah = 2 + std::uniform_real_distribution<double>(0, 0.5)(draw);
        m.resistance_ohm = 0.02 + 0.001 * (k % 5);
        modules.push_back(m);
    }
    window_->findChild<QSpinBox*>("benchSeries")->setValue(6);
    window_->findChild<QSpinBox*>("benchParallel")->setValue(4);
    bench->setModules(modules, "by hand");
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return !bench->busy() && bench->matching().groups.size() == 6; }, 10000));
    const double even = bench->matching().spread_Ah;
    EXPECT_LT(even, 0.01);
    ModuleBoard* board = bench->board();
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    const int strongest = *std::ranges::max_element(board->groups()[0], {}, [&](int m) {
        return modules[static_cast<std::size_t>(m)].capacity_Ah;
    });
    const int weakest = *std::ranges::min_element(board->groups()[1], {}, [&](int m) {
        return modules[static_cast<std::size_t>(m)].capacity_Ah;
    });
    QTest::mousePress(board, Qt::LeftButton, {}, board->tile(strongest).center());
    QTest::mouseMove(board, board->tile(weakest).center());
    QTest::mouseRelease(board, Qt::LeftButton, {}, board->tile(weakest).center());
    const double moved = modules[static_cast<std::size_t>(strongest)].capacity_Ah -
                         modules[static_cast<std::size_t>(weakest)].capacity_Ah;
    EXPECT_NEAR(bench->matching().spread_Ah, 2 * moved, even + 1e-9) << "every figure follows";
    EXPECT_TRUE(window_->findChild<QLabel*>("benchWords")->text().contains("differ by"));
    // By the keyboard: picked up, moved, laid down; Escape lets go.
    board->setFocus();
    const auto before = board->groups();
    QTest::keyClick(board, Qt::Key_Return);
    QTest::keyClick(board, Qt::Key_Escape);
    QTest::keyClick(board, Qt::Key_Return);
    QTest::keyClick(board, Qt::Key_Down);
    QTest::keyClick(board, Qt::Key_Return);
    EXPECT_NE(board->groups(), before);
    // Ranked, the rejects go.
    click("benchRank");
    auto* rank = window_->findChild<QDialog*>("rank");
    ASSERT_NE(rank, nullptr);
    auto* list = rank->findChild<QTableWidget*>("rankList");
    ASSERT_EQ(list->rowCount(), 26);
    EXPECT_GE(list->item(0, 1)->data(Qt::DisplayRole).toDouble(),
              list->item(25, 1)->data(Qt::DisplayRole).toDouble());
    EXPECT_EQ(list->item(25, 3)->text(), "B");
    rank->findChild<QDoubleSpinBox*>("rankB")->setValue(95);
    rank->findChild<QDoubleSpinBox*>("rankA")->setValue(99);
    int rejects = 0;
    for (int k = 0; k < 26; ++k) rejects += list->item(k, 3)->text() == "reject";
    EXPECT_GT(rejects, 0);
    rank->reject();
    // A sheet to build by, with its cautions.
    ASSERT_TRUE(bench->writeSheet(path("build.html")));
    QFile sheet(path("build.html"));
    ASSERT_TRUE(sheet.open(QIODevice::ReadOnly));
    const QByteArray html = sheet.readAll();
    EXPECT_TRUE(html.contains("M25") && html.contains("one voltage"));
    ASSERT_TRUE(bench->writeSheet(path("build.pdf")));
    // A shape that there are not enough modules for is said, and what lies there stays.
    window_->findChild<QSpinBox*>("benchParallel")->setValue(5);
    EXPECT_TRUE(window_->findChild<QPushButton*>("benchMatch")->isVisible());
    click("benchMatch");
    EXPECT_TRUE(
        window_->findChild<QLabel*>("benchWords")->text().contains("30 modules are needed"));
    EXPECT_EQ(board->groups().size(), 6U);
    click("benchBack");
    EXPECT_FALSE(bench->isVisible());
}

TEST_F(SideWindow, GroupsMayBeUnlikeAndTheMadeUpTableIsThere) {
    window_->setStation(3);
    side()->openBench();
    settle();
    auto* bench = window_->findChild<MatchingBench*>();
    for (QAction* a : window_->findChild<QPushButton*>("benchTable")->menu()->actions())
        if (a->text().contains("made-up")) a->trigger();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return !bench->busy() && bench->matching().groups.size() == 5; }, 10000));
    EXPECT_TRUE(window_->findChild<QLabel*>("benchTitle")->text().contains("made up"));
    EXPECT_TRUE(window_->findChild<QLabel*>("benchWords")->text().contains("set apart"))
        << "one of them loses its charge";
    const auto type = [&](const QString& typed) {
        click("benchUnlike");
        auto* dialog = window_->findChild<QInputDialog*>("askShape");
        ASSERT_NE(dialog, nullptr);
        dialog->setTextValue(typed);
        dialog->accept();
        QCoreApplication::sendPostedEvents(dialog, QEvent::DeferredDelete);
        settle();
    };
    type("5 5 4");
    ASSERT_EQ(bench->matching().groups.size(), 3U);
    EXPECT_EQ(bench->matching().groups[2].modules.size(), 4U);
    EXPECT_FALSE(window_->findChild<QSpinBox*>("benchSeries")->isEnabled());
    EXPECT_EQ(window_->findChild<QPushButton*>("benchUnlike")->text(), "5 5 4");
    ASSERT_TRUE(bench->writeSheet(path("unlike.html")));
    QFile sheet(path("unlike.html"));
    ASSERT_TRUE(sheet.open(QIODevice::ReadOnly));
    EXPECT_TRUE(sheet.readAll().contains("3 groups of 5, 5 and 4"));
    type("5 banana");
    EXPECT_EQ(bench->matching().groups.size(), 3U) << "what cannot be read changes nothing";
    type("");
    EXPECT_EQ(bench->matching().groups.size(), 5U);
    EXPECT_TRUE(window_->findChild<QSpinBox*>("benchSeries")->isEnabled());
}

TEST_F(SideWindow, TheBenchTakesTheShelfsModulesOfOneKind) {
    for (int k = 0; k < 5; ++k) {
        const auto id = battery("Module " + std::to_string(k));
        SpotReading s;
        s.batteryId = id;
        s.kind = "charge";
        s.value = 2.0 + 0.1 * k;
        s.resolution = 0.01;
        s.atEpoch_s = 1e9;
        ASSERT_TRUE(window_->book().addSpotReading(s));
        s.kind = "resistance";
        s.value = 0.02;
        ASSERT_TRUE(window_->book().addSpotReading(s));
    }
    BatteryLife gone;
    gone.outOfUse = "swollen";
    ASSERT_TRUE(window_->book().setLife(window_->book().batteries()->back().id, gone));
    const auto found = modulesOfBook(window_->book(), 0);
    ASSERT_TRUE(found);
    ASSERT_EQ(found->size(), 4U) << "what is out of use is not built in";
    EXPECT_NEAR(found->front().capacity_Ah, 2.0, 1e-12);
    EXPECT_NEAR(found->front().capacityUncertainty_Ah, 0.01 / std::sqrt(12.0), 1e-12);
    EXPECT_NEAR(found->front().resistance_ohm, 0.02, 1e-12);
}

}  // namespace
}  // namespace nk::test
