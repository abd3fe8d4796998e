// Instruments and chargers in the window, background refresh, one act one step of undo, edits by
// hand.
#include <QDialogButtonBox>

#include "app/curve/curve_station.h"
#include "app/findings/findings_panel.h"
#include "app/origin/things_dialog.h"
#include "app/shelf/shelf.h"
#include "history/refresh.h"
#include "tests/gui/window.h"

#include <SQLiteCpp/SQLiteCpp.h>

namespace nk {
namespace {

using Origin = test::Window;

std::size_t staleIn(BenchBook& book) {
    const auto stale = staleRecordings(book);
    return stale ? stale->size() : 999;
}

TEST_F(Origin, ALogIsAskedForItsInstrumentOnceAndTheShapeIsRemembered) {
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    drop(cycleLog());
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    auto* instrument = card->findChild<QComboBox*>("instrument");
    auto* accuracy = card->findChild<QLineEdit*>("instrumentAccuracy");
    auto* accept = card->findChild<QPushButton*>("accept");
    ASSERT_NE(instrument, nullptr);
    EXPECT_FALSE(accuracy->isEnabled()) << "of nothing";
    QTest::keyClicks(card->findChild<QLineEdit*>("name"), "Lamp");
    QTest::keyClicks(card->findChild<QLineEdit*>("rated"), "2500 mAh");
    QTest::keyClicks(instrument->lineEdit(), "Desk meter");
    ASSERT_TRUE(accuracy->isEnabled());
    accuracy->setText("about right");
    EXPECT_FALSE(accept->isEnabled()) << "no accuracy";
    accuracy->setText("V=0.1%+1, A=0.2%+2");
    EXPECT_TRUE(accept->isEnabled());
    QTest::keyClicks(card->findChild<QComboBox*>("charger")->lineEdit(), "Old grey one");
    QTest::mouseClick(accept, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, kPatience_ms));
    settle();
    EXPECT_DOUBLE_EQ(window_->shown()->accuracy.voltageGain, 0.001);
    ASSERT_EQ(window_->book().instruments()->size(), 1u);
    ASSERT_EQ(window_->book().chargers()->size(), 1u);
    // Battery, instrument, charger and log: one act.
    press(Qt::Key_Z);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->book().recordings()->empty(); }, 10000));
    EXPECT_TRUE(window_->book().batteries()->empty());
    EXPECT_TRUE(window_->book().instruments()->empty());
    window_->redo();
    settle();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !window_->book().recordings()->empty(); }, 10000));
    // The next log of the same table is known to be by the same instrument.
    drop(cycleLog());
    card = waitForCard();
    ASSERT_NE(card, nullptr);
    EXPECT_EQ(card->findChild<QComboBox*>("instrument")->currentText(), "Desk meter");
    EXPECT_FALSE(card->findChild<QLineEdit*>("instrumentAccuracy")->isEnabled());
    card->reject();
}

TEST_F(Origin, InstrumentsAndChargersAreListedAndAnAccuracyIsChanged) {
    importCycle();
    const auto id = window_->shown()->id;
    const double before = window_->shown()->analysis.reading("delivered_capacity")->uncertainty;
    for (QAction* a : window_->actions())
        if (a->text() == "Instrument and charger of this log…") a->trigger();
    auto* dialog = part<QDialog>("originDialog");
    QTest::keyClicks(dialog->findChild<QComboBox*>("instrument")->lineEdit(), "Desk meter");
    QTest::keyClicks(dialog->findChild<QComboBox*>("charger")->lineEdit(), "Old grey one");
    QTest::mouseClick(dialog->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok),
                      Qt::LeftButton);
    settle();
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->book().recordings()->front().chargerId > 0; },
                                10000));
    for (QAction* a : window_->actions())
        if (a->text() == "Instruments and chargers…") a->trigger();
    ThingsDialog* things = nullptr;
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return (things = window_->findChild<ThingsDialog*>()) != nullptr; }, 10000));
    QString words;
    for (QLabel* l : things->findChildren<QLabel*>()) words += l->text() + "\n";
    EXPECT_TRUE(words.contains("In 1 of 1 charges it held 4.20 V a cell.")) << words.toStdString();
    auto* accuracy = things->findChild<QLineEdit*>("accuracy-1");
    ASSERT_NE(accuracy, nullptr);
    accuracy->setText("V=0.5%+1,A=3%+1,C=1");
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    QTest::mouseClick(things->findChild<QPushButton*>("keepAccuracy-1"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    settle();
    EXPECT_EQ(window_->shown()->id, id);
    EXPECT_GT(window_->shown()->analysis.reading("delivered_capacity")->uncertainty, 3 * before);
    things->accept();
}

TEST_F(Origin, ACheckOfTheInstrumentIsOfferedForItsLaterLogs) {
    importCycle();
    auto& book = window_->book();
    const auto instrument = *book.addInstrument({"Desk meter", {}, {}, {}});
    ASSERT_TRUE(book.setInstrument(window_->shown()->id, instrument));
    MeterCheck check;
    check.instrumentId = instrument;
    check.at_s = 1;  // long before
    check.correction = {0, Correction::Kind::VoltageOffset, 0.02, 0.001, 0, kNaN, "20 mV low"};
    ASSERT_TRUE(book.addMeterCheck(check));
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    window_->chooseRecording(window_->shown()->id);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    const double before = window_->shown()->recording->voltage_V()[5];
    auto* card = part<QWidget>("card-meter_check");
    QTest::mouseClick(card->findChild<QPushButton*>("action"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 1; }, 10000));
    settle();
    EXPECT_NEAR(window_->shown()->recording->voltage_V()[5], before + 0.02, 1e-9);
    EXPECT_TRUE(window_->shown()->offers.empty()) << "not offered twice";
}

TEST_F(Origin, WhatIsOutOfDateIsMadeAnewInTheBackground) {
    importCycle();
    window_.reset();
    SQLite::Database(path("bench.nkbook").toStdString(), SQLite::OPEN_READWRITE)
        .exec(
            "UPDATE study SET fingerprint='of an older version'; UPDATE recording SET "
            "summary='{\"capacity_Ah\": 77}'");
    openWindow();
    ASSERT_TRUE(QTest::qWaitFor([&] { return staleIn(window_->book()) == 0; }, kPatience_ms));
    settle();
    EXPECT_LT(window_->book().recordings()->front().summary.capacity_Ah, 10);
    EXPECT_EQ(*window_->book().undoLabel(), "add night-14");
}

TEST_F(Origin, TheDemoBenchIsOneStepOfUndo) {
    QSignalSpy done(window_.get(), &MainWindow::importFinished);
    window_->loadDemo();
    ASSERT_TRUE(QTest::qWaitFor([&] { return done.count() > 0; }, 60000));
    settle();
    ASSERT_GT(window_->book().recordings()->size(), 10u);
    EXPECT_EQ(*window_->book().undoLabel(), "add the demo bench");
    EXPECT_EQ(staleIn(window_->book()), 0u);
    window_->undo();
    settle();
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return window_->book().recordings()->empty(); }, kPatience_ms));
    EXPECT_TRUE(window_->book().batteries()->empty());
    EXPECT_TRUE(window_->book().chargers()->empty());
    EXPECT_EQ(*window_->book().undoLabel(), "");
}

TEST_F(Origin, ABatteryIsHandedOnAndABookTakenIn) {
    importCycle();
    dialogs_.save = path("lamp.nkbook");
    for (QAction* a : window_->actions())
        if (a->text() == "Hand on this battery with its logs…") a->trigger();
    settle();
    ASSERT_TRUE(QFile::exists(path("lamp.nkbook")));
    window_->openBook(path("another.nkbook"));
    settle();
    EXPECT_TRUE(window_->book().recordings()->empty());
    dialogs_.book = path("lamp.nkbook");
    for (QAction* a : window_->actions())
        if (a->text() == "Take in another book…") a->trigger();
    settle();
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->book().recordings()->size() == 1; }, 10000));
    window_->undo();
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->book().batteries()->empty(); }, 10000));
}

TEST_F(Origin, AnEditByHandKeepsItsBoundariesWhenTheRatingChanges) {
    importCycle();
    const auto steps = window_->shown()->analysis.steps.list;
    const double at = 0.5 * (steps[1].start_s + steps[1].end_s);
    QSignalSpy shown(window_.get(), &MainWindow::recordingShown);
    Q_EMIT window_->findChild<CurveStation*>()->stepsEdited(
        {{StepEdit::Action::Split, at, StepKind::Rest, {}}});
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 0; }, 10000));
    settle();
    ASSERT_EQ(window_->shown()->edits.size(), 1u);
    EXPECT_EQ(window_->shown()->edits[0].made.size(), 2u);
    const double edge = window_->shown()->edits[0].made[1].from_s;
    auto entry = window_->book().batteries()->front();
    entry.battery.rated_Ah = 120;
    ASSERT_TRUE(window_->book().updateBattery(entry.id, entry.revision, entry.battery));
    window_->chooseRecording(window_->shown()->id);
    ASSERT_TRUE(QTest::qWaitFor([&] { return shown.count() > 1; }, 10000));
    bool found = false;
    for (const Step& s : window_->shown()->analysis.steps.list) found |= s.start_s == edge;
    EXPECT_TRUE(found);
}

}  // namespace
}  // namespace nk
