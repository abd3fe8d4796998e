// The window on a disk that is slow or full: it stays alive, says what happened, and loses nothing.
#include <QLabel>
#include <QTimer>

#include "app/plot/ribbon.h"
#include "tests/gui/window.h"
#include "tests/support/fault_disk.h"

namespace nk {
namespace {

class Disk : public test::Window {
  protected:
    void SetUp() override {
        disk = std::make_unique<test::FaultDisk>();
        Window::SetUp();
        Preferences p = window_->preferences();
        p.backups = false;
        window_->setPreferences(p);
    }
    void TearDown() override {
        window_.reset();
        disk.reset();
    }
    std::unique_ptr<test::FaultDisk> disk;
};

TEST_F(Disk, ASlowFolderNeverFreezesTheWindow) {
    importCycle();
    disk->slow(60);
    int ticks = 0;
    QTimer pulse;
    QObject::connect(&pulse, &QTimer::timeout, [&] { ++ticks; });
    pulse.start(10);
    auto* ribbon = part<Ribbon>("ribbon");
    ribbon->setFocus();
    QTest::keyClick(ribbon, Qt::Key_Right);
    QTest::keyClick(ribbon, Qt::Key_Right);
    QTest::keyClick(ribbon, Qt::Key_S);
    EXPECT_TRUE(window_->busy()) << "the change is being written";
    QTest::keyClick(ribbon, Qt::Key_Left);
    EXPECT_EQ(ribbon->selected(), 0) << "meanwhile the window answers";
    settle();
    EXPECT_GT(ticks, 10) << "and its timers run";
    EXPECT_EQ(window_->book().edits(window_->shown()->id)->size(), 1u);
    // A window that is closed at once still writes what was asked for.
    ribbon->setFocus();
    QTest::keyClick(ribbon, Qt::Key_Right);
    QTest::keyClick(ribbon, Qt::Key_S);
    window_->undo();
    window_->redo();
    window_->close();
    disk->slow(0);
    const auto id = window_->shown()->id;
    openWindow();
    EXPECT_EQ(window_->book().edits(id)->size(), 2u);
}

TEST_F(Disk, AFullDiskIsSaidAndTheLogIsStillThereToTryAgain) {
    importCycle();
    disk->failFrom(disk->operations(), test::Fault::Full);
    drop(writeLog("night-15.csv", nk::test::logged(nk::test::lithiumCycle("{}", "{}", 2)).text));
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor(
        [this] { return part<QLabel>("inlineText")->text().contains("the disk is full"); },
        kPatience_ms))
        << part<QLabel>("inlineText")->text().toStdString();
    settle();
    EXPECT_EQ(window_->book().recordings()->size(), 1u);
    EXPECT_EQ(window_->book().batteries()->size(), 1u) << "not half of an import";
    EXPECT_TRUE(window_->shown()) << "what was shown is shown";
    disk->heal();
    drop(path("night-15.csv"));
    card = waitForCard();
    ASSERT_NE(card, nullptr);
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([this] { return window_->book().recordings()->size() == 2; },
                                kPatience_ms));
    settle();
}

}  // namespace
}  // namespace nk
