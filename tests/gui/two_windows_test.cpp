// Two windows on one book: what one changes the other shows, nothing is written over, undo of one
// takes back its own last act of the book, and what one removes the other lets go of.
#include <QLabel>
#include <QListWidget>
#include <QSignalSpy>

#include "app/battery/battery_page.h"
#include "app/curve/curve_station.h"
#include "app/plot/ribbon.h"
#include "app/side/side_station.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class TwoWindows : public test::Window {
  protected:
    void SetUp() override {
        Window::SetUp();
        importCycle();
        id_ = window_->session().recordings().front().id;
        battery_ = window_->session().recordings().front().batteryId;
        auto book = BenchBook::open(window_->book().path());
        ASSERT_TRUE(book);
        other_ = std::make_unique<MainWindow>(std::move(*book), dialogs_);
        other_->resize(1100, 720);
        other_->show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(other_.get()));
        other_->chooseRecording(id_);
        settleBoth();
    }
    void TearDown() override {
        other_.reset();
        Window::TearDown();
    }
    void settleBoth() {
        waitUntil([&] { return !window_->busy() && !other_->busy(); }, "still busy");
    }
    /// Windows look for changes of others every two seconds.
    template <class Seen>
    bool comes(const Seen& seen) {
        return QTest::qWaitFor([&] { return seen() && !window_->busy() && !other_->busy(); },
                               12000);
    }
    std::string nameIn(MainWindow& w) const { return w.session().batteryOf(battery_).name; }
    std::size_t stepsIn(MainWindow& w) const {
        const ShownPtr shown = w.session().shown();
        return shown ? shown->analysis.steps.list.size() : 0;
    }
    std::unique_ptr<MainWindow> other_;
    std::int64_t id_ = 0, battery_ = 0;
};

TEST_F(TwoWindows, ARenamedBatteryIsSeenInTheOther) {
    other_->session().changeBattery(
        battery_, [](Battery& b) { b.name = "Dew heater two"; }, true);
    ASSERT_TRUE(comes([&] { return nameIn(*window_) == "Dew heater two"; }));
    EXPECT_EQ(nameIn(*other_), "Dew heater two");
}

TEST_F(TwoWindows, ARatingChangedInOneChangesTheFiguresOfTheOther) {
    const double before = window_->session().shown()->analysis.battery.rated_Ah;
    other_->session().changeBattery(
        battery_, [](Battery& b) { b.rated_Ah = 3.0; }, true);
    ASSERT_TRUE(comes([&] { return window_->session().shown()->analysis.battery.rated_Ah == 3.0; }))
        << "the shown log is made anew, from " << before;
    // Stored readings are brought up to date by whoever is first, and both list the same.
    ASSERT_TRUE(comes([&] {
        const auto& a = window_->session().recordings();
        const auto& b = other_->session().recordings();
        return a.size() == 1 && b.size() == 1 && std::isfinite(a.front().summary.health_percent) &&
               a.front().summary.health_percent == b.front().summary.health_percent;
    }));
}

TEST_F(TwoWindows, ChangesOfBothAtOnceAreBothKept) {
    window_->session().changeBattery(
        battery_, [](Battery& b) { b.name = "by the first"; }, false);
    other_->session().changeBattery(
        battery_, [](Battery& b) { b.mass_kg = 0.4; }, false);
    ASSERT_TRUE(comes([&] {
        const Battery a = window_->session().batteryOf(battery_);
        const Battery b = other_->session().batteryOf(battery_);
        return a.name == "by the first" && a.mass_kg == 0.4 && b.name == a.name &&
               b.mass_kg == a.mass_kg;
    })) << "each change is made on the newest card";
}

TEST_F(TwoWindows, AnEditOfTheStepsIsSeenAndTakenBackInEither) {
    const std::size_t steps = stepsIn(*window_);
    ASSERT_GT(steps, 2U);
    auto* ribbon = window_->findChild<Ribbon*>();
    ribbon->select(1);
    ribbon->setFocus();
    QTest::keyClick(ribbon, Qt::Key_S);
    ASSERT_TRUE(comes([&] { return stepsIn(*window_) == steps + 1; }));
    ASSERT_TRUE(comes([&] { return stepsIn(*other_) == steps + 1; })) << "the other shows it too";
    other_->undo();
    ASSERT_TRUE(comes([&] { return stepsIn(*other_) == steps && stepsIn(*window_) == steps; }))
        << "the book's last act is taken back, whoever did it";
    window_->redo();
    ASSERT_TRUE(
        comes([&] { return stepsIn(*other_) == steps + 1 && stepsIn(*window_) == steps + 1; }));
}

TEST_F(TwoWindows, EditsOfTheStepsByBothAtOnceAndTwiceInARowAreAllKept) {
    const std::size_t steps = stepsIn(*window_);
    ASSERT_GT(steps, 3U);
    const auto cut = [](MainWindow& w, int step) {
        auto* ribbon = w.findChild<Ribbon*>();
        ribbon->select(step);
        ribbon->setFocus();
        QTest::keyClick(ribbon, Qt::Key_S);
    };
    // The second is asked for before the first has come back, the third in the other window.
    cut(*window_, 1);
    cut(*window_, 2);
    cut(*other_, 3);
    EXPECT_TRUE(comes([&] {
        return stepsIn(*window_) == steps + 3 && stepsIn(*other_) == steps + 3;
    })) << stepsIn(*window_)
        << " of " << steps + 3;
}

TEST_F(TwoWindows, WhatOneRemovesTheOtherLetsGoOf) {
    other_->setStation(3);
    settleBoth();
    auto* side = other_->findChild<SideStation*>();
    ASSERT_FALSE(side->choice().items.empty());
    window_->session().change([id = id_](BenchBook& b) { return b.removeRecording(id); });
    ASSERT_TRUE(comes([&] {
        return other_->session().recordings().empty() && window_->session().recordings().empty();
    }));
    ASSERT_TRUE(comes([&] { return side->choice().items.empty(); }))
        << "no curve of a log that is gone";
    EXPECT_FALSE(other_->session().shown());
    window_->undo();
    ASSERT_TRUE(comes([&] {
        return other_->session().recordings().size() == 1 &&
               window_->session().recordings().size() == 1;
    }));
}

TEST_F(TwoWindows, ALogStoredInOneIsOnTheShelfOfTheOther) {
    const QString second = writeLog(
        "night-15.csv", test::logged(test::lithiumCycle(R"({"noise_V": 0.001})", "{}", 5)).text);
    drop(second);
    ASSERT_NE(waitForCard(), nullptr);
    QTest::mouseClick(window_->findChild<BatteryCard*>()->findChild<QPushButton*>("accept"),
                      Qt::LeftButton);
    ASSERT_TRUE(comes([&] { return other_->session().recordings().size() == 2; }));
    EXPECT_EQ(other_->session().shown()->id, id_) << "what the other looks at stays";
    EXPECT_NE(window_->session().shown()->id, id_) << "the one that took it in shows it";
}

TEST_F(TwoWindows, WhatDoesNotConcernTheShownLogDoesNotMakeItAnew) {
    QSignalSpy made(&window_->session(), &Session::shownChanged);
    other_->session().change([](BenchBook& b) -> Expected<void> {
        Battery stranger;
        stranger.name = "Somebody else's";
        stranger.chemistry = "lfp";
        stranger.series = 4;
        stranger.rated_Ah = 20;
        const auto id = b.addBattery(stranger);
        return id ? Expected<void>{} : tl::unexpected<Error>(id.error());
    });
    ASSERT_TRUE(comes([&] { return window_->session().batteries().size() == 2; }));
    EXPECT_EQ(made.count(), 0)
        << "the curve in view is not loaded again for another battery's sake";
    // Its own title, or a correction of it, does.
    other_->session().change([id = id_](BenchBook& b) { return b.renameRecording(id, "night X"); });
    ASSERT_TRUE(comes([&] {
        return window_->session().shown() && window_->session().shown()->title.contains("night X");
    }));
    EXPECT_GE(made.count(), 1);
}

TEST_F(TwoWindows, AReadingOfOneStandsOnTheBatterysPageOfTheOther) {
    other_->showBattery(battery_);
    settleBoth();
    auto* page = other_->findChild<BatteryPage*>();
    ASSERT_NE(page, nullptr);
    ASSERT_TRUE(comes([&] { return !page->busy(); }));
    const std::size_t rows = page->view().rows.size();
    window_->session().change([battery = battery_](BenchBook& b) -> Expected<void> {
        SpotReading s;
        s.batteryId = battery;
        s.kind = "resistance";
        s.value = 0.061;
        s.resolution = 0.001;
        s.atEpoch_s = 1.79e9;
        const auto id = b.addSpotReading(s);
        return id ? Expected<void>{} : tl::unexpected<Error>(id.error());
    });
    ASSERT_TRUE(comes([&] { return !page->busy() && page->view().rows.size() == rows + 1; }));
    other_->undo();
    ASSERT_TRUE(comes([&] { return !page->busy() && page->view().rows.size() == rows; }));
}

TEST_F(TwoWindows, ClosingOneWithChangesThatWaitLosesNothing) {
    for (int k = 0; k < 5; ++k)
        other_->session().changeBattery(
            battery_, [k](Battery& b) { b.name = "name " + std::to_string(k); }, false);
    other_->close();
    other_.reset();
    ASSERT_TRUE(QTest::qWaitFor([&] { return nameIn(*window_) == "name 4"; }, 12000));
    auto again = BenchBook::open(window_->book().path());
    ASSERT_TRUE(again);
    other_ = std::make_unique<MainWindow>(std::move(*again), dialogs_);
    EXPECT_EQ(nameIn(*other_), "name 4");
}

TEST_F(TwoWindows, OneLookNightTheOtherGermanDisturbNeither) {
    other_->setTheme(ThemeChoice::NightBench);
    settleBoth();
    window_->setStation(2);
    other_->setStation(1);
    settleBoth();
    EXPECT_EQ(window_->session().shown()->id, other_->session().shown()->id);
    EXPECT_GT(stepsIn(*window_), 2U);
    EXPECT_EQ(stepsIn(*window_), stepsIn(*other_));
    other_->setTheme(ThemeChoice::Paper);
}

}  // namespace
}  // namespace nk
