// Tables of cycles as people and test benches keep them: dialects, units, counters that begin
// again, two batteries in one table, days.
#include "history/cycle_table.h"

#include <gtest/gtest.h>

#include <fmt/format.h>

#include <cmath>

#include "history/fade_report.h"
#include "history/habit_file.h"
#include "history/habits_of.h"

using namespace nk;

namespace {

Expected<CycleTable> read(const std::string& text, double rated = 0, const std::string& cell = {}) {
    const auto plain = readPlainTable(text, "cycles.csv");
    EXPECT_TRUE(plain) << plain.error().text();
    if (!plain) return tl::unexpected<Error>(plain.error());
    return readCycles(*plain, rated, cell);
}

/// The same forty cycles in a dialect: a title line and how a row is written.
template <class Row>
std::string rows(const std::string& titles, const Row& row, int count = 40) {
    std::string out = titles + "\n";
    for (int n = 1; n <= count; ++n) out += row(n, 2.5 - 0.005 * n) + "\n";
    return out;
}

TEST(CycleTables, DialectsOfOneTableSayTheSame) {
    const std::pair<const char*, std::string> dialects[] = {
        {"plain",
         rows("cycle,capacity_Ah", [](int n, double c) { return fmt::format("{},{:.4f}", n, c); })},
        {"mAh", rows("Cycle Number\tDischarge Capacity (mAh)",
                     [](int n, double c) { return fmt::format("{}\t{:.1f}", n, 1000 * c); })},
        {"charge beside",
         rows("Cycle Index,Charge Capacity (Ah),Discharge Capacity (Ah)",
              [](int n, double c) { return fmt::format("{},{:.4f},{:.4f}", n, c + 0.03, c); })},
        {"German", rows("Zyklus;Entladekapazität [mAh];Temperatur",
                        [](int n, double c) {
                            auto text = fmt::format("{};{:.1f};21,5", n, 1000 * c);
                            text[text.find('.')] = ',';
                            return text;
                        })},
        {"French", rows("Cycle;Capacité décharge (Ah);Résistance (mΩ)",
                        [](int n, double c) { return fmt::format("{};{:.4f};{}", n, c, 20 + n); })},
        {"camel", rows("cycleNumber,dischargeCapacity_mAh",
                       [](int n, double c) { return fmt::format("{},{:.1f}", n, 1000 * c); })},
        {"short",
         rows("cyc,Qc,Qd",
              [](int n, double c) { return fmt::format("{},{:.4f},{:.4f}", n, c + 0.02, c); })},
        {"signed", rows("cycle,discharge Ah",
                        [](int n, double c) { return fmt::format("{},{:.4f}", n, -c); })},
        {"no number of the cycle", rows("capacity Ah,temperature",
                                        [](int, double c) { return fmt::format("{:.4f},21", c); })},
    };
    for (const auto& [name, text] : dialects) {
        const auto t = read(text);
        ASSERT_TRUE(t) << name << ": " << t.error().text();
        EXPECT_EQ(t->unit, "Ah") << name;
        ASSERT_EQ(t->capacity_Ah.size(), 40U) << name;
        EXPECT_NEAR(t->capacity_Ah[0], 2.495, 1e-3) << name;
        EXPECT_NEAR(t->capacity_Ah[39], 2.3, 1e-3) << name;
        EXPECT_EQ(t->cycle[39], 40) << name;
    }
}

TEST(CycleTables, ResistancesTemperaturesAndDaysAreFound) {
    const auto t =
        read(rows("date,cycle,capacity_Ah,IR (mOhm) resistance,temp C", [](int n, double c) {
            return fmt::format("2026-{:02d}-{:02d},{},{:.4f},{},{}", 1 + n / 28, 1 + n % 28, n, c,
                               20 + n, 15 + n % 9);
        }));
    ASSERT_TRUE(t) << t.error().text();
    ASSERT_EQ(t->resistance_ohm.size(), 40U);
    EXPECT_NEAR(t->resistance_ohm[0], 0.021, 1e-9);
    EXPECT_TRUE(t->dated);
    EXPECT_EQ(t->temperature_C[3], 19);
    const auto series = cycleSeries(*t, FadeOf::Capacity, FadeAxis::Days);
    ASSERT_TRUE(series);
    EXPECT_EQ(series->series.at.front(), 0);
    EXPECT_EQ(series->series.conditions.size(), 1U);
}

TEST(CycleTables, SharesOfTheFirstArePerCent) {
    for (const char* title : {"cycle,SOH", "cycle,capacity retention (%)"}) {
        const auto t = read(rows(
            title, [](int n, double c) { return fmt::format("{},{:.2f}", n, 100 * c / 2.5); }));
        ASSERT_TRUE(t);
        EXPECT_EQ(t->unit, "%") << title;
    }
    const auto share =
        read(rows("n,soh", [](int n, double c) { return fmt::format("{},{:.4f}", n, c / 2.5); }));
    ASSERT_TRUE(share);
    EXPECT_NEAR(share->capacity_Ah[0], 99.8, 0.01);
}

TEST(CycleTables, ACounterThatBeganAgainGoesOn) {
    std::string text = "cycle,capacity_Ah\n";
    for (int n = 1; n <= 50; ++n) text += fmt::format("{},{:.4f}\n", n, 2.5 - 0.005 * n);
    for (int n = 1; n <= 30; ++n) text += fmt::format("{},{:.4f}\n", n, 2.25 - 0.005 * n);
    const auto t = read(text);
    ASSERT_TRUE(t) << t.error().text();
    EXPECT_EQ(t->cycle.back(), 80);
    EXPECT_FALSE(t->notes.empty());
}

TEST(CycleTables, TwoBatteriesInOneTableAreRefused) {
    std::string text = "cycle,capacity_Ah\n";
    for (int n = 1; n <= 50; ++n) text += fmt::format("{},{:.4f}\n", n, 2.5 - 0.005 * n);
    for (int n = 1; n <= 50; ++n) text += fmt::format("{},{:.4f}\n", n, 2.48 - 0.004 * n);
    EXPECT_FALSE(read(text));
    std::string mixed = "cycle,capacity_Ah\n";
    for (int n = 1; n <= 50; ++n)
        mixed += fmt::format("{},{:.4f}\n{},{:.4f}\n", n, 2.5 - 0.005 * n, n, 2.4 - 0.006 * n);
    EXPECT_FALSE(read(mixed));
    std::string named = "cell,cycle,capacity_Ah\n";
    for (int n = 1; n <= 20; ++n)
        for (const char* cell : {"A1", "B2"}) named += fmt::format("{},{},{:.4f}\n", cell, n, 2.5);
    const auto refused = read(named);
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().text().find("A1, B2"), std::string::npos);
    const auto one = read(named, 0, "B2");
    ASSERT_TRUE(one);
    EXPECT_EQ(one->cycle.size(), 20U);
    EXPECT_FALSE(read(named, 0, "C3"));
}

TEST(CycleTables, WhatCannotBeIsSaidWithItsPlace) {
    EXPECT_FALSE(read("cycle,volts\n1,3\n2,3\n3,3\n"));
    EXPECT_FALSE(read("cycle,capacity_Ah\n"));
    EXPECT_FALSE(read("cycle,capacity_Ah\n1,x\n2,y\n"));
    const auto wrong =
        read(rows("cycle,capacity_Ah",
                  [](int n, double c) { return fmt::format("{},{:.3f}", n, 10 * c); }),
             2.5);
    ASSERT_FALSE(wrong);
    EXPECT_NE(wrong.error().text().find("cycles.csv"), std::string::npos);
    // One cell of nonsense costs its row, and is said.
    auto text =
        rows("cycle,capacity_Ah", [](int n, double c) { return fmt::format("{},{:.4f}", n, c); });
    text += "41,broken\n42,nan\n";
    const auto t = read(text);
    ASSERT_TRUE(t);
    EXPECT_NE(t->notes.back().find("line 42"), std::string::npos) << t->notes.back();
}

TEST(CycleTables, NewestFirstAndOutOfOrderArePutInOrder) {
    std::string back = "cycle,capacity_Ah\n";
    for (int n = 40; n >= 1; --n) back += fmt::format("{},{:.4f}\n", n, 2.5 - 0.005 * n);
    const auto t = read(back);
    ASSERT_TRUE(t);
    EXPECT_EQ(t->cycle.front(), 1);
    EXPECT_EQ(t->cycle.back(), 40);
}

TEST(FadeReports, EndsAreReadAndRefused) {
    FadeQuestion q;
    EXPECT_TRUE(readEnd("70%", q));
    EXPECT_NEAR(q.fraction, 0.7, 1e-12);
    EXPECT_TRUE(readEnd("1900mAh", q));
    EXPECT_NEAR(q.figure, 1.9, 1e-12);
    for (const char* bad : {"", "80", "0%", "120%", "2 bananas", "-80%", "nan"})
        EXPECT_FALSE(readEnd(bad, q)) << bad;
}

TEST(FadeReports, TheEndComesWithADay) {
    const auto t = read(rows(
        "date,cycle,capacity_Ah",
        [](int n, double c) {
            return fmt::format("2026-{:02d}-{:02d},{},{:.4f}", 1 + n / 28, 1 + n % 28, n, c);
        },
        60));
    ASSERT_TRUE(t);
    const auto report = fadeOf(*t, {});
    ASSERT_TRUE(report);
    // 2.5 − 0.005·n reaches 0.8·2.495 at cycle 100.8, a cycle a day from 2 January.
    EXPECT_NEAR(report->result.end.middle, 100.8, 0.5);
    EXPECT_NEAR(report->day.middle, t->day.front() + 99.8, 6);
    FadeQuestion label;
    label.ofLabel = true;
    EXPECT_FALSE(fadeOf(*t, label));
    label.rated_Ah = 2.6;
    const auto ofLabel = fadeOf(*t, label);
    ASSERT_TRUE(ofLabel);
    EXPECT_NEAR(ofLabel->result.end.middle, (2.5 - 0.8 * 2.6) / 0.005, 0.5);
}

TEST(CellDrift, IsALineWithItsInterval) {
    // 1 % of 4 Ah a month, scattered by 4 mAh, over a year.
    const double scatter[] = {1, -1, 0.5, -0.5, 1, -1};
    std::vector<double> day;
    std::vector<double> lost;
    for (int k = 0; k < 6; ++k) {
        day.push_back(60.0 * k);
        lost.push_back(0.05 + 0.04 * day.back() / (365.25 / 12) + 0.004 * scatter[k]);
    }
    const auto drift = cellDrift(day, lost, 4);
    ASSERT_TRUE(drift);
    EXPECT_LT(drift->low, 0.01);
    EXPECT_GT(drift->high, 0.01);
    EXPECT_LT(drift->high - drift->low, 0.002);
    EXPECT_FALSE(cellDrift({0, 10, 20, 25}, {0, 0, 0, 0}, 4)) << "under a month";
    EXPECT_FALSE(cellDrift({0, 40, 90}, {0, 0, 0}, 4)) << "three discharges";
    EXPECT_FALSE(cellDrift(day, lost, 0)) << "no rating";
}

TEST(HabitFiles, AreReadWrittenAndRefused) {
    const auto all = presetHabits(**findChemistry("nmc"));
    for (const Habit& h : all) {
        const auto back = readHabit(writeHabit(h), "x.json");
        ASSERT_TRUE(back) << back.error().text();
        EXPECT_EQ(back->habit.usesPerWeek, h.usesPerWeek);
        EXPECT_EQ(back->habit.pauses.size(), h.pauses.size());
        EXPECT_EQ(back->habit.charge, h.charge);
        EXPECT_NEAR(back->habit.useAt_h, h.useAt_h, 1e-9);
        EXPECT_TRUE(loadOf(h, **findChemistry("nmc")));
    }
    const auto few =
        readHabit(R"({"schema": "narrow-knee/habit-file/1", "dephth": 0.4})", "x.json");
    ASSERT_TRUE(few);
    EXPECT_EQ(few->unknown, std::vector<std::string>{"dephth"});
    EXPECT_GE(few->defaults.size(), 5U);
    for (const char* bad :
         {"", "[]", "{}", R"({"schema": "narrow-knee/habit-file/1", "depth": "deep"})",
          R"({"schema": "narrow-knee/habit-file/1", "charge": "sometimes"})",
          R"({"schema": "narrow-knee/habit-file/1", "ready_by": "25:00"})",
          R"({"schema": "narrow-knee/habit-file/1", "pauses": 3})",
          R"({"schema": "narrow-knee/habit-file/1", "pauses": [3]})"})
        EXPECT_FALSE(readHabit(bad, "x.json")) << bad;
}

}  // namespace
