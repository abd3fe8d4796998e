// Moments as loggers write them, against the C library's calendar: any date between 1971 and 2098
// in every usual order, with clocks of twelve and of twenty-four hours, fractions and zones.
#include "formats/time_text.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <ctime>
#include <iomanip>
#include <locale>
#include <random>
#include <sstream>

namespace nk {
namespace {

struct Moment {
    std::tm parts{};
    double epoch_s = 0;
};

Moment moment(std::mt19937_64& draw) {
    Moment m;
    m.epoch_s = static_cast<double>(
        std::uniform_int_distribution<std::int64_t>(31536000, 4070000000LL)(draw));
    const auto t = static_cast<std::time_t>(m.epoch_s);
    gmtime_r(&t, &m.parts);
    return m;
}

std::string text(const Moment& m, const char* format) {
    std::ostringstream out;
    out.imbue(std::locale::classic());
    out << std::put_time(&m.parts, format);
    return out.str();
}

struct Written {
    const char* format;  ///< of strftime
    DateOrder order;
    double step_s;  ///< what the text leaves out
};

void PrintTo(const Written& written, std::ostream* out) {
    *out << written.format;
}

class Dates : public testing::TestWithParam<Written> {};

TEST_P(Dates, AreTheMomentsOfTheCalendar) {
    std::mt19937_64 draw(3);
    TimeStyle style;
    style.shape = TimeShape::DateTime;
    style.order = GetParam().order;
    for (int n = 0; n < 300; ++n) {
        const Moment m = moment(draw);
        // Two digits of a year are of this century.
        if (std::string(GetParam().format).find("%y") != std::string::npos && m.parts.tm_year < 100)
            continue;
        const std::string written = text(m, GetParam().format);
        const auto read = parseDateTime(written, style);
        ASSERT_TRUE(read) << written;
        const double expected = GetParam().step_s * std::floor(m.epoch_s / GetParam().step_s);
        ASSERT_NEAR(*read, expected, 1e-6) << written;
    }
}

INSTANTIATE_TEST_SUITE_P(
    InEveryOrder, Dates,
    testing::Values(Written{"%Y-%m-%d %H:%M:%S", DateOrder::YearMonthDay, 1},
                    Written{"%Y-%m-%dT%H:%M:%S", DateOrder::YearMonthDay, 1},
                    Written{"%Y-%m-%dT%H:%M:%SZ", DateOrder::YearMonthDay, 1},
                    Written{"%Y/%m/%d %H:%M:%S", DateOrder::YearMonthDay, 1},
                    Written{"%Y.%m.%d %H:%M:%S", DateOrder::DayMonthYear, 1},
                    Written{"%Y-%m-%d %H:%M", DateOrder::YearMonthDay, 60},
                    Written{"%Y-%m-%d", DateOrder::YearMonthDay, 86400},
                    Written{"%d.%m.%Y %H:%M:%S", DateOrder::DayMonthYear, 1},
                    Written{"%d/%m/%Y %H:%M:%S", DateOrder::DayMonthYear, 1},
                    Written{"%d-%m-%Y %H:%M", DateOrder::DayMonthYear, 60},
                    Written{"%d.%m.%y %H:%M:%S", DateOrder::DayMonthYear, 1},
                    Written{"%m/%d/%Y %H:%M:%S", DateOrder::MonthDayYear, 1},
                    Written{"%m/%d/%Y %I:%M:%S %p", DateOrder::MonthDayYear, 1},
                    Written{"%m/%d/%y %I:%M %p", DateOrder::MonthDayYear, 60},
                    Written{"%d/%m/%Y %I:%M:%S %p", DateOrder::DayMonthYear, 1}));

TEST(TimeText, ZonesAndFractionsMoveTheMoment) {
    const TimeStyle style;
    const double noon = *parseDateTime("2026-05-01T12:00:00Z", style);
    EXPECT_EQ(noon, 1777636800);
    EXPECT_EQ(*parseDateTime("2026-05-01T14:00:00+02:00", style), noon);
    EXPECT_EQ(*parseDateTime("2026-05-01T14:00:00+0200", style), noon);
    EXPECT_EQ(*parseDateTime("2026-05-01T08:30:00-03:30", style), noon);
    EXPECT_EQ(*parseDateTime("2026-05-01 12:00:00", style), noon) << "without a zone it is UTC";
    EXPECT_NEAR(*parseDateTime("2026-05-01T12:00:00.250Z", style), noon + 0.25, 1e-6);
    EXPECT_NEAR(*parseDateTime("2026-05-01 12:00:00,250", style), noon + 0.25, 1e-6);
    EXPECT_NEAR(*parseDateTime(" \"2026-05-01 12:00:00\" ", style), noon, 1e-6) << "quoted";
}

TEST(TimeText, DaysAreTheCalendars) {
    std::mt19937_64 draw(8);
    for (int n = 0; n < 2000; ++n) {
        const Moment m = moment(draw);
        EXPECT_EQ(daysFromCivil(m.parts.tm_year + 1900, static_cast<unsigned>(m.parts.tm_mon + 1),
                                static_cast<unsigned>(m.parts.tm_mday)),
                  static_cast<long long>(std::floor(m.epoch_s / 86400)));
    }
    EXPECT_EQ(daysFromCivil(1970, 1, 1), 0);
    EXPECT_EQ(daysFromCivil(2000, 2, 29) + 1, daysFromCivil(2000, 3, 1));
    EXPECT_EQ(daysFromCivil(1900, 2, 28) + 1, daysFromCivil(1900, 3, 1)) << "1900 had no 29th";
}

TEST(TimeText, WhatIsNoDateIsNone) {
    const TimeStyle style;
    for (const char* cell : {"", "today", "12", "12:30", "2026-13-01 00:00:00", "2026-00-10",
                             "2026-02-30", "32.01.2026", "2026-05", "2026-05-01 25:61:00",
                             "2026-05-01 12:00:00 banana", "1.5", "-5", "2026-05-01x"})
        EXPECT_FALSE(parseDateTime(cell, style)) << cell;
}

TEST(TimeText, ClocksCountFromNought) {
    std::mt19937_64 draw(5);
    TimeStyle style;
    style.shape = TimeShape::Clock;
    for (int n = 0; n < 500; ++n) {
        const auto all = std::uniform_int_distribution<int>(0, 20 * 86400)(draw);
        const int days = all / 86400;
        const int h = all / 3600 % 24;
        const int m = all / 60 % 60;
        const int s = all % 60;
        const int thousandths = static_cast<int>(draw() % 1000);
        EXPECT_EQ(*parseClock(fmt::format("{}:{:02}:{:02}", h, m, s), style), all % 86400);
        EXPECT_EQ(*parseClock(fmt::format("{}:{:02}:{:02}", all / 3600, m, s), style), all)
            << "hours may go on past a day";
        EXPECT_NEAR(
            *parseClock(fmt::format("{:02}:{:02}:{:02}.{:03}", h, m, s, thousandths), style),
            all % 86400 + 0.001 * thousandths, 1e-9);
        EXPECT_NEAR(
            *parseClock(fmt::format("{:02}:{:02}:{:02},{:03}", h, m, s, thousandths), style),
            all % 86400 + 0.001 * thousandths, 1e-9);
        EXPECT_NEAR(
            *parseClock(fmt::format("{:02}:{:02}:{:02}:{:03}", h, m, s, thousandths), style),
            all % 86400 + 0.001 * thousandths, 1e-9);
        EXPECT_EQ(*parseClock(fmt::format("{}d {:02}:{:02}:{:02}", days, h, m, s), style), all);
        EXPECT_EQ(*parseClock(fmt::format("{} {:02}:{:02}:{:02}", days, h, m, s), style), all);
        EXPECT_EQ(*parseClock(fmt::format("{}.{:02}:{:02}:{:02}", days, h, m, s), style), all);
        const int twelve = h % 12 == 0 ? 12 : h % 12;
        EXPECT_EQ(*parseClock(fmt::format("{}:{:02}:{:02} {}", twelve, m, s, h < 12 ? "AM" : "PM"),
                              style),
                  all % 86400);
        EXPECT_EQ(
            *parseClock(fmt::format("{}:{:02}:{:02} {}", twelve, m, s, h < 12 ? "a.m." : "p.m."),
                        style),
            all % 86400);
        TimeStyle hours = style;
        hours.twoPartIsHours = true;
        EXPECT_EQ(*parseClock(fmt::format("{}:{:02}", h, m), hours), h * 3600 + m * 60);
        EXPECT_EQ(*parseClock(fmt::format("{}:{:02}", h, m), style), h * 60 + m);
    }
    for (const char* cell :
         {"", ":", "12", "1:60:00", "1:00:99", "a:b", "1:2:3:x", "12:30 XM", "--:--"})
        EXPECT_FALSE(parseClock(cell, style)) << cell;
}

}  // namespace
}  // namespace nk
