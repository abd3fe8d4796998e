// A log that grows is read as the whole of it would be, in any dialect, and its cost a row does not
// grow with its length.
#include "formats/growing_log.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

using namespace nk;

namespace {

/// Small figures, so that short logs leave the part that is read whole.
constexpr GrowingSizes kSmall{
    .whole = 6000, .head = 2000, .piece = 700, .most = std::size_t{1} << 28, .overlap = 12};

struct Feed {
    std::string text;
    GrowingLog log;
    std::vector<LiveRow> rows;
    int anew = 0, otherwise = 0;

    explicit Feed(GrowingSizes sizes = kSmall) : log("live.csv", {}, sizes) {}
    /// What stands there now is looked at.
    void look(bool over = false) {
        const auto more = log.take(
            [this](std::size_t from, std::size_t to) -> Expected<std::string> {
                return from >= text.size() ? std::string() : text.substr(from, to - from);
            },
            text.size(), over, 1000);
        if (log.beganAnew()) ++anew, rows.clear();
        otherwise += log.readOtherwise() ? 1 : 0;
        if (more) rows.insert(rows.end(), more->begin(), more->end());
    }
};

/// Up while it charges, down while it discharges.
double volts(int k) {
    return 3.6 + 0.0003 * (k < 900 ? k : 900 - 3 * (k - 900)) + 0.001 * (k % 3);
}
double amps(int k) {
    return k < 900 ? 0.5 + 0.001 * (k % 7) : -1.5;
}

std::string clockOf(int seconds) {
    return fmt::format("{:02}:{:02}:{:02}", seconds / 3600 % 24, seconds / 60 % 60, seconds % 60);
}

/// Line k of a dialect; −1: its titles.
using Dialect = std::string (*)(int);

const std::pair<const char*, Dialect> kDialects[] = {
    {"seconds",
     [](int k) {
         if (k < 0) return std::string("Time [s],Voltage [V],Current [A],Temperature [°C]\n");
         return fmt::format("{},{:.3f},{:.3f},{:.1f}\n", 10 * k, volts(k), amps(k), 20.0 + k % 5);
     }},
    {"dates, commas",
     [](int k) {
         if (k < 0) return std::string("Datum;Spannung (V);Strom (mA)\n");
         std::string v = fmt::format("{:.3f}", volts(k));
         v[v.find('.')] = ',';
         return fmt::format("2026-05-{:02} {};{};{:.0f}\n", 1 + 10 * k / 86400, clockOf(10 * k), v,
                            1000 * amps(k));
     }},
    {"a clock over many midnights",
     [](int k) {
         if (k < 0) return std::string("Clock\tU/V\tI/A\n");
         return fmt::format("{}\t{:.3f}\t{:.3f}\n", clockOf(80000 + 30 * k), volts(k), amps(k));
     }},
    {"with a preamble and cells",
     [](int k) {
         if (k < 0)
             return std::string(
                 "# a logger\n# serial 12\ntime_s,voltage_V,current_A,cell_1_V,cell_2_V\n");
         return fmt::format("{:.1f},{:.3f},{:.3f},{:.3f},{:.3f}\n", 2.5 * k, 2 * volts(k), amps(k),
                            volts(k) + 0.002, volts(k) - 0.002);
     }},
};

TEST(GrowingLog, ComesOutAsTheWholeInEveryDialect) {
    for (const auto& [name, line] : kDialects) {
        for (const int piece : {3, 90}) {
            Feed feed;
            feed.text = line(-1);
            for (int k = 0; k < 1500; ++k) {
                feed.text += line(k);
                // In the middle of a line, too.
                if (k % piece == 0) {
                    const std::string half = line(k + 1).substr(0, 5);
                    feed.text += half;
                    feed.look();
                    feed.text.resize(feed.text.size() - half.size());
                }
            }
            feed.look(true);
            EXPECT_FALSE(feed.log.readsAll()) << name;
            EXPECT_EQ(feed.anew, 0);
            const auto whole = readLog(feed.text, "live.csv");
            ASSERT_TRUE(whole) << name;
            const Recording& r = *whole->recording;
            ASSERT_EQ(feed.rows.size(), r.size()) << name << " " << piece;
            const double zero = std::isfinite(whole->startEpoch_s) ? whole->startEpoch_s : 1000.0;
            for (std::size_t k = 0; k < r.size(); ++k) {
                ASSERT_NEAR(feed.rows[k].at_s, zero + r.time_s()[k], 1e-4)
                    << name << " row " << k << " of " << piece;
                ASSERT_EQ(feed.rows[k].voltage_V, r.voltage_V()[k]);
                ASSERT_EQ(feed.rows[k].current_A, r.current_A()[k]);
                ASSERT_EQ(feed.rows[k].cells_V.size(), r.cells_V().size());
            }
        }
    }
}

TEST(GrowingLog, ItsCostARowDoesNotGrow) {
    const auto bytesFor = [](int rows) {
        Feed feed;
        feed.text = kDialects[0].second(-1);
        double half = 0;
        for (int k = 0; k < rows; ++k) {
            feed.text += kDialects[0].second(k);
            if (k % 10 == 9) feed.look();
            if (k == rows / 2) half = feed.log.bytesRead();
        }
        return std::pair(half, feed.log.bytesRead() - half);
    };
    const auto [first, second] = bytesFor(4000);
    EXPECT_LT(second, 1.1 * first);
}

TEST(GrowingLog, WhatMoreRowsReadOtherwiseIsGivenAnew) {
    // A current without a sign: the voltage tells it, and more of it tells otherwise.
    Feed feed;
    feed.text = "Time [s],Voltage [V],Current [A]\n";
    for (int k = 0; k < 900; ++k) {
        feed.text += fmt::format("{},{:.3f},{:.3f}\n", 10 * k,
                                 3.6 + 0.3 * std::sin(k / 200.0) + 0.001 * (k % 3), 0.5);
        if (k % 20 == 0) feed.look();
    }
    feed.look(true);
    const auto whole = readLog(feed.text, "live.csv");
    ASSERT_TRUE(whole);
    ASSERT_EQ(feed.rows.size(), whole->recording->size());
    EXPECT_EQ(feed.otherwise, feed.anew) << "the same bytes each time";
    for (std::size_t k = 0; k < feed.rows.size(); k += 10)
        EXPECT_EQ(feed.rows[k].current_A, whole->recording->current_A()[k]) << k;
}

TEST(GrowingLog, AnotherOrAShorterLogIsBegunAnew) {
    Feed feed;
    feed.text = kDialects[0].second(-1);
    for (int k = 0; k < 800; ++k) feed.text += kDialects[0].second(k);
    feed.look();
    EXPECT_EQ(feed.rows.size(), 800U);
    feed.text = kDialects[3].second(-1);
    for (int k = 0; k < 20; ++k) feed.text += kDialects[3].second(k);
    feed.look();
    EXPECT_EQ(feed.anew, 1);
    EXPECT_FALSE(feed.log.readOtherwise()) << "the rows before are nowhere else: they are kept";
    EXPECT_EQ(feed.rows.size(), 20U);
    EXPECT_EQ(feed.rows[0].cells_V.size(), 2U);
}

TEST(GrowingLog, AnotherLogOfTheSameSizeIsNotTakenForAnotherReading) {
    Feed feed;
    feed.text = kDialects[0].second(-1);
    for (int k = 0; k < 60; ++k) feed.text += kDialects[0].second(k);
    feed.look();
    ASSERT_EQ(feed.rows.size(), 60U);
    // Written over in place, and longer by now.
    feed.text = kDialects[0].second(-1);
    for (int k = 500; k < 600; ++k) feed.text += kDialects[0].second(k);
    feed.look();
    EXPECT_EQ(feed.anew, 1);
    EXPECT_FALSE(feed.log.readOtherwise());
    EXPECT_EQ(feed.rows.size(), 100U);
}

TEST(GrowingLog, WhatDoesNotComeOutAsBeforeIsReadWhole) {
    // Elapsed time that begins anew with every step, as some loggers write it.
    Feed feed;
    feed.text = "Step,Step time [s],Voltage [V],Current [A]\n";
    int row = 0;
    for (int step = 1; step < 40; ++step)
        for (int k = 0; k < 40; ++k, ++row) {
            feed.text += fmt::format("{},{},{:.3f},{:.3f}\n", step, 10 * k, volts(row),
                                     step % 2 == 1 ? 1.0 : -1.0);
            if (row % 25 == 0) feed.look();
        }
    feed.look(true);
    const auto whole = readLog(feed.text, "live.csv");
    if (!whole) return;  // not a log for the reader at all
    EXPECT_EQ(feed.rows.size(), whole->recording->size());
    // A log in two bytes a letter or packed is never cut.
    GrowingLog packed("x.csv", {}, kSmall);
    const auto none = packed.take(
        [](std::size_t, std::size_t) -> Expected<std::string> { return std::string("PK\x03\x04"); },
        4, true, 0);
    EXPECT_FALSE(none);
    EXPECT_EQ(packed.rows(), 0U);
}

TEST(GrowingLog, AFaultOfTheDiskLosesNothing) {
    Feed feed;
    feed.text = kDialects[0].second(-1);
    for (int k = 0; k < 600; ++k) feed.text += kDialects[0].second(k);
    feed.look();
    ASSERT_EQ(feed.rows.size(), 600U);
    for (int k = 600; k < 620; ++k) feed.text += kDialects[0].second(k);
    const auto broken = feed.log.take(
        [](std::size_t, std::size_t) -> Expected<std::string> {
            return fail(ErrorKind::Unreadable, "The disk does not answer.");
        },
        feed.text.size(), false, 0);
    EXPECT_FALSE(broken);
    feed.look();
    EXPECT_EQ(feed.rows.size(), 620U);
}

}  // namespace
