// The Plan station in the real window: questions, settings and limits, tables of packs and modules,
// cards and calendars written.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>

#include "app/battery/model_view.h"
#include "app/plan/plan_station.h"
#include "app/plan/queue_bars.h"
#include "app/plan/queue_desk.h"
#include "app/plan/what_if_panel.h"
#include "tests/gui/window.h"

namespace nk::test {
namespace {

class PlanWindow : public Window {
  protected:
    PlanStation* station() {
        window_->setStation(5);
        settle();
        return window_->findChild<PlanStation*>();
    }
    void ask(int k) {
        QTest::mouseClick(part<QPushButton>(QString("ask-%1").arg(k)), Qt::LeftButton);
        settle();
    }
    static QString value(const PlanStation* s, const QString& name) {
        for (const BenchCard::Row& r : s->card().rows)
            if (r.name == name) return r.value;
        return {};
    }
};

TEST_F(PlanWindow, WorksOnAnEmptyBookAndWattsDecide) {
    PlanStation* s = station();
    ASSERT_NE(s, nullptr);
    EXPECT_TRUE(s->isVisible());
    EXPECT_EQ(value(s, "Cells in series"), "3");
    part<QComboBox>("planChemistry")
        ->setCurrentIndex(part<QComboBox>("planChemistry")->findData("nimh"));
    part<QSpinBox>("planSeries")->setValue(6);
    part<QDoubleSpinBox>("planRated")->setValue(6.5);
    part<QComboBox>("planCharger")->setCurrentIndex(1);  // 50 W
    part<QDoubleSpinBox>("planRate")->setValue(1);
    EXPECT_TRUE(value(s, "Set voltage").isEmpty());
    part<QSpinBox>("planSeries")->setValue(15);
    // 50 W at 18 V is 2.78 A, in steps 2.7.
    EXPECT_TRUE(value(s, "Really flows").startsWith("2.70"))
        << value(s, "Really flows").toStdString();
    part<QSpinBox>("planSeries")->setValue(20);
    EXPECT_FALSE(s->problem().isEmpty());
    EXPECT_TRUE((s->problem() + s->instead()).contains("15"))
        << (s->problem() + s->instead()).toStdString();
}

TEST_F(PlanWindow, BeyondTheUsualNeedsItsOwnTickAndStaysMarked) {
    PlanStation* s = station();
    part<QComboBox>("planChemistry")
        ->setCurrentIndex(part<QComboBox>("planChemistry")->findData("lipo"));
    part<QDoubleSpinBox>("planRate")->setValue(3);
    EXPECT_FALSE(s->problem().isEmpty());
    part<QCheckBox>("planBeyond")->setChecked(true);
    EXPECT_TRUE(s->problem().isEmpty());
    EXPECT_TRUE(s->card().marked);
    part<QDoubleSpinBox>("planTarget")->setValue(4.5);
    EXPECT_FALSE(s->problem().isEmpty());
}

TEST_F(PlanWindow, TheOwnModelDrawsTheCurve) {
    importCycle();
    PlanStation* s = station();
    settle();
    EXPECT_EQ(value(s, "Set voltage"), "12.60 V");
    EXPECT_TRUE(s->findChild<QWidget*>("expectedCurve")->isVisible());
    EXPECT_TRUE(s->findChild<QLabel*>("planModel")->text().contains("own model"));
}

TEST_F(PlanWindow, EveryQuestionAnswersOrSaysWhatItNeeds) {
    PlanStation* s = station();
    for (int k = 0; k < 6; ++k) {
        ask(k);
        EXPECT_TRUE(!s->problem().isEmpty() || !s->card().title.isEmpty()) << k;
    }
    // Lithium is not brought back to life, nickel is.
    ask(1);
    EXPECT_TRUE(s->problem().contains("lithium"));
    part<QComboBox>("planChemistry")
        ->setCurrentIndex(part<QComboBox>("planChemistry")->findData("nimh"));
    EXPECT_TRUE(s->problem().isEmpty());
    EXPECT_GT(s->findChildren<QCheckBox*>("preflight").size(), 5);
}

TEST_F(PlanWindow, TablesOfPacksAndModulesComeInAndPlansGoOut) {
    PlanStation* s = station();
    dialogs_.file =
        writeLog("packs.csv",
                 "name,chemistry,series,voltage_v,rated_ah,resistance_ohm\na,nmc,6,22.2,5,0.06\n"
                 "b,nmc,6,25.0,5,0.06\n");
    s->openPacks();
    settle();
    EXPECT_TRUE(s->card().lead.contains("must not"));
    dialogs_.file = writeLog(
        "modules.csv", "name,chemistry,series,rated_ah\nm1,nimh,6,2\nm2,nimh,6,2\nm3,nimh,6,2\n");
    s->openModules();
    settle();
    ASSERT_TRUE(s->problem().isEmpty()) << s->problem().toStdString();
    EXPECT_TRUE(s->findChild<QueueBars*>()->isVisible());
    EXPECT_EQ(s->card().rows.size(), 18U);  // three modules, three cycles
    dialogs_.save = path("queue.ics");
    s->saveCalendar();
    EXPECT_TRUE(QFile::exists(path("queue.ics")));
    dialogs_.save = path("card.pdf");
    s->saveCard();
    QFile pdf(path("card.pdf"));
    ASSERT_TRUE(pdf.open(QIODevice::ReadOnly));
    EXPECT_TRUE(pdf.readAll().startsWith("%PDF"));
    dialogs_.file = writeLog("no.csv", "a,b\n1,2\n");
    s->openModules();
    s->openPacks();
    dialogs_.file = writeLog("no.json", "{}");
    s->openChargers();
    settle();
    EXPECT_TRUE(s->findChild<QueueBars*>()->isVisible());
}

TEST_F(PlanWindow, VoltsAtRestAreTheFirstQuestion) {
    PlanStation* s = station();
    part<QComboBox>("planChemistry")
        ->setCurrentIndex(part<QComboBox>("planChemistry")->findData("lipo"));
    auto* rested = part<QLineEdit>("planRested");
    rested->setText("5.1");
    QTest::keyClick(rested, Qt::Key_Return);
    EXPECT_TRUE(s->problem().contains("out of use")) << s->problem().toStdString();
    // Cells apart are not charged as one pack; what to do instead is said.
    rested->setText("3.9 3.9 2.7");
    QTest::keyClick(rested, Qt::Key_Return);
    EXPECT_TRUE(s->problem().contains("apart")) << s->problem().toStdString();
    EXPECT_TRUE(s->instead().contains("Instead")) << s->instead().toStdString();
    // All of them over-drained: the gentle start.
    rested->setText("2.7 2.72 2.71");
    QTest::keyClick(rested, Qt::Key_Return);
    EXPECT_TRUE(s->problem().isEmpty()) << s->problem().toStdString();
    EXPECT_EQ(value(s, "Timer"), "30 min");
    rested->setText("3.9 what 2.7");
    QTest::keyClick(rested, Qt::Key_Return);
    EXPECT_FALSE(s->problem().isEmpty());
}

TEST_F(PlanWindow, AKeptCardWaitsForItsLog) {
    importCycle();
    PlanStation* s = station();
    settle();
    auto ticks = s->findChildren<QCheckBox*>("preflight");
    ASSERT_GT(ticks.size(), 4);
    ticks[0]->setChecked(true);
    // Another figure leaves the ticks.
    part<QDoubleSpinBox>("planRate")->setValue(0.3);
    ticks = s->findChildren<QCheckBox*>("preflight");
    QTest::mouseClick(part<QPushButton>("planKeep"), Qt::LeftButton);
    settle();
    const auto battery = window_->book().batteries()->front().id;
    const auto kept = plansOf(window_->book(), battery);
    ASSERT_EQ(kept.size(), 1U);
    EXPECT_EQ(kept[0].ticked.size(), 1U);
    EXPECT_TRUE(part<QLabel>("planAgainst")->text().contains("waits"));
}

TEST_F(PlanWindow, WhatIfTellsALoggedStepAgain) {
    importCycle();
    PlanStation* s = station();
    ask(6);
    auto* panel = s->findChild<WhatIfPanel*>();
    ASSERT_TRUE(panel->isVisible());
    ASSERT_TRUE(panel->answer()) << panel->words().toStdString();
    const double before = panel->answer()->instead.duration_s;
    auto* amount = part<QDoubleSpinBox>("whatIfAmount");
    amount->setValue(2 * amount->value());
    settle();
    ASSERT_TRUE(panel->answer());
    EXPECT_LT(panel->answer()->instead.duration_s, before);
    EXPECT_TRUE(panel->words().contains("It would take"));
    // Every step that can be told again.
    auto* steps = part<QComboBox>("whatIfStep");
    for (int k = 0; k < steps->count(); ++k) {
        steps->setCurrentIndex(k);
        settle();
        EXPECT_TRUE(panel->answer()) << k << panel->words().toStdString();
    }
}

TEST_F(PlanWindow, AnAnswerAboutALogThatIsGoneIsDropped) {
    importCycle();
    PlanStation* s = station();
    ask(6);
    auto* panel = s->findChild<WhatIfPanel*>();
    ASSERT_TRUE(panel->answer()) << panel->words().toStdString();
    auto* amount = part<QDoubleSpinBox>("whatIfAmount");
    for (int k = 0; k < 8; ++k) {
        amount->setValue(0.9 * amount->value());  // asks the worker
        if (k % 2 == 0)
            panel->setRecording(nullptr, std::nullopt, "nothing is known");
        else
            panel->setRecording(window_->shown(), std::nullopt, "nothing is known");
        QTest::qWait(40);
        EXPECT_FALSE(panel->answer());
    }
    QTest::qWait(300);
    EXPECT_EQ(panel->words(), "nothing is known");
}

TEST_F(PlanWindow, ANickelChargeIsToldAgainToItsPeakOrByTheClock) {
    const auto log = logged(R"({"seed": 5, "ambient_C": 22,
        "battery": {"name": "x", "chemistry": "nimh", "series": 6, "rated_Ah": 2.0, "capacity_Ah": 1.9, "soc": 0.1},
        "program": [{"do": "rest", "longest_s": 600},
                    {"do": "charge", "current_A": 1.2, "peak_drop_V": 0.004, "longest_s": 20000},
                    {"do": "rest", "longest_s": 2400}, {"do": "discharge", "current_A": 0.6, "floor_V": 6.0},
                    {"do": "rest", "longest_s": 900}],
        "logger": {"interval_s": 10}})");
    importLog(writeLog("module.csv", log.text), "Radio module 9", "nimh", 6, "2 Ah");
    PlanStation* s = station();
    settle();
    // The card's own curve ends under the peak.
    EXPECT_TRUE(part<QLabel>("planModel")->text().contains("under its peak"))
        << part<QLabel>("planModel")->text().toStdString();
    EXPECT_TRUE(s->findChild<QWidget*>("expectedCurve")->isVisible());
    ask(6);
    auto* panel = s->findChild<WhatIfPanel*>();
    ASSERT_TRUE(panel->answer()) << panel->words().toStdString();
    auto* steps = part<QComboBox>("whatIfStep");
    int charge = -1;
    for (int k = 0; k < steps->count(); ++k) {
        steps->setCurrentIndex(k);
        settle();
        ASSERT_TRUE(panel->answer()) << panel->words().toStdString();
        if (panel->answer()->instead.step.kind == PredictStep::Kind::PeakCharge) charge = k;
    }
    ASSERT_GE(charge, 0);
    steps->setCurrentIndex(charge);
    settle();
    EXPECT_TRUE(part<QDoubleSpinBox>("whatIfDrop")->isVisible());
    EXPECT_FALSE(part<QDoubleSpinBox>("whatIfVolts")->isVisible());
    const double before = panel->answer()->instead.duration_s;
    auto* amount = part<QDoubleSpinBox>("whatIfAmount");
    amount->setValue(0.5 * amount->value());
    settle();
    EXPECT_NEAR(panel->answer()->instead.duration_s, 2 * before, 0.2 * before);
    part<QComboBox>("whatIfEnd")->setCurrentIndex(1);
    settle();
    EXPECT_TRUE(part<QSpinBox>("whatIfMinutes")->isVisible());
    EXPECT_FALSE(part<QDoubleSpinBox>("whatIfDrop")->isVisible());
    part<QSpinBox>("whatIfMinutes")->setValue(30);
    settle();
    EXPECT_NEAR(panel->answer()->instead.duration_s, 1800, 1);
    EXPECT_LT(panel->answer()->instead.endSoc, 0.6);
}

TEST_F(PlanWindow, TheBatteryPageShowsItsModelAndSendsTheNextLogHere) {
    importCycle();
    const auto battery = window_->book().batteries()->front().id;
    window_->showBattery(battery);
    settle();
    QTest::mouseClick(part<QPushButton>("history-3"), Qt::LeftButton);
    settle();
    auto* view = window_->findChild<ModelView*>();
    ASSERT_TRUE(view->isVisible());
    ASSERT_TRUE(view->model());
    EXPECT_TRUE(view->findChild<QLabel*>("modelWords")->text().contains("misses"));
    Q_EMIT window_->session().planRequested(battery);
    settle();
    auto* s = window_->findChild<PlanStation*>();
    EXPECT_TRUE(s->isVisible());
    ASSERT_EQ(s->card().rows.size(), 3U);
    EXPECT_TRUE(s->card().title.contains("capacity"));
}

TEST_F(PlanWindow, AQueueIsDraggedEndedAndKept) {
    PlanStation* s = station();
    dialogs_.file = writeLog("modules.csv",
                             "name,chemistry,series,rated_ah,charge_a,discharge_a\n"
                             "one,nimh,6,2,1,1\ntwo,nimh,6,2,1,1\nthree,nimh,6,2,1,1\n");
    part<QSpinBox>("planCycles")->setValue(1);
    s->openModules();
    settle();
    QueueDesk* desk = s->queueDesk();
    ASSERT_TRUE(desk->plan()) << desk->problem()->text();
    auto* bars = desk->findChild<QueueBars*>();
    ASSERT_TRUE(bars->isVisible());
    // Dragged to the line below and two thirds to the right.
    const QueueStep first = desk->plan()->steps.front();
    const QPoint from = bars->barOf(first).center().toPoint();
    const QPoint to(from.x() + bars->width() / 3, from.y() + 30);
    QTest::mousePress(bars, Qt::LeftButton, {}, from);
    QTest::mouseMove(bars, to);
    QTest::mouseRelease(bars, Qt::LeftButton, {}, to);
    settle();
    ASSERT_EQ(desk->wish().pins.size(), 1U);
    EXPECT_GT(desk->wish().pins[0].start_s, first.start_s + 600);
    // Chosen and moved by keyboard.
    bars->setFocus();
    QTest::keyClick(bars, Qt::Key_Right);
    QTest::keyClick(bars, Qt::Key_Right, Qt::ControlModifier);
    settle();
    EXPECT_GE(desk->wish().pins.size(), 1U);
    ASSERT_TRUE(desk->plan());
    // A step that ended sooner than planned.
    desk->setClock(desk->wish().start_s + 1800);
    QTest::mouseClick(part<QPushButton>("ask-0"), Qt::LeftButton);
    ask(5);
    auto ended = desk->findChildren<QPushButton*>("queueEnded");
    if (!ended.isEmpty()) {
        QTest::mouseClick(ended.front(), Qt::LeftButton);
        settle();
        EXPECT_FALSE(desk->wish().done.empty());
    }
    const auto kept = keptQueueIn(*window_->book().setting(kQueueSetting));
    ASSERT_TRUE(kept);
    EXPECT_EQ(kept->modules.size(), 3U);
    EXPECT_EQ(kept->pins.size(), desk->wish().pins.size());
    // Another window goes on with it.
    window_->close();
    openWindow();
    s = station();
    ask(5);
    ASSERT_TRUE(s->queueDesk()->plan());
    EXPECT_EQ(s->queueDesk()->wish().modules.size(), 3U);
    EXPECT_EQ(s->queueDesk()->wish().pins.size(), kept->pins.size());
}

}  // namespace
}  // namespace nk::test
