// The Bench station in the real window with the simulated instrument on real pseudo-terminals.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QProcess>
#include <ctime>
#include <iostream>

#include "app/bench/bench_process.h"
#include "app/bench/bench_station.h"
#include "app/bench/channel_strip.h"
#include "app/bench/live_lanes.h"
#include "app/shelf/pad_dialog.h"
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
            kPatience_ms);
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
    ASSERT_TRUE(QTest::qWaitFor([&] { return !s->channels()[0]->alarms().empty(); }, kPatience_ms));
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

/// Another program writes a log with cells; a reading of a meter is noted beside it.
TEST_F(BenchWindow, AFileThatGrowsIsFollowedWithItsCells) {
    importCycle();
    const auto battery = window_->book().batteries()->front().id;
    const QString file =
        writeLog("growing.csv", "time_s,voltage_V,current_A,cell_1_V,cell_2_V,cell_3_V\n");
    QFile growing(file);
    ASSERT_TRUE(growing.open(QIODevice::Append));
    int row = 0;
    const auto add = [&](int more) {
        for (int k = 0; k < more; ++k, ++row)
            growing.write(QString("%1,%2,1.000,3.950,%3,3.950\n")
                              .arg(row)
                              .arg(11.85 + 0.0005 * row, 0, 'f', 3)
                              .arg(3.95 + (row > 100 ? 0.2 : 0.0005 * row), 0, 'f', 3)
                              .toUtf8());
        growing.flush();
    };
    add(60);
    BenchStation* s = station();
    FeedWish wish;
    wish.source = file.toStdString();
    wish.title = "Followed";
    wish.batteryId = battery;
    wish.book = window_->session().path();
    s->watch(wish, {});
    ASSERT_TRUE(rows(s, 1, 60));
    add(100);
    ASSERT_TRUE(rows(s, 1, 160));
    // Cell 2 runs away: called.
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            for (const StandingAlarm& a : s->channels()[0]->alarms())
                if (a.code == "cells_apart") return true;
            return false;
        },
        10000));
    // The readings pad is at hand.
    ASSERT_TRUE(part<QPushButton>("benchPad")->isVisible());
    QTest::mouseClick(part<QPushButton>("benchPad"), Qt::LeftButton);
    auto* pad = window_->findChild<PadDialog*>();
    ASSERT_NE(pad, nullptr);
    EXPECT_TRUE(pad->isVisible());
    pad->reject();
    QTest::mouseClick(part<QPushButton>("benchEnd"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return s->channels()[0]->over(); }, 10000));
    settle();
    const auto id = s->channels()[0]->recording();
    ASSERT_GT(id, 0);
    const auto kept = window_->book().load(id);
    ASSERT_TRUE(kept);
    EXPECT_EQ((*kept)->size(), 160U);
    EXPECT_EQ((*kept)->cells_V().size(), 3U);
}

/// NK_BENCH_SECONDS for a measurement: what eight channels of ten rows a second cost, and how many
/// pictures a second the opened one gets.
TEST_F(BenchWindow, EightChannelsOfTenRowsASecond) {
    const char* asked = std::getenv("NK_BENCH_SECONDS");
    const double seconds = asked != nullptr ? std::atof(asked) : 2;
    BenchStation* s = station();
    std::vector<std::unique_ptr<QFile>> files;
    for (int k = 0; k < 8; ++k) {
        const QString file = writeLog(QString("channel-%1.csv").arg(k),
                                      "time_s,voltage_V,current_A,temperature_C\n0,3.6,1,20\n");
        files.push_back(std::make_unique<QFile>(file));
        ASSERT_TRUE(files.back()->open(QIODevice::Append));
        FeedWish wish;
        wish.source = file.toStdString();
        wish.title = "Channel " + std::to_string(k);
        wish.book = window_->session().path();
        s->watch(wish, {});
    }
    struct Paints : QObject {
        int count = 0;
        bool eventFilter(QObject*, QEvent* e) override {
            count += e->type() == QEvent::Paint ? 1 : 0;
            return false;
        }
    } paints;
    part<LiveLanes>("liveLanes")->installEventFilter(&paints);
    QElapsedTimer clock;
    clock.start();
    const std::clock_t cpu = std::clock();
    int row = 1;
    while (static_cast<double>(clock.elapsed()) < 1000 * seconds) {
        for (auto& f : files) {
            f->write(QString("%1,%2,1.000,%3\n")
                         .arg(0.1 * row, 0, 'f', 1)
                         .arg(3.6 + 0.00001 * row, 0, 'f', 4)
                         .arg(20 + 0.001 * row, 0, 'f', 1)
                         .toUtf8());
            f->flush();
        }
        ++row;
        QTest::qWait(std::max(1, static_cast<int>(100 * row - clock.elapsed())));
    }
    ASSERT_TRUE(rows(s, 8, static_cast<std::size_t>(row - 2)));
    const double took_s = static_cast<double>(clock.elapsed()) / 1000;
    const double used_s = static_cast<double>(std::clock() - cpu) / CLOCKS_PER_SEC;
    std::cout << "eight channels, " << row << " rows each in " << took_s
              << " s: " << 100 * used_s / took_s << " % of a core, " << paints.count / took_s
              << " pictures a second\n";
    EXPECT_GT(paints.count, 3);
}

TEST(BenchProcess, AnotherThatIsAtItIsToldFromOneThatIsGone) {
    EXPECT_TRUE(isThisProcess(processMark()));
    EXPECT_FALSE(anotherIsAtIt(processMark()));
    EXPECT_FALSE(anotherIsAtIt("{}"));
    EXPECT_FALSE(anotherIsAtIt("no json"));
    EXPECT_FALSE(anotherIsAtIt(R"({"pid": 999999999, "began": 3})"));
    QProcess other;
    other.start("sleep", {"30"});
    ASSERT_TRUE(other.waitForStarted());
    const std::string pid = std::to_string(other.processId());
    EXPECT_TRUE(anotherIsAtIt(R"({"pid": )" + pid + "}"));
    // The number is the same, the process is not.
    EXPECT_FALSE(anotherIsAtIt(R"({"pid": )" + pid + R"(, "began": 3})"));
    other.kill();
    other.waitForFinished();
    EXPECT_FALSE(anotherIsAtIt(R"({"pid": )" + pid + "}"));
}

TEST_F(BenchWindow, WhatAnotherStartLeftUnfinishedIsTakenUp) {
    {
        LiveEntry left;
        left.title = "Left behind";
        left.source = "a line";
        left.header = liveHeader();
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
