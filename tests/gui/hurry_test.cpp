// Somebody in a hurry: logs, stations, batteries and books are changed faster than the workers
// answer. What comes late is about something that is gone, and must neither be shown nor break
// anything; at rest the window shows what was asked for last.
#include <QLabel>
#include <random>

#include "app/curve/curve_station.h"
#include "app/finish/finish_station.h"
#include "history/take_in.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class Hurry : public test::Window {
  protected:
    void SetUp() override {
        Window::SetUp();
        fill("one.nkbook", 1);
        fill("two.nkbook", 2);
        openBook("one.nkbook");
    }
    void fill(const QString& name, int seed) {
        auto book = BenchBook::open(path(name).toStdString());
        ASSERT_TRUE(book);
        for (int k = 0; k < 4; ++k) {
            const auto log = test::logged(test::lithiumCycle(
                k % 2 ? R"({"interval_s": 5})" : R"({"interval_s": 20})", "{}", seed * 10 + k));
            NewLog n;
            n.title = "log " + std::to_string(seed) + std::to_string(k);
            n.fileName = n.title + ".csv", n.bytes = log.text, n.imported = &log.imported;
            n.at_s = 1.79e9 + k, n.newBattery = log.scenario.battery;
            n.newBattery->name = "battery " + std::to_string(seed) + std::to_string(k);
            n.newBattery->chemistry = "nmc", n.newBattery->series = 3, n.newBattery->rated_Ah = 2.5;
            ASSERT_TRUE(takeIn(**book, n));
        }
    }
    void openBook(const QString& name) {
        window_->openBook(path(name));
        ASSERT_TRUE(QTest::qWaitFor(
            [&] { return window_->book().path().filename().string() == name.toStdString(); },
            kPatience_ms));
        settle();
    }
    std::vector<std::int64_t> logs() const {
        std::vector<std::int64_t> out;
        const auto list = window_->book().recordings();
        if (list)
            for (const RecordingEntry& e : *list) out.push_back(e.id);
        return out;
    }
};

TEST_F(Hurry, TheLogThatWasAskedForLastIsShownEverywhere) {
    const auto ids = logs();
    ASSERT_EQ(ids.size(), 4U);
    std::mt19937 random(3);
    for (int round = 0; round < 12; ++round) {
        std::int64_t last = 0;
        for (unsigned n = 1 + random() % 6; n > 0; --n) {
            last = ids[random() % ids.size()];
            window_->chooseRecording(last);
            if (random() % 3 == 0)
                window_->setStation(static_cast<int>(random() % window_->stations().size()));
            if (random() % 2 == 0) QTest::qWait(static_cast<int>(random() % 30));
        }
        window_->setStation(round % 3);
        settle();
        ASSERT_TRUE(window_->shown());
        EXPECT_EQ(window_->shown()->id, last);
        const QString title = window_->shown()->title;
        // Stations that are not in front are made when they come there.
        const char* const titles[] = {"recordingTitle", "finishTitle", "strengthTitle"};
        const QString there = part<QLabel>(titles[round % 3])->text();
        EXPECT_TRUE(title.startsWith(there.section(QString(" ") + QChar(0xB7), 0, 0)))
            << there.toStdString() << " for " << title.toStdString();
    }
}

TEST_F(Hurry, BatteriesAndLogsInTurnEndAtTheLast) {
    const auto batteries = window_->book().batteries();
    ASSERT_TRUE(batteries);
    std::mt19937 random(5);
    for (int round = 0; round < 10; ++round) {
        std::int64_t last = 0;
        for (int n = 0; n < 5; ++n) {
            last = (*batteries)[random() % batteries->size()].id;
            window_->showBattery(last);
            if (n % 2 == 0) window_->setStation(static_cast<int>(random() % 7));
            if (random() % 2 == 0) QTest::qWait(static_cast<int>(random() % 25));
        }
        window_->showBattery(last);
        settle();
        const auto name = std::ranges::find(*batteries, last, &BatteryEntry::id)->battery.name;
        EXPECT_EQ(part<QLabel>("pageName")->text().toStdString(), name);
        window_->setStation(0);
    }
}

TEST_F(Hurry, AnotherBookInTheMiddleOfEverything) {
    std::mt19937 random(7);
    QString now = "one.nkbook";
    for (int round = 0; round < 8; ++round) {
        const auto ids = logs();
        window_->setStation(static_cast<int>(random() % 7));
        for (int n = 0; n < 3 && !ids.empty(); ++n)
            window_->chooseRecording(ids[random() % ids.size()]);
        if (random() % 2 == 0) QTest::qWait(static_cast<int>(random() % 40));
        now = now == "one.nkbook" ? "two.nkbook" : "one.nkbook";
        openBook(now);
        const std::string wanted = now == "one.nkbook" ? "battery 1" : "battery 2";
        for (const BatteryEntry& e : window_->session().batteries())
            EXPECT_EQ(e.battery.name.substr(0, 9), wanted);
        if (window_->shown()) {
            EXPECT_EQ(window_->shown()->analysis.battery.name.substr(0, 9), wanted);
        }
    }
    // Both are what they were.
    for (const char* name : {"one.nkbook", "two.nkbook"}) {
        auto book = BenchBook::open(path(name).toStdString());
        ASSERT_TRUE(book);
        EXPECT_EQ((*book)->recordings()->size(), 4U);
        EXPECT_TRUE((*book)->verify()->faults.empty());
    }
}

TEST_F(Hurry, ALogThatIsTakenOffWhileItIsReadIsNotShown) {
    const auto ids = logs();
    for (int station = 0; station < 7; ++station) {
        window_->setStation(station);
        window_->chooseRecording(ids[0]);
        ASSERT_TRUE(window_->book().removeRecording(ids[0]));
        window_->chooseRecording(ids[1]);
        window_->undo();
        settle();
        ASSERT_TRUE(window_->shown());
        EXPECT_EQ(window_->book().recordings()->size(), 4U);
    }
}

TEST_F(Hurry, ClosedWhileEverythingIsUnderWay) {
    for (int round = 0; round < 6; ++round) {
        const auto ids = logs();
        window_->setStation(round);
        window_->chooseRecording(ids[static_cast<std::size_t>(round) % ids.size()]);
        if (round % 2) window_->showBattery(1);
        if (round == 3) window_->loadDemo();
        QTest::qWait(round * 7);
        window_.reset();  // nothing waits, nothing comes late
        openWindow();
        openBook("one.nkbook");
    }
}

}  // namespace
}  // namespace nk
