// Tables whose words do not tell: what the samples say of each other decides, or the reader asks.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fmt/format.h>

#include <cmath>
#include <functional>

#include "formats/dialect.h"
#include "formats/header.h"
#include "formats/importer.h"

namespace nk {
namespace {

using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

/// A rest, a charge of 2 A for an hour and a rest, every 60 s: 1S, 2.5 Ah.
struct Sample {
    double t, v, a;
};
std::vector<Sample> charge() {
    std::vector<Sample> out;
    double soc = 0.05;
    for (int k = 0; k < 80; ++k) {
        const double a = k < 5 || k > 70 ? 0 : 2;
        soc += a * 60 / 3600 / 2.5;
        out.push_back({60.0 * k, 3.2 + 0.95 * soc + 0.04 * a, a});
    }
    return out;
}

std::string table(const std::string& header, const std::function<std::string(const Sample&)>& row) {
    std::string out = header.empty() ? "" : header + "\n";
    for (const Sample& s : charge()) out += row(s) + "\n";
    return out;
}

double chargeOf(const Imported& log) {
    const auto t = log.recording->time_s();
    const auto i = log.recording->current_A();
    double sum = 0;
    for (std::size_t k = 1; k < t.size(); ++k)
        sum += 0.5 * (i[k] + i[k - 1]) * (t[k] - t[k - 1]) / 3600;
    return sum;
}

BatteryHint cell() {
    BatteryHint h;
    h.lowest_V = 3.0, h.highest_V = 4.2, h.rated_Ah = 2.5;
    return h;
}

TEST(CrossExamination, PowerIsNoCurrentAndOneCellIsNoPack) {
    const auto power =
        readLog(table("t,V,P,A",
                      [](const Sample& s) {
                          return fmt::format("{},{:.3f},{:.3f},{:.3f}", s.t, s.v, s.v * s.a, s.a);
                      }),
                "p.csv");
    ASSERT_TRUE(power) << power.error().text();
    EXPECT_NEAR(chargeOf(*power), 2.2, 0.05);
    const auto only = readLog(
        table("Time (s),Voltage (V),Power (W)",
              [](const Sample& s) { return fmt::format("{},{:.3f},{:.3f}", s.t, s.v, s.v * s.a); }),
        "o.csv");
    ASSERT_TRUE(only);
    EXPECT_NEAR(chargeOf(*only), 2.2, 0.05);
    const auto cells =
        readLog(table("Czas(s),Napięcie ogniwa 1(V),Napięcie ogniwa 2(V),Prąd(A)",
                      [](const Sample& s) {
                          return fmt::format("{},{:.3f},{:.3f},{:.3f}", s.t, s.v, s.v + 0.01, s.a);
                      }),
                "c.csv");
    ASSERT_TRUE(cells);
    EXPECT_THAT(cells->recording->cells_V(), SizeIs(2));
    EXPECT_NEAR(cells->recording->voltage_V()[0], 2 * charge()[0].v + 0.01, 0.002);
}

TEST(CrossExamination, TwoColumnsOfOneDirectionEach) {
    for (const char* header :
         {"Time(s),Voltage(V),Charge current(A),Discharge current(A)",
          "Zeit(s),Spannung(V),Ladestrom(A),Entladestrom(A)",
          "Temps(s),Tension(V),Courant de charge(A),Courant de décharge(A)", "t,U,I chg,I dsg"}) {
        const auto log =
            readLog(table(header,
                          [](const Sample& s) {
                              return fmt::format("{},{:.3f},{:.3f},-0.000", s.t, s.v, s.a);
                          }),
                    "split.csv");
        ASSERT_TRUE(log) << header << log.error().text();
        EXPECT_NEAR(chargeOf(*log), 2.2, 0.05) << header;
    }
    ReadOptions o;
    o.map[Role::ChargeCurrent] = "4";
    o.map[Role::DischargeCurrent] = "3";
    const auto mapped = readLog(
        table("Time(s),Voltage(V),x,y",
              [](const Sample& s) { return fmt::format("{},{:.3f},0.000,{:.3f}", s.t, s.v, s.a); }),
        "m.csv", o);
    ASSERT_TRUE(mapped) << mapped.error().text();
    EXPECT_NEAR(chargeOf(*mapped), 2.2, 0.05);
}

TEST(CrossExamination, TwoCurrentsThatNeverFlowTogetherAreOne) {
    // A discharge, a rest and a charge; the names say both, one or none of the directions, in
    // whatever order the columns stand.
    const auto read = [](const std::string& header, bool chargeFirst, const char* blank) {
        std::string text = header + "\n";
        double soc = 0.9;
        for (int k = 0; k < 900; ++k) {
            const double a = k < 20 || k > 870 ? 0 : k < 400 ? -1.5 : k < 450 ? 0 : 1.2;
            soc += a * 10 / 3600 / 2.4;
            const std::string in = a > 0 ? fmt::format("{:.3f}", a) : blank;
            const std::string out = a < 0 ? fmt::format("{:.3f}", -a) : blank;
            text += fmt::format("{},{:.4f},{},{}\n", 10 * k, 3.2 + 0.95 * soc + 0.05 * a,
                                chargeFirst ? in : out, chargeFirst ? out : in);
        }
        return readLog(text, "two.csv");
    };
    struct Case {
        const char* header;
        bool chargeFirst;
    };
    for (const Case& c : {Case{"Tid(s),Spänning(V),Laddström(A),Urladdningsström(A)", true},
                          Case{"Tid,Spänning,Urladdningsström,Laddström", false},
                          Case{"Elapsed,Pack voltage,Charging,Discharging", true},
                          Case{"Time_s,Volts_V,Current in_A,Current out_A", true},
                          Case{"Time(s),Voltage(V),ChargeCurrent(A),DischargeCurrent(A)", true},
                          Case{"Time(s),Voltage(V),Current 1(A),Current 2(A)", true},
                          Case{"Time(s),Voltage(V),Current 1(A),Current 2(A)", false},
                          Case{"Time(s),Voltage(V),foo(A),bar(A)", false},
                          Case{"Time(s),Voltage(V),Current(A),Ladestrom(A)", false},
                          Case{"Aika (s),Jännite (V),Lataus (A),Purku (A)", true}})
        for (const char* blank : {"0.000", "", "nan"}) {
            const auto log = read(c.header, c.chargeFirst, blank);
            ASSERT_TRUE(log) << c.header << log.error().text();
            const auto i = log->recording->current_A();
            EXPECT_NEAR(i[200], -1.5, 0.01) << c.header << " '" << blank << "'";
            EXPECT_NEAR(i[600], 1.2, 0.01) << c.header << " '" << blank << "'";
        }
    // One that never flows proves nothing: the signs of the first stay, wherever they are.
    std::string idle = "Time(s),Voltage(V),Current(A),Fan current(A)\n";
    double soc = 0.2;
    for (int k = 0; k < 4000; ++k) {
        const double a = k < 3900 ? 0.5 : -2.0;
        soc += a * 5 / 3600 / 4;
        idle += fmt::format("{},{:.4f},{:.3f},0.000\n", 5 * k, 3.2 + 0.95 * soc + 0.05 * a, a);
    }
    const auto one = readLog(idle, "idle.csv");
    ASSERT_TRUE(one) << one.error().text();
    EXPECT_NEAR(one->recording->current_A()[100], 0.5, 0.01);
    EXPECT_NEAR(one->recording->current_A()[3950], -2.0, 0.01);
    // A second current that flows along is another's.
    const auto aux = readLog(
        table("Time(s),Voltage(V),Current(A),Fan current(A)",
              [](const Sample& s) { return fmt::format("{},{:.3f},{:.3f},0.2", s.t, s.v, s.a); }),
        "aux.csv");
    ASSERT_TRUE(aux) << aux.error().text();
    EXPECT_NEAR(chargeOf(*aux), 2.2, 0.05);
}

TEST(CrossExamination, StepsThatTheirDigitsCannotHoldTellTheUnitTheyWereMadeIn) {
    // Without a word of the battery: 5 s written as minutes are 0.0833 and 0.0834 by turns. Two,
    // five and eight samples a second are written evenly and stay seconds.
    const auto read = [](double interval_s, double unit_s, int digits) {
        std::string text = "Time,Voltage,Current\n";
        double soc = 0.95;
        const double capacity_Ah = std::max(2.4, interval_s / 2.5);
        for (int k = 0; k < 900; ++k) {
            const double a = k < 40 || k > 860 ? 0 : k / 50 % 2 == 0 ? -2 : -1;
            soc += a * interval_s / 3600 / capacity_Ah;
            text += fmt::format("{:.{}f},{:.4f},{:.3f}\n", interval_s * k / unit_s, digits,
                                3.2 + 0.95 * soc + 0.03 * a, a);
        }
        return readLog(text, "x.csv");
    };
    for (const double interval_s : {5.0, 10.0, 20.0, 40.0}) {
        const auto log = read(interval_s, 60, 4);
        if (!log) {  // asked for, never taken for seconds
            EXPECT_THAT(log.error().text(), HasSubstr("--unit time=min")) << interval_s;
            continue;
        }
        EXPECT_NEAR(log->recording->duration_s(), 899 * interval_s, 1) << interval_s;
    }
    const auto five = read(5, 60, 4);
    ASSERT_TRUE(five) << five.error().text();
    for (const double interval_s : {0.5, 0.2, 0.125, 1.0, 2.5}) {
        const auto log = read(interval_s, 1, 2);
        ASSERT_TRUE(log) << interval_s << log.error().text();
        EXPECT_NEAR(log->recording->duration_s(), 899 * interval_s, 0.1) << interval_s;
    }
}

TEST(CrossExamination, ACellThatIsMissingBetweenSpacesDoesNotShiftTheRow) {
    // Two spaces where a value should be: the values behind it keep their columns.
    int row = 0;
    const auto gaps = readLog(
        table("Time(s) Temp(C) Voltage(V) Current(A) R",
              [&](const Sample& s) {
                  return ++row % 9 == 4 ? fmt::format("{}  {:.3f} {:.3f} 31", s.t, s.v, s.a)
                                        : fmt::format("{} 24.5 {:.3f} {:.3f} 31", s.t, s.v, s.a);
              }),
        "gaps.txt");
    ASSERT_TRUE(gaps) << gaps.error().text();
    EXPECT_EQ(gaps->rowsSkipped, 0);
    EXPECT_NEAR(chargeOf(*gaps), 2.2, 0.05);
    EXPECT_TRUE(std::isnan(gaps->recording->temperature_C()[3]));
    EXPECT_NEAR(gaps->recording->voltage_V()[3], charge()[3].v, 1e-3);
    // Columns in line by many spaces: nobody knows which is missing, so the row is set aside.
    row = 0;
    const auto aligned = readLog(
        table("Time(s)   Temp(C)   Voltage(V)   Current(A)   R",
              [&](const Sample& s) {
                  return ++row % 20 == 4
                             ? fmt::format("{:7}          {:10.3f} {:12.3f}     31", s.t, s.v, s.a)
                             : fmt::format("{:7}  24.5    {:10.3f} {:12.3f}     31", s.t, s.v, s.a);
              }),
        "aligned.txt");
    ASSERT_TRUE(aligned) << aligned.error().text();
    EXPECT_EQ(aligned->rowsSkipped, 4);
    EXPECT_NEAR(chargeOf(*aligned), 2.2, 0.05);
    bool told = false;
    for (const Problem& p : aligned->recording->problems())
        told |= p.message.find("too few columns (4 of 5)") != std::string::npos;
    EXPECT_TRUE(told);
    // A word at the end of some rows is no column that the others lack.
    row = 0;
    const auto notes = readLog(table("Time(s) Temp(C) Voltage(V) Current(A) Note",
                                     [&](const Sample& s) {
                                         return fmt::format("{} 24.5 {:.3f} {:.3f}{}", s.t, s.v,
                                                            s.a, ++row % 3 == 1 ? " x" : "");
                                     }),
                               "notes.txt");
    ASSERT_TRUE(notes) << notes.error().text();
    EXPECT_EQ(notes->rowsSkipped, 0);
    EXPECT_NEAR(chargeOf(*notes), 2.2, 0.05);
}

TEST(CrossExamination, ATitleOfTwoWordsBetweenSpacesIsOneColumn) {
    for (const char* header : {"Time (s) Voltage (V) Current (A)",
                               "Time [s]  Voltage [V]  Current [A]", "t (s) U (V) I (A)"}) {
        const auto log = readLog(
            table(header,
                  [](const Sample& s) { return fmt::format("{} {:.3f} {:.3f}", s.t, s.v, s.a); }),
            "x.txt");
        ASSERT_TRUE(log) << header << log.error().text();
        EXPECT_NEAR(chargeOf(*log), 2.2, 0.05) << header;
        EXPECT_NEAR(log->recording->voltage_V()[10], charge()[10].v, 2e-3) << header;
    }
}

TEST(CrossExamination, ALongPreambleOfNumbersIsNotTheTable) {
    // 300 lines of three numbers before 80 rows of four, without a header: no word tells.
    for (const char* line : {"1;2;3\n", "0;0;0\n", "12;1.5;8\n"}) {
        std::string text;
        for (int k = 0; k < 300; ++k) text += line;
        text += table("", [](const Sample& s) {
            return fmt::format("{:.4f};{};{:.3f};24.0", s.a, 1609779398 + static_cast<int>(s.t),
                               s.v);
        });
        ReadOptions o;
        o.battery = cell();
        const auto log = readLog(text, "x.csv", o);
        ASSERT_TRUE(log) << line << log.error().text();
        EXPECT_NEAR(std::abs(chargeOf(*log)), 2.2, 0.05) << line;
        EXPECT_NEAR(log->recording->duration_s(), 79 * 60, 1) << line;
    }
}

TEST(CrossExamination, ARowNumberWithHolesIsNoTime) {
    int row = 0;
    const auto log =
        readLog(table("",
                      [&](const Sample& s) {
                          ++row;
                          return fmt::format("{}|{:.3f}|{}|{:.3f}|24.0",
                                             row % 17 == 5 ? "" : std::to_string(row), s.v,
                                             1609779398 + static_cast<int>(s.t), s.a);
                      }),
                "x.csv");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_NEAR(log->recording->duration_s(), 79 * 60, 1);
    EXPECT_NEAR(std::abs(chargeOf(*log)), 2.2, 0.05);
}

TEST(CrossExamination, TheVoltageIsWhatFollowsEveryJumpOfTheCurrent) {
    // A temperature of the same size as the voltage of three cells in a load that changes all the
    // time: it is never read as the voltage, at worst it is asked for.
    std::string text;
    double soc = 0.9;
    double warm = 10.4;
    for (int k = 0; k < 400; ++k) {
        const double a = k < 5 ? 0 : -0.065 * ((k * 7919 / 3) % 37) + (k % 5 == 0 ? 0.2 : 0);
        soc += a * 30 / 3600 / 4;
        warm += 0.02 * a * a - 0.004 * (warm - 10.4);
        text += fmt::format("{},{:.1f},{:.4f},{:.3f}\n", 30 * k, warm, a,
                            3 * (3.2 + 0.9 * soc + 0.05 * a));
    }
    ReadOptions o;
    o.battery.lowest_V = 9, o.battery.highest_V = 12.6, o.battery.rated_Ah = 4;
    const auto log = readLog(text, "x.csv", o);
    if (!log) {
        EXPECT_THAT(log.error().text(), HasSubstr("--map"));
        return;
    }
    EXPECT_NEAR(log->recording->voltage_V()[0], 3 * (3.2 + 0.9 * 0.9), 0.01);
}

TEST(CrossExamination, ATotalBelowTheTableAndStampsWithoutANameAreTime) {
    // A spreadsheet's days, seconds since 1970 every half minute, beside row numbers, with a line
    // of sums at the end.
    for (const bool days : {true, false}) {
        int row = 0;
        const std::string text =
            table("",
                  [&](const Sample& s) {
                      const std::string t = days
                                                ? fmt::format("{:.7f}", 44732.2382755 + s.t / 86400)
                                                : fmt::format("{:.0f}", 1609779398 + s.t);
                      return fmt::format("{};{:.2f};{};{:.3f}", ++row, s.v, t, s.a);
                  }) +
            "\nEnd of log\nTotal;1;270\n";
        ReadOptions o;
        o.battery = cell();
        const auto log = readLog(text, "x.csv", o);
        if (!log) {
            EXPECT_THAT(log.error().text(), HasSubstr(days ? "time in d" : "as time"));
            continue;
        }
        EXPECT_NEAR(log->recording->duration_s(), 79 * 60, 1);
    }
}

TEST(CrossExamination, ASpaceThatMarksThousandsPartsNoColumns) {
    const auto log =
        readLog(table("Tiempo [ms]\tVoltaje [mV]\tCorriente [A]\tModo",
                      [](const Sample& s) {
                          const int mV = static_cast<int>(std::lround(1000 * s.v));
                          return fmt::format("{:.0f}\t{} {:03}\t{:.3f}\t{}", 1000 * s.t, mV / 1000,
                                             mV % 1000, s.a, s.a > 0 ? "carga" : "reposo");
                      }),
                "x.tsv");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_NEAR(chargeOf(*log), 2.2, 0.05);
    EXPECT_NEAR(log->recording->voltage_V()[10], charge()[10].v, 2e-3);
}

TEST(CrossExamination, ARestingTemperatureIsNotTheVoltageThatMovedAllTheCharge) {
    // Six cells and 24 degrees: both could be the voltage, but it moved by a third of its range.
    const auto log = [] {
        std::string text;
        double soc = 0.05;
        for (int k = 0; k < 60; ++k) {
            const double a = k < 7 || k > 50 ? 0 : 0.63;
            soc += a * 240 / 3600 / 2.1;
            text += fmt::format("{:.1f}\t{:.4f}\t{:.3f}\t{:.1f}\n", 240.0 * k,
                                6 * (3.15 + 1.1 * soc + 0.1 * a), a, 24 + 0.003 * k);
        }
        ReadOptions o;
        o.battery.lowest_V = 18, o.battery.highest_V = 25.2, o.battery.rated_Ah = 2.1;
        return readLog(text, "x.csv", o);
    }();
    if (!log) {
        EXPECT_THAT(log.error().text(), HasSubstr("--map"));
        return;
    }
    EXPECT_LT(log->recording->voltage_V()[0], 20);
}

TEST(CrossExamination, AUnitThatNobodyWroteFollowsFromTheBattery) {
    ReadOptions o;
    o.battery = cell();
    // Minutes, without a word: in seconds no battery fills so fast.
    const auto minutes =
        readLog(table("Time,Voltage,Current",
                      [](const Sample& s) {
                          return fmt::format("{:.4f},{:.3f},{:.3f}", s.t / 60, s.v, s.a);
                      }),
                "min.csv", o);
    ASSERT_TRUE(minutes) << minutes.error().text();
    EXPECT_NEAR(minutes->recording->duration_s(), 79 * 60, 1);
    EXPECT_THAT(minutes->dialect.guesses, testing::Contains(HasSubstr("min")));
    const auto thousandths =
        readLog(table("Time,Voltage,Current",
                      [](const Sample& s) {
                          return fmt::format("{},{:.0f},{:.0f}", s.t, 1000 * s.v, 1000 * s.a);
                      }),
                "m.csv", o);
    ASSERT_TRUE(thousandths);
    EXPECT_NEAR(chargeOf(*thousandths), 2.2, 0.05);
    const auto serial = readLog(table("Timestamp,Voltage(V),Current(A)",
                                      [](const Sample& s) {
                                          return fmt::format("{:.7f},{:.3f},{:.3f}",
                                                             45041.9 + s.t / 86400, s.v, s.a);
                                      }),
                                "days.csv");
    ASSERT_TRUE(serial);
    EXPECT_NEAR(serial->recording->duration_s(), 79 * 60, 1);
    EXPECT_NEAR(serial->startEpoch_s, (45041.9 - 25569) * 86400, 1);
}

TEST(CrossExamination, MonthsAndDaysByTheNightBetweenThem) {
    std::string text = "Timestamp,Voltage(V),Current(A)\n";
    int k = 0;
    for (const Sample& s : charge()) {
        const int minute = 23 * 60 + 20 + k++;
        text += fmt::format("04/{:02}/2023 {:02}:{:02}:07,{:.3f},{:.3f}\n", 3 + minute / 1440,
                            minute / 60 % 24, minute % 60, s.v, s.a);
    }
    const auto log = readLog(text, "night.csv");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_NEAR(log->recording->duration_s(), 79 * 60, 1) << "no month of rest";
    ReadOptions o;
    o.dateOrder = DateOrder::DayMonthYear;
    EXPECT_GT(readLog(text, "night.csv", o)->recording->duration_s(), 20 * 86400)
        << "as it was told";
    // Within a day both fit and mean the same: said, not asked.
    std::string day = "Date,Clock,Voltage(V),Current(A)\n";
    k = 0;
    for (const Sample& s : charge())
        day +=
            fmt::format("04/03/2023,0{}:{:02}:00 PM,{:.3f},{:.3f}\n", 1 + k / 60, k % 60, s.v, s.a),
            ++k;
    const auto same = readLog(day, "day.csv");
    ASSERT_TRUE(same) << same.error().text();
    EXPECT_NEAR(same->recording->duration_s(), 79 * 60, 1);
    EXPECT_THAT(same->dialect.guesses,
                testing::Contains(HasSubstr("the day is taken to come first")));
}

TEST(CrossExamination, ATieIsAQuestionWithTheOptionThatDecides) {
    // 90 of something: amperes or milliamperes, and no battery that would tell.
    const std::string text = table("Time [s],Voltage [V],Current", [](const Sample& s) {
        return fmt::format("{},{:.3f},{:.0f}", s.t, 3.7 + 0.0001 * s.t, 45 * s.a);
    });
    const auto log = readLog(text, "tie.csv");
    if (!log) {
        EXPECT_EQ(log.error().kind, ErrorKind::ColumnsUnknown);
        EXPECT_THAT(log.error().accepted, HasSubstr("--unit current=A"));
        EXPECT_THAT(log.error().accepted, HasSubstr("--unit current=mA"));
    }
    const auto ways = readingWays(text, "tie.csv", {});
    ASSERT_THAT(ways, SizeIs(2));
    std::vector<double> charges;
    for (const ReadingChoice& way : ways)
        charges.push_back(chargeOf(*readLog(text, "tie.csv", way.options)));
    EXPECT_NEAR(std::max(charges[0], charges[1]) / std::min(charges[0], charges[1]), 1000, 1);
    ReadOptions known;
    known.battery = cell();
    EXPECT_THAT(readingWays(text, "tie.csv", known), IsEmpty()) << "a battery of 2.5 Ah tells";
    EXPECT_NEAR(chargeOf(*readLog(text, "tie.csv", known)), 0.099, 0.002);
}

TEST(CrossExamination, AKnownLoadGivesTheCurrentAndIsMarked) {
    const std::string text = table("Time (s),Voltage (V)", [](const Sample& s) {
        return fmt::format("{},{:.3f}", s.t, 4.1 - 0.0002 * s.t);
    });
    EXPECT_FALSE(readLog(text, "volts.csv"));
    for (const auto& [load, first] :
         {std::pair{"20W", -20 / 4.1}, std::pair{"5 A", -5.0}, std::pair{"8ohm", -4.1 / 8}}) {
        ReadOptions o;
        o.load = *parseLoad(load);
        o.battery = cell();
        const auto log = readLog(text, "volts.csv", o);
        ASSERT_TRUE(log) << load << log.error().text();
        EXPECT_NEAR(log->recording->current_A()[0], first, 1e-6) << load;
        EXPECT_EQ(log->recording->problems().front().kind, "derived_current");
    }
    for (const char* bad : {"", "5", "-5W", "W", "5V", "0A", "1e99W", "nanW"})
        EXPECT_FALSE(parseLoad(bad)) << bad;
}

TEST(CrossExamination, AClampMetersLogIsCurrentAlone) {
    const auto log =
        readLog(table("Time (s),Current (A)",
                      [](const Sample& s) { return fmt::format("{},{:.3f}", s.t, s.a); }),
                "clamp.csv");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_NEAR(chargeOf(*log), 2.2, 0.05);
    EXPECT_TRUE(std::isnan(log->recording->voltage_V()[5])) << "not known is not nought";
}

TEST(CrossExamination, PreamblesOfNumbersAndFootersOfTotalsAreNoRows) {
    std::string text;
    for (int k = 0; k < 300; ++k) text += "1,2,3\n";
    text += table("t,U,I", [](const Sample& s) {
        return fmt::format("{},{:.3f},{:.3f}", 1682458867 + s.t, s.v, s.a);
    });
    text += "End of log\nTotal,0,968\n";
    const auto log = readLog(text, "preamble.csv");
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_EQ(log->rowsRead, 80);
    EXPECT_NEAR(chargeOf(*log), 2.2, 0.05);
    EXPECT_NEAR(log->startEpoch_s, 1682458867, 1);
}

TEST(Header, WordsWithoutTheirAccentsAndLettersThatWereLost) {
    EXPECT_EQ(folded("Prąd Ładowania"), "prad ladowania");
    EXPECT_EQ(readHeaderCell("Napi?cie [V]").role, Role::Voltage);
    EXPECT_EQ(readHeaderCell("Pr?d").role, Role::Current);
    EXPECT_EQ(readHeaderCell("Godzina").role, Role::Time);
    EXPECT_EQ(readHeaderCell("Widerstand (mOhm)").role, Role::Resistance);
    EXPECT_EQ(readHeaderCell("T").role, Role::Temperature);
    EXPECT_EQ(readHeaderCell("t").role, Role::Time);
    EXPECT_EQ(readHeaderCell("Zellspannung 3").role, Role::Cell);
    EXPECT_EQ(readHeaderCell("Ladestrom/mA").direction, 1);
    for (const char* nothing : {"", "NaN", "#N/A", "-", "---", "OL", "null"})
        EXPECT_TRUE(isMissing(nothing)) << nothing;
    for (const char* something : {"0", "-0.000", "overload", "-1"})
        EXPECT_FALSE(isMissing(something)) << something;
}

}  // namespace
}  // namespace nk
