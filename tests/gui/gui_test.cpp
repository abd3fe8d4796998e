// The real window, driven with real mouse and key events (offscreen platform or Xvfb).
#include <gtest/gtest.h>

#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QDropEvent>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTest>
#include <QTextBrowser>
#include <QTextStream>

#include "app/findings/finding_card.h"
#include "app/findings/findings_panel.h"
#include "app/finish/finish_station.h"
#include "app/finish/flag_strip.h"
#include "app/finish/meter_check_dialog.h"
#include "app/plot/lanes_plot.h"
#include "app/plot/ribbon.h"
#include "app/reading/import_preview.h"
#include "app/shell/battery_card.h"
#include "app/shell/help_page.h"
#include "app/shell/main_window.h"
#include "app/strength/resistance_dialog.h"
#include "app/strength/strength_station.h"
#include "report/export.h"
#include "tests/gui/window.h"
#include "tests/support/crash_report.h"
#include "tests/support/sim.h"

using namespace nk;
using nk::test::Window;

TEST_F(Window, JourneyFromADroppedLogToABenchSheet) {
    EXPECT_TRUE(part<QWidget>("startScreen")->isVisible()) << "first start: three ways in";
    importCycle();
    EXPECT_TRUE(part<QWidget>("curveStation")->isVisible());
    EXPECT_TRUE(part<QLabel>("recordingTitle")->text().contains("Dew heater 2"));

    // The capacity card shows the number and points at the curve.
    auto* card = part<FindingCard>("card-delivered_capacity");
    ASSERT_TRUE(QTest::qWaitFor([&] { return card->isVisible(); }, 5000));
    EXPECT_TRUE(card->findChild<QLabel*>("value")->text().startsWith("2.3"))
        << card->findChild<QLabel*>("value")->text().toStdString();
    QTest::mouseClick(card->findChild<QPushButton*>("show"), Qt::LeftButton);
    EXPECT_TRUE(card->property("selected").toBool());
    auto* how = card->findChild<QPushButton*>("how");
    QTest::mouseClick(how, Qt::LeftButton);
    EXPECT_TRUE(card->findChild<QLabel*>("howText")->isVisible());
    QTest::mouseClick(card->findChild<QPushButton*>("copy"), Qt::LeftButton);
    EXPECT_TRUE(QApplication::clipboard()->text().contains("CAPACITY"));

    // The ribbon by keyboard.
    auto* ribbon = part<Ribbon>("ribbon");
    ribbon->setFocus();
    QTest::keyClick(ribbon, Qt::Key_Right);
    QTest::keyClick(ribbon, Qt::Key_Right);
    EXPECT_EQ(ribbon->selected(), 1);
    EXPECT_TRUE(part<QLabel>("stepLine")->text().contains("constant current"));
    auto* plot = part<LanesPlot>("lanes");
    const double whole = plot->rangeHigh() - plot->rangeLow();
    QTest::keyClick(ribbon, Qt::Key_Return);
    EXPECT_LT(plot->rangeHigh() - plot->rangeLow(), 0.8 * whole) << "Enter zooms to the step";
    plot->setFocus();
    QTest::keyClick(plot, Qt::Key_Home);
    EXPECT_NEAR(plot->rangeHigh() - plot->rangeLow(), whole, 1);

    // The ruler and the pins.
    QTest::mouseMove(plot, QPoint(plot->width() / 2, 120));
    EXPECT_TRUE(part<QLabel>("ruler")->text().contains("V"));
    QTest::keyClick(plot, Qt::Key_A);
    QTest::mouseMove(plot, QPoint(plot->width() * 3 / 4, 120));
    QTest::keyClick(plot, Qt::Key_B);
    EXPECT_TRUE(part<QLabel>("pins")->text().contains("ΔV"))
        << part<QLabel>("pins")->text().toStdString();

    // Bench sheets.
    dialogs_.save = path("sheet.html");
    QTest::mouseClick(part<QPushButton>("sheet"), Qt::LeftButton);
    settle();
    QFile html(dialogs_.save);
    ASSERT_TRUE(html.open(QIODevice::ReadOnly));
    EXPECT_TRUE(html.readAll().contains("Delivered capacity"));
    dialogs_.save = path("sheet.pdf");
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    QTest::keyClick(window_.get(), Qt::Key_P, Qt::ControlModifier);
    settle();
    QFile pdf(dialogs_.save);
    ASSERT_TRUE(pdf.open(QIODevice::ReadOnly)) << part<QLabel>("inlineText")->text().toStdString();
    EXPECT_TRUE(pdf.readAll().startsWith("%PDF"));

    // All of it is there again after a restart, without a save button.
    openWindow();
    settle();
    ASSERT_TRUE(window_->shown());
    EXPECT_TRUE(part<QLabel>("recordingTitle")->text().contains("Dew heater 2"));
}

TEST_F(Window, ARefusedCardLeavesNoTrace) {
    drop(cycleLog());
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QTest::mouseClick(card->findChild<QPushButton*>("cancel"), Qt::LeftButton);
    settle();
    EXPECT_TRUE(window_->book().recordings()->empty());
    EXPECT_TRUE(window_->book().batteries()->empty());
    EXPECT_TRUE(part<QLabel>("inlineText")->text().contains("Nothing was changed"));
}

TEST_F(Window, BadFilesAreToldWithoutABox) {
    drop(writeLog("prose.txt", "Dear diary,\nit rained.\n"));
    ASSERT_TRUE(QTest::qWaitFor(
        [this] { return part<QLabel>("inlineText")->text().contains("prose.txt"); }, 10000));
    EXPECT_EQ(QApplication::activeModalWidget(), nullptr);
    EXPECT_TRUE(window_->book().recordings()->empty());
}

TEST_F(Window, ImportCanBeCancelled) {
    std::string text = "time,voltage,current\n";
    for (int k = 0; k < 400000; ++k) text += std::to_string(k) + ",3.7,1.2\n";
    const QString file = writeLog("long.csv", text);
    drop(file);
    EXPECT_TRUE(window_->busy());
    auto* cancel = part<QPushButton>("cancelWork");
    EXPECT_TRUE(cancel->isVisible());
    QTest::mouseClick(cancel, Qt::LeftButton);
    settle();
    EXPECT_TRUE(part<QLabel>("inlineText")->text().contains("ancelled"))
        << part<QLabel>("inlineText")->text().toStdString();
    EXPECT_EQ(window_->findChild<BatteryCard*>(), nullptr) << "a dropped result asks nothing";
    EXPECT_TRUE(window_->book().recordings()->empty());
}

TEST_F(Window, PasteATable) {
    QApplication::clipboard()->setText(
        QString::fromStdString("Time\tVoltage\tCurrent\n0\t4.15\t0\n60\t4.00\t-1\n120\t3.9\t-"
                               "1\n180\t3.8\t-1\n240\t3.9\t0\n"));
    QTest::keyClick(window_.get(), Qt::Key_V, Qt::ControlModifier);
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QTest::keyClick(card, Qt::Key_Return);
    ASSERT_TRUE(QTest::qWaitFor([this] { return window_->shown() != nullptr; }, 10000));
    EXPECT_EQ(window_->shown()->recording->size(), 5u);
    QApplication::clipboard()->clear();
    window_->pasteTable();
    EXPECT_TRUE(part<QLabel>("inlineText")->text().contains("clipboard"));
}

TEST_F(Window, TheCardSaysWhatDoesNotFit) {
    drop(cycleLog());
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    card->findChild<QComboBox*>("chemistry")
        ->setCurrentIndex(card->findChild<QComboBox*>("chemistry")->findData("lfp"));
    EXPECT_TRUE(card->findChild<QLabel*>("note")->text().contains("too much"));
    QTest::keyClicks(card->findChild<QLineEdit*>("rated"), "lots");
    EXPECT_FALSE(card->findChild<QPushButton*>("accept")->isEnabled());
    card->reject();
}

TEST_F(Window, EditingTheCardAnalysesAnew) {
    importCycle();
    QTest::mouseClick(part<QPushButton>("battery-1"), Qt::LeftButton);
    QTest::mouseClick(part<QPushButton>("pageEdit"), Qt::LeftButton);
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    card->findChild<QComboBox*>("chemistry")
        ->setCurrentIndex(card->findChild<QComboBox*>("chemistry")->findData("lfp"));
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    EXPECT_TRUE(window_->shown()->analysis.hasHazard()) << "4.20 V is far over an LFP cell's limit";
    EXPECT_EQ(window_->findChild<FindingsPanel*>()->cards().front().tone, CardTone::Hazard);
}

TEST_F(Window, DemoBenchInBothLooksAndASmallWindow) {
    QSignalSpy finished(window_.get(), &MainWindow::importFinished);
    QTest::mouseClick(part<QPushButton>("startDemo"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return finished.count() > 0; }, 60000));
    settle();
    EXPECT_GE(window_->book().recordings()->size(), 3u);
    window_->setTheme(ThemeChoice::NightBench);
    EXPECT_FALSE(window_->grab().isNull());
    window_->resize(1024, 700);
    QTest::qWait(20);
    EXPECT_FALSE(part<QWidget>("shelf")->isVisible()) << "the shelf folds away in a small window";
    window_->loadDemo();
    settle();
    const auto again = window_->book().recordings()->size();
    window_->loadDemo();
    settle();
    EXPECT_EQ(window_->book().recordings()->size(), again) << "loading twice doubles nothing";
}

TEST_F(Window, EveryControlHasAName) {
    importCycle();
    for (const QPushButton* b : window_->findChildren<QPushButton*>())
        EXPECT_FALSE(b->text().isEmpty() && b->accessibleName().isEmpty())
            << b->objectName().toStdString();
    EXPECT_FALSE(part<LanesPlot>("lanes")->accessibleName().isEmpty());
    EXPECT_FALSE(part<Ribbon>("ribbon")->accessibleName().isEmpty());
}

TEST_F(Window, FlagsAreDraggedTypedKeptAndUndone) {
    importCycle();
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    QTest::keyClick(window_.get(), Qt::Key_2, Qt::AltModifier);
    ASSERT_TRUE(part<QWidget>("finishStation")->isVisible());
    settle();
    auto* table = part<QTableWidget>("rules");
    ASSERT_EQ(table->rowCount(), 5) << "C/5 to C/50";
    auto* station = part<FinishStation>("finishStation");
    auto* flags = part<FlagStrip>("flagStrip");
    const auto find = [&](int rule) {
        for (const RuleRow& r : station->view().rows)
            if (r.rule == rule) return r;
        return RuleRow{};
    };
    ASSERT_TRUE(find(1).fired) << "C/10 is reached in this log";
    const double before = find(1).time_s;

    // Drag the C/10 flag to an earlier moment: a larger current ends the charge.
    const QPoint grip = flags->flagRect(1).center();
    QTest::mousePress(flags, Qt::LeftButton, {}, grip);
    QTest::mouseMove(flags, grip - QPoint(30, 0));
    settle();
    QTest::mouseRelease(flags, Qt::LeftButton, {}, grip - QPoint(30, 0));
    settle();
    EXPECT_LT(find(1).time_s, before);
    EXPECT_NE(find(1).text, "taper:C/10");
    EXPECT_EQ(window_->book().batteries()->front().battery.rules.size(), 5u)
        << "kept with the battery";

    // By keyboard, and undone.
    flags->setFocus();
    const double dragged = find(1).time_s;
    QTest::keyClick(flags, Qt::Key_Right);
    settle();
    EXPECT_GT(find(1).time_s, dragged);
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
    settle();
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
    settle();
    EXPECT_TRUE(window_->book().batteries()->front().battery.rules.empty());
    EXPECT_EQ(find(1).text, "taper:C/10") << "the usual rules again";

    // Typing: a slip is told with what is accepted, a rule is taken.
    int row = 0;
    for (int r = 0; r < table->rowCount(); ++r)
        if (table->item(r, 0)->text() == "taper:C/5") row = r;
    table->item(row, 0)->setText("taper:lots");
    EXPECT_TRUE(part<QLabel>("ruleProblem")->text().contains("taper:C/20"));
    for (int r = 0; r < table->rowCount(); ++r)
        if (table->item(r, 0)->text() == "taper:C/5") row = r;
    table->item(row, 0)->setText("timer:1h");
    settle();
    EXPECT_FALSE(part<QLabel>("ruleProblem")->isVisible());
    EXPECT_TRUE(std::any_of(station->view().rows.begin(), station->view().rows.end(),
                            [](const RuleRow& r) { return r.text == "timer:1h" && r.fired; }));
    QTest::mouseClick(part<QPushButton>("usualRules"), Qt::LeftButton);
    settle();
    EXPECT_EQ(table->rowCount(), 5);
}

TEST_F(Window, AMeterCheckCorrectsTheRecordingAndCanBeTakenAway) {
    importCycle();
    window_->setStation(1);
    settle();
    const auto logged = window_->shown()->recording;
    const double end = logged->duration_s();
    QTest::mouseClick(part<QPushButton>("meterCheck"), Qt::LeftButton);
    MeterCheckDialog* dialog = nullptr;
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return (dialog = window_->findChild<MeterCheckDialog*>()) != nullptr; }, 5000));
    auto* table = dialog->findChild<QTableWidget*>("meterReadings");
    ASSERT_EQ(table->rowCount(), 2) << "one at rest, one with current";
    const auto at = [&](double t, double less) {
        return QString::number(logged->voltage_V()[logged->nearest(t)] - less, 'f', 3);
    };
    // The meter at the terminals shows 0.5 V less while 1.25 A flow: 0.4 ohm of lead.
    const double flowing = window_->shown()->analysis.steps.list[1].start_s * 0.5 +
                           window_->shown()->analysis.steps.list[1].end_s * 0.5;
    table->item(0, 2)->setText(at(300, 0));
    table->item(1, 2)->setText("rubbish");
    EXPECT_TRUE(dialog->findChild<QLabel*>("meterWords")->text().contains("Row 2"));
    table->item(1, 2)->setText(at(flowing, 0.5) + " V");
    EXPECT_TRUE(dialog->findChild<QLabel*>("meterWords")->text().contains("mΩ"))
        << dialog->findChild<QLabel*>("meterWords")->text().toStdString();
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    QTest::mouseClick(dialog->findChild<QPushButton*>("applyCorrection"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    settle();
    ASSERT_EQ(window_->shown()->corrections.size(), 1u);
    const std::size_t k = logged->nearest(flowing);
    EXPECT_NEAR(window_->shown()->recording->voltage_V()[k], logged->voltage_V()[k] - 0.5, 0.02);
    EXPECT_EQ(window_->shown()->recording->duration_s(), end);
    auto* card = part<FindingCard>("card-correction");
    QTest::mouseClick(card->findChild<QPushButton*>("action"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 1; }, 10000));
    EXPECT_TRUE(window_->shown()->corrections.empty());
    EXPECT_NEAR(window_->shown()->recording->voltage_V()[k], logged->voltage_V()[k], 1e-12);
}

TEST_F(Window, StrengthOverTheLogsOfOneBattery) {
    importCycle();
    window_->setStation(2);
    settle();
    auto* station = part<StrengthStation>("strengthStation");
    ASSERT_TRUE(station->isVisible());
    EXPECT_TRUE(part<QLabel>("trueC")->text().contains("True C"))
        << part<QLabel>("trueC")->text().toStdString();
    auto* resistances = part<QTableWidget>("resistances");
    const int before = resistances->rowCount();
    EXPECT_GE(before, 3) << "first sample, 1 s, 10 s …";
    for (int k = 0; k < 6; ++k) {
        QTest::mouseClick(part<QPushButton>(QString("picture-%1").arg(k)), Qt::LeftButton);
        EXPECT_FALSE(station->plot()->grab().isNull());
    }

    // A meter's readings by hand: slips are refused, the contact reading is dropped.
    QTest::mouseClick(part<QPushButton>("enterResistance"), Qt::LeftButton);
    ResistanceDialog* dialog = nullptr;
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return (dialog = window_->findChild<ResistanceDialog*>()) != nullptr; }, 5000));
    auto* values = dialog->findChild<QLineEdit*>("resistanceValues");
    auto* note = dialog->findChild<QLabel*>("resistanceNote");
    auto* accept = dialog->findChild<QPushButton*>("acceptResistance");
    QTest::keyClicks(values, "88, 60, 61, 58");
    EXPECT_TRUE(note->text().contains("unit")) << note->text().toStdString();
    EXPECT_FALSE(accept->isEnabled());
    QTest::keyClicks(values, " mohm");
    EXPECT_TRUE(note->text().contains("contact")) << note->text().toStdString();
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    QTest::mouseClick(accept, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    settle();
    EXPECT_EQ(resistances->rowCount(), before + 1);
    EXPECT_EQ(window_->book().spotReadings(1)->front().value, 0.060);
    window_->undo();
    settle();
    EXPECT_EQ(resistances->rowCount(), before);

    // A finding of this station points at the curve.
    auto* panel = window_->findChild<FindingsPanel*>();
    for (std::size_t k = 0; k < panel->cards().size(); ++k)
        if (panel->cards()[k].code == "which_resistance") {
            Q_EMIT panel->evidenceRequested(static_cast<int>(k));
            break;
        }
    EXPECT_TRUE(part<QWidget>("curveStation")->isVisible());
}

TEST_F(Window, AMakersFigureBeyondTheChemistryNeedsAnExplicitStep) {
    importCycle();
    QTest::mouseClick(part<QPushButton>("battery-1"), Qt::LeftButton);
    QTest::mouseClick(part<QPushButton>("pageEdit"), Qt::LeftButton);
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QTest::mouseClick(card->findChild<QPushButton*>("more"), Qt::LeftButton);
    QTest::keyClicks(card->findChild<QLineEdit*>("makerSetV"), "4,35");
    auto* accept = card->findChild<QPushButton*>("accept");
    EXPECT_FALSE(accept->isEnabled());
    EXPECT_TRUE(card->findChild<QLabel*>("note")->text().contains("data sheet"));
    card->findChild<QCheckBox*>("fromSheet")->setChecked(true);
    EXPECT_TRUE(accept->isEnabled());
    QTest::keyClicks(card->findChild<QLineEdit*>("labelC"), "20");
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    QTest::mouseClick(accept, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    const Battery b = window_->book().batteries()->front().battery;
    EXPECT_EQ(b.limits().set_V, 4.35);
    EXPECT_EQ(b.label_C, 20);
    EXPECT_EQ(b.chemistryData()->set_V, 4.35);
}

TEST_F(Window, EveryStationHasAHelpPageWithItsPictures) {
    importCycle();
    for (int k = 0; k < 3; ++k) {
        window_->setStation(k);
        settle();
        window_->activateWindow();
        ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
        QTest::keyClick(window_.get(), Qt::Key_F1);
        HelpPage* help = nullptr;
        ASSERT_TRUE(QTest::qWaitFor(
            [&] { return (help = window_->findChild<HelpPage*>()) != nullptr; }, 5000));
        ASSERT_TRUE(QTest::qWaitFor([&] { return help->picturesReady(); }, kPatience_ms));
        EXPECT_GT(help->windowTitle().size(), 5);
        EXPECT_TRUE(
            help->findChild<QTextBrowser*>("helpText")->toPlainText().contains("unattended"));
        delete help;
    }
}

TEST_F(Window, UnknownColumnsAreNamedInThePreviewAndRemembered) {
    std::string text = "a;b;c\n";
    for (int k = 0; k < 300; ++k)
        text += std::to_string(10 * k) + ";" + (k > 20 && k < 250 ? "-900" : "0") + ";" +
                std::to_string(4.1 - 0.002 * k) + "\n";
    drop(writeLog("odd.csv", text));
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    auto* preview = card->findChild<ImportPreview*>();
    if (!preview->isVisible())
        QTest::mouseClick(card->findChild<QPushButton*>("reading"), Qt::LeftButton);
    ASSERT_TRUE(preview->isVisible());
    auto* table = preview->findChild<QTableWidget*>("previewTable");
    ASSERT_NE(table, nullptr);
    const auto choose = [&](int row, int column, const QString& entry) {
        // The log is read again on a worker after each choice, and the table gets new boxes.
        QComboBox* combo = nullptr;
        const auto ready = [&] {
            combo = qobject_cast<QComboBox*>(table->cellWidget(row, column - 1));
            return combo != nullptr && combo->findText(entry) >= 0;
        };
        ASSERT_TRUE(QTest::qWaitFor(ready, 10000)) << row << " " << column;
        combo->setCurrentIndex(combo->findText(entry));
        Q_EMIT combo->activated(combo->currentIndex());
        QApplication::processEvents();
        settle();
    };
    choose(0, 1, "time");
    choose(0, 2, "current");
    choose(0, 3, "voltage");
    choose(1, 2, "mA");
    auto* accept = card->findChild<QPushButton*>("accept");
    ASSERT_TRUE(QTest::qWaitFor([&] { return accept->isEnabled(); }, 10000));
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    QTest::mouseClick(accept, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    EXPECT_NEAR(window_->shown()->recording->current_A()[100], -0.9, 1e-9);

    // The same header again: one click.
    drop(writeLog("odd2.csv", text));
    card = waitForCard();
    ASSERT_NE(card, nullptr);
    EXPECT_TRUE(card->findChild<QPushButton*>("accept")->isEnabled());
    EXPECT_FALSE(card->findChild<ImportPreview*>()->isVisible()) << "folded away when it is sure";
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 1; }, 10000));
    EXPECT_NEAR(window_->shown()->recording->current_A()[100], -0.9, 1e-9);
}

TEST_F(Window, ManyFilesAtOnceHaveAResultEach) {
    QFile::copy(cycleLog(), path("b.csv"));
    drop(QStringList{path("night-14.csv"), path("b.csv"), writeLog("bad.csv", "no table\n")});
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QSignalSpy finished(window_.get(), &MainWindow::importFinished);
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return finished.count() > 0; }, kPatience_ms));
    settle();
    QApplication::processEvents();
    auto* results = part<QTableWidget>("importResults");
    EXPECT_TRUE(results->item(0, 1)->text().contains("on the shelf"));
    EXPECT_TRUE(results->item(1, 1)->text().contains("on the shelf"));
    EXPECT_TRUE(results->item(2, 1)->text().contains("bad.csv"))
        << results->item(2, 1)->text().toStdString();
    EXPECT_EQ(window_->book().recordings()->size(), 2u);
    QTest::mouseClick(part<QPushButton>("importListButton"), Qt::LeftButton);
}

TEST_F(Window, StepsAreEditedByHandAndEverythingFollows) {
    importCycle();
    auto* ribbon = part<Ribbon>("ribbon");
    const auto steps = [&] { return window_->shown()->analysis.steps.list; };
    const auto before = steps();
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    const auto changed = [&](int n) {
        ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() >= n; }, 10000));
        settle();
    };
    // Cut the discharge in two by keyboard.
    ribbon->setFocus();
    int discharge = 0;
    while (!before[static_cast<std::size_t>(discharge)].isDischarge()) ++discharge;
    for (int k = 0; k <= discharge; ++k) QTest::keyClick(ribbon, Qt::Key_Right);
    QTest::keyClick(ribbon, Qt::Key_S);
    changed(1);
    ASSERT_EQ(steps().size(), before.size() + 1);
    EXPECT_NEAR(steps()[static_cast<std::size_t>(discharge)].sum.charge_Ah +
                    steps()[static_cast<std::size_t>(discharge) + 1].sum.charge_Ah,
                before[static_cast<std::size_t>(discharge)].sum.charge_Ah, 1e-9)
        << "cutting changes no sum";
    // Drag the edge between rest and charge to the right.
    const double edge = steps()[1].start_s;
    auto* plot = part<LanesPlot>("lanes");
    const auto [left, right] = plot->laneEdges();
    const auto xOf = [&, left = left, right = right](double t) {
        return static_cast<int>(left + (t - plot->rangeLow()) /
                                           (plot->rangeHigh() - plot->rangeLow()) * (right - left));
    };
    const QPoint from(xOf(edge), 12);
    QTest::mousePress(ribbon, Qt::LeftButton, {}, from);
    QTest::mouseMove(ribbon, from + QPoint(25, 0));
    QTest::mouseRelease(ribbon, Qt::LeftButton, {}, from + QPoint(25, 0));
    changed(2);
    EXPECT_GT(steps()[1].start_s, edge + 60);
    EXPECT_EQ(steps()[1].kind, before[1].kind) << "both parts keep their names";
    EXPECT_EQ(steps()[0].kind, StepKind::Rest);
    // Kept in the book, and undone step by step.
    openWindow();
    settle();
    EXPECT_GT(steps()[1].start_s, edge + 60);
    window_->undo();
    settle();
    window_->undo();
    settle();
    EXPECT_EQ(steps().size(), before.size());
    EXPECT_EQ(steps()[1].start_s, before[1].start_s);
}

TEST_F(Window, ExportsAreWholeAndHarmless) {
    importCycle();
    const auto read = [&](const QString& name) {
        QFile file(path(name));
        EXPECT_TRUE(file.open(QIODevice::ReadOnly)) << name.toStdString();
        return file.readAll();
    };
    for (const char* name : {"curve.svg", "curve.pdf", "curve.png", "log.samples.csv",
                             "log.steps.csv", "log.readings.csv"}) {
        dialogs_.save = path(name);
        for (QAction* action : window_->findChildren<QAction*>())
            if (action->text().startsWith(QString(name).startsWith("curve") ? "Export the curve"
                                                                            : "Export the data"))
                action->trigger();
        settle();
    }
    EXPECT_TRUE(read("curve.svg").contains("<svg"));
    EXPECT_TRUE(read("curve.pdf").startsWith("%PDF"));
    EXPECT_TRUE(read("curve.png").startsWith("\x89PNG"));
    EXPECT_EQ(read("log.samples.csv").count('\n'),
              static_cast<qsizetype>(window_->shown()->recording->size()) + 1);
    EXPECT_TRUE(read("log.steps.csv").contains("cc_charge"));
    EXPECT_TRUE(read("log.readings.csv").contains("delivered_capacity"));
    EXPECT_EQ(csvCell("=1+1"), "'=1+1");
    EXPECT_EQ(csvCell("-0.5"), "-0.5") << "a number stays a number";
    EXPECT_EQ(csvCell("a,\"b\""), "\"a,\"\"b\"\"\"");
    EXPECT_EQ(tsvRow({"@cmd", "x\ty"}), "'@cmd\tx y\n");
    dialogs_.save = "/nonexistent/folder/curve.svg";
    for (QAction* action : window_->findChildren<QAction*>())
        if (action->text().startsWith("Export the curve")) action->trigger();
    EXPECT_TRUE(part<QLabel>("inlineText")->text().contains("could not be written"));
}

TEST(Look, EveryColourPairPassesWcagAA) {
    for (const Theme* t : {&Theme::paper(), &Theme::nightBench()}) {
        for (const QColor& ground : {t->window, t->panel, t->card, t->plot, t->selection})
            for (const QColor& ink : {t->text, t->muted, t->accent})
                EXPECT_GE(contrastRatio(ink, ground), 4.5)
                    << t->name.toStdString() << " " << ink.name().toStdString() << " on "
                    << ground.name().toStdString();
        EXPECT_GE(contrastRatio(t->hazard, t->card), 4.5);
        EXPECT_GE(contrastRatio(t->onAccent, t->accent), 4.5);
        for (const QColor& block :
             {t->rest, t->chargeBlock, t->voltageBlock, t->dischargeBlock, t->otherBlock})
            EXPECT_GE(contrastRatio(t->text, block), 4.5);
        // Lines and graphics: 3:1 (WCAG 2.1, 1.4.11).
        for (const QColor& series : {t->voltage, t->current, t->temperature, t->charge})
            EXPECT_GE(contrastRatio(series, t->plot), 3.0);
    }
    EXPECT_NEAR(contrastRatio(Qt::black, Qt::white), 21, 0.01)
        << "the published extreme of the formula";
}

int main(int argc, char** argv) {
    testing::InitGoogleTest(&argc, argv);
    nk::tests::tellCrashes();
    QApplication app(argc, argv);
    QApplication::setOrganizationName("narrow-knee-test");
    QApplication::setApplicationName("narrow-knee-test");
    return RUN_ALL_TESTS();
}
