// The Bench station in the real window with the simulated instrument on real pseudo-terminals.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QProcess>

#include "app/bench/bench_station.h"
#include "app/bench/channel_strip.h"
#include "app/bench/live_lanes.h"
#include "history/live_log.h"
#include "tests/gui/window.h"
#include "tests/support/terminal.h"

namespace nk::test {
namespace {

class BenchWindow : public Window {
  protected:
    BenchStation* station() {
        window_->setStation(6);
        settle();
        return window_->findChild<BenchStation*>();
    }
    /// Waits until all channels of the station have so many rows.
    static bool rows(const BenchStation* s, std::size_t channels, std::size_t n) {
        return QTest::qWaitFor(
            [&] {
                if (s->channels().size() < channels) return false;
                for (const auto& c : s->channels())
                    if (c->live().rows() < n) return false;
                return true;
            },
            20000);
    }
};

TEST_F(BenchWindow, SaysWhatASourceIsWhileThereIsNone) {
    BenchStation* s = station();
    ASSERT_NE(s, nullptr);
    EXPECT_TRUE(s->isVisible());
    EXPECT_TRUE(part<QLabel>("benchEmpty")->isVisible());
    EXPECT_TRUE(part<QLabel>("benchCaution")->text().contains("no protection device"));
    EXPECT_EQ(s->helpPage(), "bench");
}

TEST_F(BenchWindow, WatchesTheSimulatedInstrumentAndKeepsIt) {
    if (!hasTerminals()) GTEST_SKIP() << "no /dev/pts on this machine";
    BenchStation* s = station();
    s->watchSimulated(60, 2, {"-dv:5mV"});
    ASSERT_TRUE(rows(s, 2, 15));
    const LiveChannel& heater = s->channels()[0]->live();
    EXPECT_EQ(heater.battery().chemistry, "nmc");
    EXPECT_NEAR(heater.voltage_V(), 12.5, 0.4);
    EXPECT_GT(heater.current_A(), 0.3);
    EXPECT_EQ(s->channels()[1]->title(), "Radio module 3");
    const auto strips = s->findChildren<ChannelStrip*>();
    ASSERT_EQ(strips.size(), 2);
    EXPECT_TRUE(strips[0]->findChild<QLabel*>("stripFigures")->text().contains("V"));
    // Large and back, by keyboard too.
    s->setLarge(true);
    EXPECT_FALSE(s->findChild<LiveLanes*>("liveLanes")->isVisible());
    s->setLarge(false);
    strips[1]->setFocus();
    QTest::keyClick(strips[1], Qt::Key_Return);
    EXPECT_TRUE(part<QLabel>("channelTitle")->text().startsWith("Radio module 3"))
        << part<QLabel>("channelTitle")->text().toStdString();
    // Ended: an ordinary recording.
    const auto before = window_->book().recordings()->size();
    QTest::mouseClick(part<QPushButton>("benchEnd"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return s->channels()[1]->over(); }, 10000));
    EXPECT_GT(s->channels()[1]->recording(), 0);
    settle();
    EXPECT_EQ(window_->book().recordings()->size(), before + 1);
    EXPECT_EQ(window_->book().unfinished()->size(), 1U) << "the other goes on";
    // Put away.
    QTest::mouseClick(part<QPushButton>("benchAway"), Qt::LeftButton);
    EXPECT_EQ(s->channels().size(), 1U);
    // The window closes: what runs is ended and kept.
    window_->close();
    openWindow();
    EXPECT_EQ(window_->book().recordings()->size(), before + 2);
    EXPECT_TRUE(window_->book().unfinished()->empty());
}

TEST_F(BenchWindow, AnAlarmStandsOnTopUntilItIsSeen) {
    if (!hasTerminals()) GTEST_SKIP() << "no /dev/pts on this machine";
    BenchStation* s = station();
    s->watchSimulated(60, 1, {});
    ASSERT_TRUE(rows(s, 1, 5));
    // A line that is dragged under the voltage calls at once.
    QTest::mouseClick(part<QPushButton>("benchLine"), Qt::LeftButton);
    auto* lanes = s->findChild<LiveLanes*>("liveLanes");
    ASSERT_TRUE(std::isfinite(lanes->voltageRule()));
    lanes->setFocus();
    for (int k = 0; k < 60; ++k) QTest::keyClick(lanes, Qt::Key_Down);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !s->channels()[0]->alarms().empty(); }, 20000));
    EXPECT_TRUE(
        QTest::qWaitFor([&] { return !s->findChildren<QPushButton*>("askSeen").isEmpty(); }, 5000));
    EXPECT_TRUE(part<QWidget>("benchAsks")->isVisible());
    QTest::mouseClick(s->findChildren<QPushButton*>("askSeen").front(), Qt::LeftButton);
    EXPECT_TRUE(
        QTest::qWaitFor([&] { return s->channels()[0]->live().alarms()[0].acknowledged; }, 2000));
    // Only the simulated instrument can be switched off from here.
    ASSERT_TRUE(s->channels()[0]->canStop());
    QTest::mouseClick(part<QPushButton>("benchStop"), Qt::LeftButton);
    EXPECT_TRUE(QTest::qWaitFor(
        [&] { return std::abs(s->channels()[0]->live().current_A()) < 0.05; }, 15000));
}

TEST_F(BenchWindow, AFileThatGrowsIsFollowed) {
    const QString file = path("grows.csv");
    QFile log(file);
    ASSERT_TRUE(log.open(QIODevice::WriteOnly | QIODevice::Unbuffered));
    log.write("Time (s);Voltage (V);Current (A)\n");
    int n = 0;
    const auto more = [&](int rows) {
        for (int k = 0; k < rows; ++k, ++n)
            log.write(
                QString("%1;%2;%3\n").arg(n).arg(3.6 + 0.001 * n, 0, 'f', 3).arg(1.0).toUtf8());
    };
    more(20);
    BenchStation* s = station();
    FeedWish wish;
    wish.source = file.toStdString();
    wish.title = "Grows";
    wish.book = window_->session().path();
    s->watch(wish, {});
    ASSERT_TRUE(rows(s, 1, 20));
    more(30);
    ASSERT_TRUE(rows(s, 1, 50));
    EXPECT_FALSE(s->channels()[0]->canStop());
    s->channels()[0]->finish();
    ASSERT_TRUE(QTest::qWaitFor([&] { return s->channels()[0]->over(); }, 10000));
    settle();
    EXPECT_EQ(window_->book().recordings()->front().samples, 50);
}

TEST_F(BenchWindow, ASourceThatIsNotThereSaysSo) {
    BenchStation* s = station();
    for (const char* source : {"/nowhere/at/all", "sim:nothing", "own-battery:/nowhere"}) {
        FeedWish wish;
        wish.source = source;
        wish.title = "x";
        wish.book = window_->session().path();
        s->watch(wish, {});
        ASSERT_TRUE(
            QTest::qWaitFor([&] { return !s->channels().back()->trouble().isEmpty(); }, 5000))
            << source;
    }
    // The dialog refuses rules that are none.
    s->askFor(SourceDialog::Kind::Serial);
    auto* dialog = window_->findChild<SourceDialog*>();
    ASSERT_NE(dialog, nullptr);
    dialog->findChild<QLineEdit*>("sourceText")->setText("/dev/nowhere");
    dialog->findChild<QLineEdit*>("sourceRules")->setText("stop:please");
    QTest::mouseClick(dialog->findChild<QPushButton*>("sourceGo"), Qt::LeftButton);
    EXPECT_TRUE(dialog->isVisible());
    EXPECT_TRUE(dialog->findChild<QLabel*>("sourceProblem")->isVisible());
    dialog->reject();
}

TEST_F(BenchWindow, WhatAnotherStartLeftUnfinishedIsTakenUp) {
    {
        LiveEntry left;
        left.title = "Left behind";
        left.source = "a line";
        left.header = kLiveHeader;
        left.details = R"({"pid": 999999999})";
        const auto id = *window_->book().beginLive(left);
        std::vector<LiveRow> all;
        for (int k = 0; k < 50; ++k) all.push_back({1'790'000'000.0 + k, 4, 1, 20});
        ASSERT_TRUE(window_->book().appendLive(id, liveLines(all)));
    }
    openWindow();
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->book().unfinished()->empty(); }, 10000));
    settle();
    ASSERT_EQ(window_->book().recordings()->size(), 1U);
    EXPECT_EQ(window_->book().recordings()->front().title, "Left behind");
}

}  // namespace
}  // namespace nk::test
