// The shelf and the menu of a recording, by mouse and keyboard.
#include <QClipboard>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QTableView>

#include "app/battery/battery_page.h"
#include "app/findings/findings_panel.h"
#include "app/shelf/shelf.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class OnTheShelf : public test::Window {
  protected:
    void SetUp() override {
        Window::SetUp();
        importCycle();
        id = window_->shown()->id;
    }
    /// The row of a recording, null when it has none. Rows that were made just now are shown by the
    /// event loop, however slow the machine is.
    QPushButton* row(std::int64_t recording) const {
        const QString name = QString("recording-%1").arg(recording);
        QPushButton* found = window_->findChild<QPushButton*>(name);
        const auto shown = [&] {
            found = window_->findChild<QPushButton*>(name);
            return found == nullptr || found->isVisible();
        };
        EXPECT_TRUE(QTest::qWaitFor(shown));
        return found;
    }
    /// Opens the menu of the recording and triggers the entry that begins with `words`.
    void choose(const QString& words) {
        QPushButton* at = row(id);
        ASSERT_NE(at, nullptr);
        Q_EMIT at->customContextMenuRequested(QPoint(5, 5));
        QMenu* menu = nullptr;
        ASSERT_TRUE(QTest::qWaitFor([&] {
            for (QMenu* m : window_->findChildren<QMenu*>())
                if (m->isVisible()) menu = m;
            return menu != nullptr;
        }));
        QAction* chosen = nullptr;
        for (QAction* action : menu->actions())
            if (action->text().startsWith(words)) chosen = action;
        ASSERT_NE(chosen, nullptr) << words.toStdString();
        menu->close();
        chosen->trigger();
    }
    /// Triggers an entry of the window's menu, wherever it lies.
    void act(const QString& words) const {
        for (QAction* action : window_->actions())
            if (action->text().startsWith(words)) return action->trigger();
        FAIL() << words.toStdString();
    }
    /// Types into the dialog that asks for a text and accepts it.
    void answer(const QString& text) {
        QInputDialog* dialog = nullptr;
        ASSERT_TRUE(QTest::qWaitFor([&] {
            for (QInputDialog* d : window_->findChildren<QInputDialog*>())
                if (d->isVisible()) dialog = d;
            return dialog != nullptr;
        }));
        dialog->setTextValue(text);
        dialog->accept();
        settle();
    }
    QString said() const { return part<QLabel>("inlineText")->text(); }
    double charge() const { return window_->shown()->charge_Ah.back(); }
    std::int64_t id = 0;
};

TEST_F(OnTheShelf, ARecordingIsRenamed) {
    choose("Rename");
    answer("  Night with frost  ");
    EXPECT_EQ(window_->book().recordings()->front().title, "Night with frost");
    EXPECT_TRUE(part<QLabel>("recordingTitle")->text().contains("Night with frost"));
    choose("Rename");
    answer("   ");
    EXPECT_EQ(window_->book().recordings()->front().title, "Night with frost")
        << "a name of spaces is none";
    window_->undo();
    settle();
    EXPECT_EQ(window_->book().recordings()->front().title, "night-14");
    EXPECT_TRUE(said().contains("Night with frost")) << said().toStdString();
}

TEST_F(OnTheShelf, TheOriginalFileComesBackByteForByte) {
    dialogs_.save = path("again.csv");
    choose("Save the original");
    settle();
    QFile was(path("night-14.csv")), is(path("again.csv"));
    ASSERT_TRUE(was.open(QIODevice::ReadOnly));
    ASSERT_TRUE(is.open(QIODevice::ReadOnly));
    EXPECT_EQ(was.readAll(), is.readAll());
    dialogs_.save = path("no folder/again.csv");
    choose("Save the original");
    settle();
    EXPECT_TRUE(said().contains("could not be written")) << said().toStdString();
}

TEST_F(OnTheShelf, ALoadBesideTheLoggerCountsOrIsRefusedWithWhatIsAccepted) {
    const double before = charge();
    choose("A load the logger did not see");
    answer("a lamp");
    EXPECT_TRUE(said().contains("0.35 A")) << said().toStdString();
    EXPECT_TRUE(window_->book().corrections(id)->empty());
    choose("A load the logger did not see");
    answer("-5 W");
    EXPECT_TRUE(window_->book().corrections(id)->empty()) << "a load draws, it does not give";
    const double hours = window_->shown()->recording->duration_s() / 3600;
    for (const char* load : {"0,1 A", "1 W", "100 ohm"}) {
        choose("A load the logger did not see");
        answer(load);
        ASSERT_EQ(window_->book().corrections(id)->size(), 1u) << load;
        // 0.1 A, or about 0.1 A at 9 to 12.6 V, for the whole recording.
        EXPECT_NEAR(before - charge(), 0.1 * hours, 0.03 * hours) << load;
        window_->undo();
        settle();
        EXPECT_NEAR(charge(), before, 1e-9) << "taken away, the old numbers are back";
    }
}

TEST_F(OnTheShelf, WhatIsTakenOffComesBackWithUndo) {
    choose("Take off the shelf");
    settle();
    EXPECT_TRUE(window_->book().recordings()->empty());
    EXPECT_TRUE(part<QWidget>("startScreen")->isVisible());
    window_->undo();
    settle();
    ASSERT_EQ(window_->book().recordings()->size(), 1u);
    ASSERT_TRUE(window_->shown());
    EXPECT_TRUE(part<QWidget>("curveStation")->isVisible());
    window_->redo();
    settle();
    EXPECT_TRUE(window_->book().recordings()->empty());
}

TEST_F(OnTheShelf, ALogMovesToAnotherBatteryWithEverythingComputedFromIt) {
    const double health = window_->book().recordings()->front().summary.health_percent;
    choose("Move to another battery");
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    EXPECT_EQ(card->findChild<QPushButton*>("accept")->text(), "Move");
    EXPECT_EQ(card->findChild<QSpinBox*>("series")->value(), 3) << "begins with what is known";
    QTest::keyClicks(card->findChild<QLineEdit*>("name"), "Dew heater 3");
    card->findChild<QLineEdit*>("rated")->selectAll();
    QTest::keyClicks(card->findChild<QLineEdit*>("rated"), "5 Ah");
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    settle();
    ASSERT_EQ(window_->book().batteries()->size(), 2u);
    EXPECT_EQ(window_->shown()->analysis.battery.name, "Dew heater 3");
    EXPECT_TRUE(said().contains("Dew heater 3")) << said().toStdString();
    EXPECT_NEAR(window_->book().recordings()->front().summary.health_percent, health / 2, 0.01)
        << "half the health of twice the label";
    window_->undo();
    settle();
    EXPECT_EQ(window_->book().batteries()->size(), 1u) << "the new battery went with it";
    EXPECT_EQ(window_->shown()->analysis.battery.name, "Dew heater 2");
}

TEST_F(OnTheShelf, ABatteryIsRemovedOnlyWithoutLogsAndComesBack) {
    press(Qt::Key_N);
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QTest::keyClicks(card->findChild<QLineEdit*>("name"), "Spare");
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    settle();
    ASSERT_EQ(window_->book().batteries()->size(), 2u);
    const auto remove = [&](std::int64_t battery) {
        auto* name = part<QPushButton>(QString("battery-%1").arg(battery));
        Q_EMIT name->customContextMenuRequested(QPoint(5, 5));
        for (QMenu* menu : window_->findChildren<QMenu*>())
            if (menu->isVisible())
                for (QAction* action : menu->actions())
                    if (action->text() == "Remove this battery") {
                        menu->close();
                        action->trigger();
                        settle();
                        return;
                    }
        FAIL() << "no menu";
    };
    remove(window_->book().batteries()->front().id);
    EXPECT_TRUE(said().contains("on the shelf (1)")) << said().toStdString();
    EXPECT_EQ(window_->book().batteries()->size(), 2u);
    remove(window_->book().batteries()->back().id);
    ASSERT_EQ(window_->book().batteries()->size(), 1u);
    EXPECT_EQ(window_->book().batteries()->front().battery.name, "Dew heater 2");
    window_->undo();
    settle();
    EXPECT_EQ(window_->book().batteries()->back().battery.name, "Spare");
}

TEST_F(OnTheShelf, WhatWasTakenOffIsDestroyedOnlyWhenSure) {
    act("Destroy what was taken off");
    EXPECT_TRUE(said().contains("Nothing")) << said().toStdString();
    press(Qt::Key_Delete);
    settle();
    ASSERT_TRUE(window_->book().recordings()->empty());
    dialogs_.yes = false;
    act("Destroy what was taken off");
    settle();
    EXPECT_EQ(*window_->book().removedCount(), 1);
    dialogs_.yes = true;
    act("Destroy what was taken off");
    settle();
    EXPECT_EQ(*window_->book().removedCount(), 0);
    EXPECT_TRUE(said().contains("destroyed: 1.")) << said().toStdString();
    EXPECT_TRUE(window_->book().verify()->faults.empty());
}

TEST_F(OnTheShelf, ManyLogsAreShownInPartsAndTheShownOneAlways) {
    std::vector<RecordingEntry> many;
    for (std::int64_t k = 1; k <= 40; ++k) {
        RecordingEntry e;
        e.id = 100 + k;
        e.batteryId = window_->book().batteries()->front().id;
        e.title = "Night " + std::to_string(k);
        e.importedAt_s = static_cast<double>(k);
        many.push_back(e);
    }
    auto* shelf = part<Shelf>("shelf");
    (void)window_->book().changedElsewhere();  // nothing is left to be read anew
    shelf->setContents(*window_->book().batteries(), many);
    EXPECT_NE(row(140), nullptr) << "the newest";
    EXPECT_EQ(row(128), nullptr);
    auto* more = part<QPushButton>("more-1");
    EXPECT_EQ(more->text(), "Show 12 of 28 older");
    QTest::mouseClick(more, Qt::LeftButton);
    EXPECT_NE(row(128), nullptr);
    EXPECT_EQ(row(102), nullptr);
    shelf->select(102);
    ASSERT_NE(row(102), nullptr);
    EXPECT_TRUE(row(102)->isChecked());
    EXPECT_TRUE(QTest::qWaitFor([&] { return !row(102)->visibleRegion().isEmpty(); }))
        << "it is scrolled to";
    QSignalSpy chosen(shelf, &Shelf::recordingChosen);
    row(103)->setFocus();
    QTest::keyClick(row(103), Qt::Key_Space);
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen.front().front().toLongLong(), 103);
    shelf->setContents(*window_->book().batteries(), many);
    EXPECT_TRUE(QTest::qWaitFor([&] {
        const QPushButton* again = row(103);
        return again != nullptr && window_->focusWidget() == again;
    })) << "the keyboard stays where it was";
}

TEST_F(OnTheShelf, TheSameFileAgainIsSaid) {
    drop(path("night-14.csv"));
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    bool told = false;
    for (const QLabel* label : card->findChildren<QLabel*>())
        told = told || label->text().contains("on the shelf already: “night-14”");
    EXPECT_TRUE(told);
    card->reject();
}

TEST_F(OnTheShelf, SearchFindsBatteriesAndLogs) {
    auto* search = part<QLineEdit>("search");
    QTest::keyClicks(search, "NIGHT");
    EXPECT_NE(row(id), nullptr) << "case does not matter";
    search->clear();
    QTest::keyClicks(search, "heater");
    EXPECT_NE(row(id), nullptr) << "the battery's name shows its logs";
    QTest::keyClicks(search, "xyz");
    EXPECT_EQ(row(id), nullptr);
    search->clear();
    EXPECT_NE(row(id), nullptr);
}

TEST_F(OnTheShelf, AnotherWindowsChangeIsSeen) {
    auto other = BenchBook::open(window_->book().path());
    ASSERT_TRUE(other);
    ASSERT_TRUE((*other)->renameRecording(id, "from the other window"));
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return row(id) != nullptr && row(id)->accessibleName().contains("other window"); },
        8000));
}

TEST_F(OnTheShelf, NonsenseInTheSettingsCountsAsNotSet) {
    window_.reset();
    QSettings settings;
    settings.setValue("decimalSign", 99);
    settings.setValue("chargeUnit", "many");
    settings.setValue("look", -3);
    settings.setValue("accuracy/voltage", "wide");
    settings.setValue("accuracy/current", -1);
    settings.setValue("window/station", 77);
    settings.setValue("window/recording", "abc");
    settings.setValue("window/geometry", QByteArray("not a geometry"));
    settings.setValue("columns/rules", QVariantList{1, 2});
    settings.setValue("language", "xx");
    openWindow();
    settle();
    EXPECT_EQ(window_->preferences().decimal, DecimalSign::ByLocale);
    EXPECT_EQ(window_->preferences().charge, ChargeUnit::BySize);
    EXPECT_EQ(window_->preferences().accuracy.voltageGain, InstrumentAccuracy().voltageGain);
    EXPECT_EQ(window_->preferences().accuracy.currentGain, InstrumentAccuracy().currentGain);
    EXPECT_EQ(window_->preferences().spoken(), "en");
    EXPECT_TRUE(window_->shown());
}

TEST_F(OnTheShelf, TheReadingsPadTakesADisplayInOneLine) {
    for (QAction* a : window_->actions())
        if (a->text() == "Readings pad for this battery…") a->trigger();
    auto* pad = part<QDialog>("pad");
    auto* line = pad->findChild<QLineEdit*>("padLine");
    auto* keep = pad->findChild<QPushButton*>("padKeep");
    EXPECT_FALSE(keep->isEnabled());
    QTest::keyClicks(line, "2.31 Ah 25,6 Wh 1:12 4.1 V");
    EXPECT_TRUE(pad->findChild<QLabel*>("padChips")->text().contains("2.31"));
    EXPECT_TRUE(pad->findChild<QLabel*>("padWords")->text().contains("one cell"))
        << pad->findChild<QLabel*>("padWords")->text().toStdString();
    EXPECT_TRUE(keep->isEnabled()) << "questioned, never refused";
    line->setText("2.31 Ah 25,6 Wh 1:12 12.5 V and more");
    EXPECT_FALSE(keep->isEnabled());
    line->setText("2.31 Ah 25,6 Wh 1:12 12.5 V");
    QTest::mouseClick(keep, Qt::LeftButton);
    settle();
    const auto battery = window_->shown()->batteryId;
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return window_->book().spotReadings(battery)->size() == 4; }, 10000));
    window_->undo();
    settle();
    EXPECT_TRUE(
        QTest::qWaitFor([&] { return window_->book().spotReadings(battery)->empty(); }, 10000))
        << "one act";
}

TEST_F(OnTheShelf, ALabelsLineFillsTheCard) {
    for (QAction* a : window_->actions())
        if (a->text() == "New battery…") a->trigger();
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    auto* label = card->findChild<QLineEdit*>("labelLine");
    QTest::keyClicks(label, "LiPo 6S2P 22.2V 5000mAh 111Wh");
    EXPECT_EQ(card->findChild<QComboBox*>("chemistry")->currentData().toString(), "lipo");
    EXPECT_EQ(card->findChild<QSpinBox*>("series")->value(), 6);
    EXPECT_EQ(card->findChild<QSpinBox*>("parallel")->value(), 2);
    EXPECT_TRUE(card->findChild<QLineEdit*>("rated")->text().startsWith("5"));
    label->clear();
    QTest::keyClicks(label, "11.1 V 2200 Ah 24.4 Wh");
    EXPECT_TRUE(card->findChild<QLabel*>("note")->text().contains("milliampere"))
        << card->findChild<QLabel*>("note")->text().toStdString();
    card->reject();
}

TEST_F(OnTheShelf, ABatterysPageTellsItsVerdictAndItsHistory) {
    const auto battery = window_->shown()->batteryId;
    // Its rows have no date; without a day it would stand apart from every picture.
    window_->session().change([id = window_->shown()->id](BenchBook& b) {
        return b.setDay(id, "2026-05-01", "hand", true);
    });
    settle();
    QTest::mouseClick(part<QPushButton>(QString("battery-%1").arg(battery)), Qt::LeftButton);
    settle();
    auto* page = window_->findChild<BatteryPage*>();
    ASSERT_NE(page, nullptr);
    EXPECT_TRUE(page->isVisible());
    EXPECT_FALSE(window_->findChild<FindingsPanel*>()->isVisible());
    EXPECT_FALSE(page->findChild<QLabel*>("pageVerdict")->text().isEmpty());
    auto* table = page->findChild<QTableView*>("history");
    const auto rows = [&] { return table->model()->rowCount(); };
    const auto cell = [&](int r, int c) { return table->model()->index(r, c).data().toString(); };
    // Every stored reading of every step has its row.
    EXPECT_EQ(static_cast<std::size_t>(rows()), window_->book().readingsOfBattery(battery)->size());
    const int all = rows();
    auto* filter = page->findChild<QLineEdit*>("historyFilter");
    QTest::keyClicks(filter, "capacity");
    EXPECT_GT(rows(), 0);
    EXPECT_LT(rows(), all);
    for (int r = 0; r < rows(); ++r)
        EXPECT_TRUE(cell(r, 1).contains("capacity", Qt::CaseInsensitive));
    // A head sorts: figures by their size, not as words.
    const auto clickHead = [&](int c) {
        QHeaderView* head = table->horizontalHeader();
        QTest::mouseClick(head->viewport(), Qt::LeftButton, {},
                          {head->sectionViewportPosition(c) + 20, head->height() / 2});
    };
    clickHead(2);
    const auto figure = [&](int r) {
        return table->model()->index(r, 2).data(Qt::UserRole).toDouble();
    };
    const bool down = table->horizontalHeader()->sortIndicatorOrder() == Qt::DescendingOrder;
    for (int r = 1; r < rows(); ++r)
        EXPECT_TRUE(down ? figure(r) <= figure(r - 1) : figure(r) >= figure(r - 1));
    // What is chosen is copied with its heads; with nothing chosen nothing goes wrong.
    QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    table->setFocus();
    table->selectAll();
    QTest::keyClick(table, Qt::Key_C, Qt::ControlModifier);
    EXPECT_EQ(QApplication::clipboard()->text().count('\n'), rows() + 1);
    filter->clear();
    for (const char* button : {"history-1", "history-2", "historyCycles", "history-0"})
        QTest::mouseClick(page->findChild<QPushButton*>(button), Qt::LeftButton);
    // What is changed of the battery is seen on its page, which stays.
    window_->session().changeBattery(
        battery, [](Battery& b) { b.rated_Ah = 25; }, true);
    settle();
    ASSERT_TRUE(QTest::qWaitFor([&] { return page->view().kind.contains("25"); }, 10000))
        << page->view().kind.toStdString();
    EXPECT_TRUE(page->isVisible()) << "nobody has chosen a log";
    // A row opens the log it was taken from.
    Q_EMIT table->activated(table->model()->index(0, 0));
    settle();
    EXPECT_FALSE(page->isVisible());
    EXPECT_TRUE(window_->station()->isVisible());
    EXPECT_TRUE(window_->findChild<FindingsPanel*>()->isVisible());
    // A point of the picture opens the part of the log that it rests on.
    window_->showBattery(battery);
    settle();
    const BatteryPageView& view = page->view();
    ASSERT_FALSE(view.capacities.empty());
    const HistoryDot dot = view.capacities.front();
    ASSERT_GT(dot.evidence.to_s, dot.evidence.from_s);
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    Q_EMIT page->evidenceChosen(dot.recording, dot.evidence, dot.words);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    settle();
    const auto range = window_->evidenceStation()->range();
    ASSERT_TRUE(range);
    EXPECT_LE(range->first, dot.evidence.from_s);
    EXPECT_GE(range->second, dot.evidence.to_s);
}

}  // namespace
}  // namespace nk
