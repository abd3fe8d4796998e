// The window as a bench one lives at: preferences, books and backups, the finder, what it hands
// out.
#include <QAccessible>
#include <QCheckBox>
#include <QClipboard>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QNativeGestureEvent>
#include <QPointingDevice>
#include <QTableWidget>
#include <QTextBrowser>
#include <QTreeWidget>

#include "app/curve/curve_station.h"
#include "app/findings/finding_card.h"
#include "app/plot/lanes_plot.h"
#include "app/plot/ribbon.h"
#include "app/preferences/preferences_dialog.h"
#include "app/shell/action_finder.h"
#include "app/shell/backup_list.h"
#include "app/shell/station_bar.h"
#include "book/backups.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class Everyday : public test::Window {
  protected:
    /// The action of the menu with this name (before a colon), and its trigger.
    QAction* action(const QString& name) const {
        for (QAction* a : window_->actions())
            if (a->text().section(':', 0, 0) == name) return a;
        ADD_FAILURE() << name.toStdString();
        return nullptr;
    }
    template <class Dialog>
    Dialog* opened() const {
        Dialog* found = nullptr;
        EXPECT_TRUE(QTest::qWaitFor(
            [&] {
                for (Dialog* d : window_->findChildren<Dialog*>())
                    if (d->isVisible()) found = d;
                return found != nullptr;
            },
            5000));
        return found;
    }
    QString said() const { return part<QLabel>("inlineText")->text(); }
    bool waitForWords(const QString& words) const {
        return QTest::qWaitFor([&] { return said().contains(words); }, 10000);
    }
    QString read(const QString& name) const {
        QFile file(path(name));
        EXPECT_TRUE(file.open(QIODevice::ReadOnly)) << name.toStdString();
        return QString::fromUtf8(file.readAll());
    }
};

TEST_F(Everyday, LanesByChargeWithTheRibbonBelow) {
    importCycle();
    auto* curve = window_->findChild<CurveStation*>();
    LanesPlot* plot = curve->plot();
    const int lanes = plot->laneCount();
    const double whole_s = plot->rangeHigh();
    QTest::mouseClick(part<QPushButton>("acrossCharge"), Qt::LeftButton);
    EXPECT_EQ(plot->across(), AxisKind::Charge);
    EXPECT_NEAR(plot->rangeHigh(), whole_s, 0.2 * whole_s) << "the shown part stays";
    QTest::keyClick(plot, Qt::Key_C);
    EXPECT_EQ(plot->laneCount(), lanes + 1) << "the charge lane";
    // Steps stand where their charge stands: the rest between has no width to click.
    auto* ribbon = part<Ribbon>("ribbon");
    const auto [left, right] = plot->laneEdges();
    QTest::mouseClick(ribbon, Qt::LeftButton, {}, QPoint(left + (right - left) / 4, 15));
    EXPECT_TRUE(part<QLabel>("stepLine")->text().contains("charge, constant current"));
    QTest::mouseClick(ribbon, Qt::LeftButton, {}, QPoint(left + 3 * (right - left) / 4, 15));
    EXPECT_TRUE(part<QLabel>("stepLine")->text().contains("discharge"));
    // The ruler reads the sample under the pointer, and pins tell the difference of temperature.
    QTest::mouseMove(plot, QPoint(left + (right - left) / 4, 120));
    EXPECT_TRUE(part<QLabel>("ruler")->text().contains("charge"));
    QTest::keyClick(plot, Qt::Key_A);
    QTest::mouseMove(plot, QPoint(left + (right - left) / 2, 120));
    QTest::keyClick(plot, Qt::Key_B);
    EXPECT_TRUE(part<QLabel>("pins")->text().contains("ΔT"));
    // Remembered after a restart, and back by key.
    openWindow();
    EXPECT_EQ(window_->findChild<CurveStation*>()->across(), AxisKind::Charge);
    EXPECT_TRUE(window_->findChild<CurveStation*>()->chargeLane());
    QTest::keyClick(window_->findChild<CurveStation*>()->plot(), Qt::Key_T);
    EXPECT_EQ(window_->findChild<CurveStation*>()->across(), AxisKind::Time);
}

TEST_F(Everyday, PreferencesChangeEveryNumberAndAreKept) {
    importCycle();
    const auto capacity = [this] {
        return part<FindingCard>("card-delivered_capacity")->findChild<QLabel*>("value")->text();
    };
    ASSERT_TRUE(capacity().startsWith("2.3")) << capacity().toStdString();
    action("Preferences…")->trigger();
    auto* dialog = opened<PreferencesDialog>();
    ASSERT_NE(dialog, nullptr);
    dialog->findChild<QComboBox*>("decimal")->setCurrentIndex(2);
    dialog->findChild<QComboBox*>("temperatureUnit")->setCurrentIndex(1);
    dialog->findChild<QComboBox*>("chargeUnit")->setCurrentIndex(2);
    auto* voltage = dialog->findChild<QLineEdit*>("accuracyVoltage");
    voltage->setText("many");
    EXPECT_FALSE(dialog->findChild<QPushButton*>("keep")->isEnabled());
    EXPECT_TRUE(dialog->findChild<QLabel*>("problem")->text().contains("0 to 20"));
    voltage->setText("0,1");
    auto* current = dialog->findChild<QLineEdit*>("accuracyCurrent");
    current->setText("5");
    ASSERT_TRUE(dialog->findChild<QPushButton*>("keep")->isEnabled());
    const double before = window_->shown()->analysis.readings.front().uncertainty;
    QTest::mouseClick(dialog->findChild<QPushButton*>("keep"), Qt::LeftButton);
    settle();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    EXPECT_TRUE(capacity().contains("mAh")) << capacity().toStdString();
    EXPECT_TRUE(part<FindingCard>("card-max_temperature")
                    ->findChild<QLabel*>("value")
                    ->text()
                    .contains("°F"));
    EXPECT_EQ(window_->shown()->accuracy.currentGain, 0.05);
    EXPECT_EQ(window_->shown()->accuracy.voltageGain, 0.001);
    (void)before;
    QTest::mouseMove(part<LanesPlot>("lanes"), QPoint(300, 120));
    EXPECT_TRUE(part<QLabel>("ruler")->text().contains(",")) << "a decimal comma";
    openWindow();
    EXPECT_EQ(window_->preferences().charge, ChargeUnit::MilliAmpHours);
    EXPECT_TRUE(capacity().contains("mAh"));
    EXPECT_NEAR(window_->preferences().accuracy.currentGain, 0.05, 1e-12);
}

TEST_F(Everyday, AnotherLanguageAsksForANewWindow) {
    QSignalSpy asked(window_.get(), &MainWindow::reopenRequested);
    Preferences p = window_->preferences();
    p.fahrenheit = true;
    window_->setPreferences(p);
    EXPECT_EQ(asked.count(), 0) << "units change at once";
    p.language = "de";
    window_->setPreferences(p);
    EXPECT_EQ(asked.count(), 1);
    openWindow();
    EXPECT_EQ(part<QLineEdit>("search")->placeholderText(), "Akku oder Log suchen");
}

TEST_F(Everyday, AWeakerInstrumentMakesWiderIntervals) {
    importCycle();
    const auto width = [this] {
        for (const Reading& r : window_->shown()->analysis.readings)
            if (r.name == "delivered_capacity") return r.uncertainty;
        return 0.0;
    };
    const double usual = width();
    Preferences p = window_->preferences();
    p.accuracy.currentGain = 0.05;
    window_->setPreferences(p);
    settle();
    EXPECT_GT(width(), 5 * usual);
}

TEST_F(Everyday, TheFinderRunsWhatIsTyped) {
    importCycle();
    window_->setStation(1);
    press(Qt::Key_K);
    auto* finder = opened<ActionFinder>();
    ASSERT_NE(finder, nullptr);
    auto* text = finder->findChild<QLineEdit*>("finderText");
    auto* list = finder->findChild<QTreeWidget*>("finderList");
    EXPECT_GT(list->topLevelItemCount(), 15);
    QTest::keyClicks(text, "zzz");
    ASSERT_EQ(list->topLevelItemCount(), 1);
    QTest::keyClick(text, Qt::Key_Return);
    EXPECT_TRUE(finder->isVisible()) << "nothing to run, nothing happens";
    text->clear();
    QTest::keyClicks(text, "curve station");
    ASSERT_GE(list->topLevelItemCount(), 1);
    EXPECT_EQ(list->topLevelItem(0)->text(0), "Station Curve");
    QTest::keyClick(text, Qt::Key_Down);
    QTest::keyClick(text, Qt::Key_Up);
    QTest::keyClick(text, Qt::Key_Return);
    EXPECT_EQ(window_->station()->question(), Question::Curve);
    press(Qt::Key_K);
    finder = opened<ActionFinder>();
    QTest::keyClicks(finder->findChild<QLineEdit*>("finderText"), "log night");
    EXPECT_TRUE(finder->findChild<QTreeWidget*>("finderList")
                    ->topLevelItem(0)
                    ->text(0)
                    .contains("night-14"));
}

TEST_F(Everyday, TheKeySheetListsEveryShortcut) {
    action("Keys")->trigger();
    auto* sheet = opened<QDialog>();
    ASSERT_NE(sheet, nullptr);
    const QString words = sheet->findChild<QTextBrowser*>("keyText")->toPlainText();
    for (const QAction* a : window_->actions()) {
        if (a->shortcut().isEmpty()) continue;
        EXPECT_TRUE(words.contains(a->shortcut().toString(QKeySequence::NativeText)))
            << a->text().toStdString();
    }
}

TEST_F(Everyday, ABackupIsMadeAndBroughtBack) {
    importCycle();
    action("Back up now")->trigger();
    ASSERT_TRUE(waitForWords("Backed up"));
    const auto backups = backupsOf(window_->book().path());
    ASSERT_TRUE(backups);
    ASSERT_GE(backups->size(), 1u);
    ASSERT_TRUE(window_->book().renameRecording(window_->shown()->id, "spoiled"));
    action("Bring a backup back…")->trigger();
    auto* list = opened<BackupList>();
    ASSERT_NE(list, nullptr);
    EXPECT_GE(list->findChild<QTableWidget*>("backups")->rowCount(), 1);
    QTest::mouseClick(list->findChild<QPushButton*>("restore"), Qt::LeftButton);
    ASSERT_TRUE(waitForWords("The backup is in force")) << said().toStdString();
    settle();
    EXPECT_EQ(window_->book().recordings()->front().title, "night-14");
    EXPECT_TRUE(said().contains("before restore")) << "and where the other one is";
}

TEST_F(Everyday, TheDailyBackupIsMadeByItselfUnlessNotWanted) {
    importCycle();
    openWindow();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            return backupsOf(window_->book().path()).value_or(std::vector<BackupFile>()).size() ==
                   1;
        },
        10000));
    openWindow();
    QTest::qWait(300);
    EXPECT_EQ(backupsOf(window_->book().path())->size(), 1u) << "not one at every start";
    Preferences p = window_->preferences();
    p.backups = false;
    window_->setPreferences(p);
    const auto made = backupsOf(window_->book().path());
    ASSERT_TRUE(made);
    for (const BackupFile& b : *made) std::filesystem::remove(b.path);
    openWindow();
    QTest::qWait(300);
    EXPECT_TRUE(backupsOf(window_->book().path())->empty());
}

TEST_F(Everyday, TheCheckOfTheBookIsAPlainReport) {
    importCycle();
    action("Check the book")->trigger();
    auto* report = opened<QMessageBox>();
    ASSERT_NE(report, nullptr);
    EXPECT_TRUE(report->text().contains("1 recordings")) << report->text().toStdString();
    EXPECT_TRUE(report->text().contains("All is well"));
    report->close();
}

TEST_F(Everyday, RecentBooksAreListedAndOpened) {
    importCycle();
    dialogs_.book = path("other kit");
    action("Open or make a bench book…")->trigger();
    settle();
    EXPECT_TRUE(
        QString::fromStdString(window_->book().path().string()).endsWith("other kit.nkbook"));
    EXPECT_TRUE(part<QWidget>("startScreen")->isVisible()) << "a new book is empty";
    QMenu* recent = nullptr;
    for (QMenu* menu : window_->findChildren<QMenu*>())
        if (menu->title() == "Recent books") recent = menu;
    ASSERT_NE(recent, nullptr);
    Q_EMIT recent->aboutToShow();
    ASSERT_EQ(recent->actions().size(), 1);
    EXPECT_EQ(recent->actions().front()->text(), "bench");
    recent->actions().front()->trigger();
    settle();
    EXPECT_EQ(window_->book().recordings()->size(), 1u);
    // A book that is no longer there says so.
    std::filesystem::remove(path("other kit.nkbook").toStdString());
    Q_EMIT recent->aboutToShow();
    EXPECT_FALSE(recent->actions().front()->isEnabled());
}

TEST_F(Everyday, TheBenchSheetOfABatteryHasItsLogsAndStrength) {
    importCycle();
    SpotReading s;
    s.batteryId = window_->shown()->batteryId;
    s.kind = "resistance", s.value = 0.062, s.method = "ac_1khz", s.temperature_C = 21;
    s.atEpoch_s = 1'790'000'000;
    ASSERT_TRUE(window_->book().addSpotReading(s));
    dialogs_.save = path("battery.html");
    action("Bench sheet of this battery…")->trigger();
    ASSERT_TRUE(waitForWords("battery.html"));
    const QString html = read("battery.html");
    for (const char* words : {"Dew heater 2", "night-14", "Capacity of each log", "Read by hand",
                              "62.0", "licensed practice", "<svg"})
        EXPECT_TRUE(html.contains(words)) << words;
    dialogs_.save = path("battery.pdf");
    action("Bench sheet of this battery…")->trigger();
    ASSERT_TRUE(waitForWords("battery.pdf"));
    QFile pdf(path("battery.pdf"));
    ASSERT_TRUE(pdf.open(QIODevice::ReadOnly));
    EXPECT_TRUE(pdf.readAll().startsWith("%PDF"));
    if (qEnvironmentVariableIsSet("NK_KEEP")) QFile::copy(path("battery.pdf"), "/tmp/battery.pdf");
}

TEST_F(Everyday, DataAreHandedOutInEveryForm) {
    importCycle();
    const std::pair<const char*, const char*> forms[] = {
        {"a.samples.csv", "time_s,voltage_V"},   {"a.steps.csv", "step,kind"},
        {"a.readings.csv", "reading,step"},      {"a.samples.json", "narrow-knee/samples/1"},
        {"a.steps.json", "narrow-knee/steps/1"}, {"a.readings.json", "narrow-knee/readings/1"}};
    for (const auto& [name, words] : forms) {
        dialogs_.save = path(name);
        action("Export the data…")->trigger();
        settle();
        EXPECT_TRUE(read(name).contains(words)) << name;
    }
    for (const char* name : {"c.svg", "c.pdf", "c.png"}) {
        dialogs_.save = path(name);
        action("Export the curve…")->trigger();
        EXPECT_GT(QFile(path(name)).size(), 2000) << name;
    }
    dialogs_.save = path("no such folder/a.samples.csv");
    action("Export the data…")->trigger();
    settle();
    EXPECT_TRUE(said().contains("could not be written")) << said().toStdString();
    action("Copy the steps as a table")->trigger();
    EXPECT_TRUE(QApplication::clipboard()->text().startsWith("Step\tFrom"));
}

TEST_F(Everyday, TablesAreCopiedAndKeepTheirWidths) {
    importCycle();
    window_->setStation(2);
    settle();
    auto* table = part<QTableWidget>("resistances");
    ASSERT_GT(table->rowCount(), 1);
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    table->setFocus();
    QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
    const QString text = QApplication::clipboard()->text();
    EXPECT_TRUE(text.startsWith("School\tResistance\t")) << text.toStdString();
    EXPECT_EQ(text.count('\n'), table->rowCount() + 1);
    table->setColumnWidth(0, 171);
    openWindow();
    window_->setStation(2);
    settle();
    EXPECT_EQ(part<QTableWidget>("resistances")->columnWidth(0), 171);
}

TEST_F(Everyday, TheWindowComesBackAsItWasLeft) {
    importCycle();
    auto* plot = part<LanesPlot>("lanes");
    plot->showRange(1000, 3000);
    window_->close();
    openWindow();
    settle();
    plot = part<LanesPlot>("lanes");
    EXPECT_NEAR(plot->rangeLow(), 1000, 1);
    EXPECT_NEAR(plot->rangeHigh(), 3000, 1);
}

TEST_F(Everyday, TwoFingersZoomWhereTheyAre) {
    importCycle();
    auto* plot = part<LanesPlot>("lanes");
    const auto [left, right] = plot->laneEdges();
    const double whole = plot->rangeHigh() - plot->rangeLow();
    const QPointF at(left + 0.25 * (right - left), 150);
    const double under = plot->rangeLow() + 0.25 * whole;
    QNativeGestureEvent spread(Qt::ZoomNativeGesture, QPointingDevice::primaryPointingDevice(), 2,
                               at, at, plot->mapToGlobal(at), 1.0, QPointF());
    QApplication::sendEvent(plot, &spread);
    EXPECT_NEAR(plot->rangeHigh() - plot->rangeLow(), whole / 2, 0.01 * whole);
    EXPECT_NEAR(plot->rangeLow() + 0.25 * (plot->rangeHigh() - plot->rangeLow()), under,
                0.01 * whole);
}

TEST_F(Everyday, EveryControlHasANameForTheScreenReader) {
    importCycle();
    for (int station = 0; station < 3; ++station) {
        window_->setStation(station);
        settle();
        for (const QWidget* w : window_->findChildren<QWidget*>()) {
            if (!w->isVisible() || w->focusPolicy() == Qt::NoFocus) continue;
            QAccessibleInterface* spoken =
                QAccessible::queryAccessibleInterface(const_cast<QWidget*>(w));
            ASSERT_NE(spoken, nullptr);
            if (spoken->role() == QAccessible::StaticText) continue;  // speaks its own text
            if (w->inherits("QScrollArea")) continue;                 // a frame around named parts
            EXPECT_FALSE(spoken->text(QAccessible::Name).isEmpty() &&
                         spoken->text(QAccessible::Value).isEmpty())
                << w->metaObject()->className() << " " << w->objectName().toStdString();
        }
    }
}

}  // namespace
}  // namespace nk
