#include <gtest/gtest.h>

#include <algorithm>

#include "formats/importer.h"
#include "formats/text_table.h"
#include "tests/support/sim.h"

using namespace nk;

namespace {

/// Rows of a small charge in any dialect: 0, 10, 20, 30 s; 3.50 … 3.53 V; 1.5 A; 21 °C.
Imported good(const std::string& text, const ReadOptions& options = {}) {
    auto r = readTextTable(text, "log.csv", options);
    EXPECT_TRUE(r) << (r ? "" : r.error().text());
    return r ? std::move(*r) : Imported{};
}

void expectTheUsual(const Imported& log, const char* name) {
    ASSERT_TRUE(log.recording) << name;
    const Recording& r = *log.recording;
    ASSERT_EQ(r.size(), 4u) << name;
    for (std::size_t k = 0; k < 4; ++k) {
        EXPECT_NEAR(r.time_s()[k], 10.0 * static_cast<double>(k), 1e-6) << name;
        EXPECT_NEAR(r.voltage_V()[k], 3.50 + 0.01 * static_cast<double>(k), 1e-9) << name;
        EXPECT_NEAR(r.current_A()[k], 1.5, 1e-9) << name;
    }
}

}  // namespace

// Input → the same four rows. Extend the table with every dialect met in the wild.
TEST(TextTable, ReadsDialects) {
    const std::pair<const char*, std::string> cases[] = {
        {"plain",
         "Time [s],Voltage [V],Current [A]\n0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5\n"},
        {"no newline at the end",
         "time,voltage,current\n0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5"},
        {"carriage returns",
         "time,voltage,current\r\n0,3.50,1.5\r\n10,3.51,1.5\r\n20,3.52,1.5\r\n30,3.53,1.5\r\n"},
        {"byte order mark",
         "\xEF\xBB\xBFtime,voltage,current\n0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5\n"},
        {"semicolon and comma",
         "Zeit;Spannung;Strom\n0;3,50;1,5\n10;3,51;1,5\n20;3,52;1,5\n30;3,53;1,5\n"},
        {"tabs", "t\tU/V\tI/A\n0\t3.50\t1.5\n10\t3.51\t1.5\n20\t3.52\t1.5\n30\t3.53\t1.5\n"},
        {"millis",
         "Time(ms),Voltage(mV),Current(mA)\n0,3500,1500\n10000,3510,1500\n20000,3520,1500\n30000,"
         "3530,1500\n"},
        {"minutes",
         "t [min];V;A\n0;3.50;1.5\n0.1666666667;3.51;1.5\n0.3333333333;3.52;1.5\n0.5;3.53;1.5\n"},
        {"unit line",
         "Time,Voltage,Current\ns,V,A\n0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5\n"},
        {"unit line in brackets",
         "Time\tVoltage\tCurrent\n[s]\t[mV]\t[mA]"
         "\n0\t3500\t1500\n10\t3510\t1500\n20\t3520\t1500\n30\t3530\t1500\n"},
        {"preamble",
         "Logger 3\nFirmware: 1.2, build "
         "7\n\nTime,Voltage,Current\n0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5\n"},
        {"clock",
         "Time,V,A\n0:00:00,3.50,1.5\n0:00:10,3.51,1.5\n0:00:20,3.52,1.5\n0:00:30,3.53,1.5\n"},
        {"over midnight",
         "Time,V,A\n23:59:50,3.50,1.5\n00:00:00,3.51,1.5\n00:00:10,3.52,1.5\n00:00:20,3.53,1.5\n"},
        {"ISO 8601",
         "Timestamp,Voltage,Current\n2026-11-14T18:00:00.000Z,3.50,1.5\n2026-11-14T18:00:10.000Z,3."
         "51,1.5\n2026-11-14T18:00:20.000Z,3.52,1.5\n2026-11-14T18:00:30.000Z,3.53,1.5\n"},
        {"zone",
         "Timestamp,Voltage,Current\n2026-11-14T18:00:00+01:00,3.50,1.5\n2026-11-14T18:00:10+01:00,"
         "3.51,1.5\n2026-11-14T18:00:20+01:00,3.52,1.5\n2026-11-14T18:00:30+01:00,3.53,1.5\n"},
        {"date and clock",
         "Date,Time,Voltage,Current\n14.11.2026,18:00:00,3.50,1.5\n14.11.2026,18:00:10,3.51,1."
         "5\n14.11.2026,18:00:20,3.52,1.5\n14.11.2026,18:00:30,3.53,1.5\n"},
        {"date time in one, AM and PM",
         "Time,Voltage,Current\n11/14/2026 11:59:50 AM,3.50,1.5\n11/14/2026 12:00:00 "
         "PM,3.51,1.5\n11/14/2026 12:00:10 PM,3.52,1.5\n11/14/2026 12:00:20 PM,3.53,1.5\n"},
        {"epoch",
         "time,voltage,current\n1763143200,3.50,1.5\n1763143210,3.51,1.5\n1763143220,3.52,1."
         "5\n1763143230,3.53,1.5\n"},
        {"epoch in milliseconds",
         "time,voltage,current\n1763143200000,3.50,1.5\n1763143210000,3.51,1.5\n1763143220000,3.52,"
         "1.5\n1763143230000,3.53,1.5\n"},
        {"no header", "0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5\n"},
        {"quoted",
         "\"Time\",\"Voltage\",\"Current\"\n\"0\",\"3.50\",\"1.5\"\n\"10\",\"3.51\",\"1."
         "5\"\n\"20\",\"3.52\",\"1.5\"\n\"30\",\"3.53\",\"1.5\"\n"},
        {"units in the cells",
         "Time,Voltage,Current\n0 s,3.50 V,1500 mA\n10 s,3.51 V,1500 mA\n20 s,3.52 V,1500 mA\n30 "
         "s,3.53 V,1500 mA\n"},
        {"spare columns",
         "No,Time[s],Set "
         "current[A],Voltage[V],Current[A],Power[W]\n1,0,2,3.50,1.5,5.2\n2,10,2,3.51,1.5,5.2\n3,20,"
         "2,3.52,1.5,5.2\n4,30,2,3.53,1.5,5.2\n"},
        {"power instead of current",
         "Time[s],Voltage[V],Power[W]\n0,3.50,5.25\n10,3.51,5.265\n20,3.52,5.28\n30,3.53,5.295\n"},
        {"comment sign before the header",
         "# time,voltage,current\n0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5\n"},
        {"spaces",
         "time voltage current\n0   3.50 1.5\n10  3.51 1.5\n20  3.52 1.5\n30  3.53 1.5\n"},
        {"Latin-1",
         "Zeit;Spannung;Strom;Kapazit\xE4t\n0;3,50;1,5;0\n10;3,51;1,5;0,004\n20;3,52;1,5;0,008\n30;"
         "3,"
         "53;1,5;0,013\n"},
    };
    for (const auto& [name, text] : cases) expectTheUsual(good(text), name);
}

TEST(TextTable, Utf16) {
    const std::string plain =
        "time,voltage,current\n0,3.50,1.5\n10,3.51,1.5\n20,3.52,1.5\n30,3.53,1.5\n";
    std::string little = "\xFF\xFE", big = "\xFE\xFF";
    for (const char c : plain) {
        little += c, little += '\0';
        big += '\0', big += c;
    }
    expectTheUsual(good(little), "UTF-16 LE");
    expectTheUsual(good(big), "UTF-16 BE");
}

TEST(TextTable, IntervalAndMapAndSign) {
    ReadOptions o;
    o.interval_s = 10;
    o.map[Role::Voltage] = "b";
    o.map[Role::Current] = "3";
    o.sign = SignConvention::DischargePositive;
    expectTheUsual(good("a,b,c\nx,3.50,-1.5\ny,3.51,-1.5\nz,3.52,-1.5\nw,3.53,-1.5\n", o),
                   "mapped");
    o.map[Role::Voltage] = "nowhere";
    const auto bad = readTextTable("a,b,c\n1,3.50,-1.5\n2,3.51,-1.5\n3,3.52,-1.5\n", "log.csv", o);
    ASSERT_FALSE(bad);
    EXPECT_NE(bad.error().text().find("nowhere"), std::string::npos);
    EXPECT_NE(bad.error().accepted.find("'b'"), std::string::npos);
}

TEST(TextTable, BadRowsAreListedWithLineAndReason) {
    const Imported log = good(
        "Time [s],Voltage [V],Current [A],Temp "
        "[C]\n0,3.50,1.5,21\n10,abc,1.5,21\n20,3.52\n30,3.53,1.5,\n\n40,3.54,1.5,h"
        "ot\n50,3.55,nan,21\n60,3.56,1.5,2");
    EXPECT_EQ(log.rowsRead, 4);
    EXPECT_EQ(log.rowsSkipped, 3);
    const auto& problems = log.recording->problems();
    const auto has = [&](std::int64_t line, const char* kind, const char* words) {
        return std::any_of(problems.begin(), problems.end(), [&](const Problem& p) {
            return p.line == line && p.kind == kind && p.message.find(words) != std::string::npos;
        });
    };
    EXPECT_TRUE(has(3, "bad_row", "abc"));
    EXPECT_TRUE(has(4, "bad_row", "too few columns"));
    EXPECT_TRUE(has(7, "bad_cell", "hot"));
    EXPECT_TRUE(has(8, "bad_row", "nan"));
    EXPECT_TRUE(std::isnan(log.recording->temperature_C()[1]))
        << "a blank temperature is missing, not zero";
}

TEST(TextTable, TruncatedLastLine) {
    const Imported log = good(
        "Time [s],Voltage [V],Current [A],Temp "
        "[C]\n0,3.50,1.5,21\n10,3.51,1.5,21\n20,3.52,1.5,21\n30,3.5");
    EXPECT_EQ(log.rowsRead, 3);
    ASSERT_FALSE(log.recording->problems().empty());
    EXPECT_EQ(log.recording->problems().back().kind, "truncated_line");
}

TEST(TextTable, RestartsRepeatsAndDisorder) {
    const Imported restart = good(
        "time,voltage,current\n0,3.50,1\n1,3.51,1\n2,3.52,1\ntime,voltage,current\n0,3.53,1\n1,3."
        "54,1\n2,3.55,1\n");
    EXPECT_EQ(restart.rowsRead, 6);
    EXPECT_EQ(restart.rowsSkipped, 0);
    EXPECT_NEAR(restart.recording->time_s()[3], 3, 1e-9) << "time goes on one usual interval later";
    ASSERT_EQ(restart.recording->gaps().size(), 1u);
    EXPECT_TRUE(restart.recording->gaps()[0].restart);

    const Imported disorder =
        good("time,voltage,current\n0,3.50,1\n1,3.51,1\n3,3.53,1\n2,3.52,1\n4,3.54,1\n5,3.55,1\n");
    EXPECT_NEAR(disorder.recording->voltage_V()[2], 3.52, 1e-9) << "moved to its place";

    const Imported repeats =
        good("time,voltage,current\n0,3.50,1\n0,3.51,1\n1,3.52,1\n1,3.53,1\n2,3.54,1\n2,3.55,1\n");
    EXPECT_NEAR(repeats.recording->time_s()[1], 0.5, 1e-9)
        << "a clock coarser than the sampling is spread";
}

TEST(TextTable, SpikesAndDropOutsAreRepairedAndKept) {
    std::string text = "time,voltage,current\n";
    for (int k = 0; k < 100; ++k)
        text += std::to_string(k) + "," +
                (k == 50   ? "0.000"
                 : k == 70 ? "9.900"
                           : "3.70" + std::to_string(k % 3)) +
                "," + (k == 50 ? "0.0" : "1.5") + "\n";
    const Imported log = good(text);
    EXPECT_NEAR(log.recording->voltage_V()[50], 3.70, 0.01);
    EXPECT_NEAR(log.recording->current_A()[50], 1.5, 0.01);
    EXPECT_NEAR(log.recording->voltage_V()[70], 3.70, 0.01);
    EXPECT_EQ(log.recording->repairs().size(), 3u) << "the originals are kept";
}

TEST(TextTable, UnsignedCurrentWithModeWordsOrWithout) {
    const std::string base = nk::test::lithiumCycle(
        "{}", R"({"unsigned": true, "modes": ["Laden", "Entladen", "Pause"]})");
    const auto words = nk::test::logged(base);
    EXPECT_TRUE(words.imported.dialect.unsignedCurrent);
    const auto bare = nk::test::logged(nk::test::lithiumCycle("{}", R"({"unsigned": true})"));
    const auto plain = nk::test::logged(nk::test::lithiumCycle());
    ASSERT_EQ(words.imported.recording->size(), plain.imported.recording->size());
    for (std::size_t k = 0; k < plain.imported.recording->size(); k += 97) {
        EXPECT_NEAR(words.imported.recording->current_A()[k],
                    plain.imported.recording->current_A()[k], 0.003);
        EXPECT_NEAR(bare.imported.recording->current_A()[k],
                    plain.imported.recording->current_A()[k], 0.003);
    }
}

TEST(TextTable, ResultDoesNotDependOnThreads) {
    std::string text = "time,voltage,current\n";
    for (int k = 0; k < 700000; ++k)
        text += std::to_string(k) + ".5,3.7" + std::to_string(k % 10) + "," +
                (k % 50000 == 7 ? "bad" : "1.25") + "\n";
    ReadOptions one, three;
    one.threads = 1;
    three.threads = 3;
    const Imported a = good(text, one);
    const Imported b = good(text, three);
    ASSERT_EQ(a.rowsRead, 700000 - 14);
    ASSERT_EQ(a.recording->size(), b.recording->size());
    EXPECT_TRUE(std::equal(a.recording->voltage_V().begin(), a.recording->voltage_V().end(),
                           b.recording->voltage_V().begin()));
    ASSERT_EQ(a.recording->problems().size(), b.recording->problems().size());
    EXPECT_EQ(a.recording->problems().back().line, b.recording->problems().back().line);
    EXPECT_EQ(a.recording->problems().back().line % 50000, 9) << "line 2 is row 0";
}

TEST(TextTable, HopelessInputIsAClearError) {
    const std::pair<const char*, std::string> cases[] = {
        {"empty", ""},
        {"binary", std::string("\x7F"
                               "ELF\x02\x01\x01\0\0\0\0\0\0\0\0\x03\0\x3E\0",
                               20)},
        {"all zero bytes", std::string(4096, '\0')},
        {"prose", "Dear diary,\nthe battery was flat today.\nIt rained.\n"},
        {"one column", "voltage\n3.5\n3.6\n3.7\n"},
        {"header only", "time,voltage,current\n"},
        {"no current", "time [s],voltage [V]\n0,3.5\n1,3.6\n2,3.7\n"},
        {"no time", "voltage,current\n3.5,1\n3.6,1\n3.55,1\n"},
    };
    for (const auto& [name, text] : cases) {
        const auto r = readTextTable(text, "log.csv");
        ASSERT_FALSE(r) << name;
        EXPECT_FALSE(r.error().what.empty()) << name;
        EXPECT_NE(r.error().text().find("log.csv"), std::string::npos) << name;
        EXPECT_FALSE(r.error().accepted.empty()) << name;
    }
    EXPECT_FALSE(readLogFile("/nonexistent/log.csv"));
    EXPECT_NE(readLogFile("/tmp").error().what.find("folder"), std::string::npos);
    EXPECT_NE(readLogFile("/dev/null").error().what.find("device"), std::string::npos);
}

TEST(TextTable, CancellingLeavesNothing) {
    std::stop_source stop;
    stop.request_stop();
    const auto r = readTextTable("time,voltage,current\n0,3.5,1\n1,3.6,1\n", "log.csv", {}, {},
                                 stop.get_token());
    ASSERT_FALSE(r);
    EXPECT_EQ(r.error().kind, ErrorKind::Cancelled);
}

TEST(TextTable, ManyCellsAndTemperatures) {
    const Imported log = good(
        "Time(s),Pack "
        "Voltage(V),Current(A),Temp1(C),Temp2(C),Cell1(V),Cell2(V),Cell3(V)\n0,12.0,1,20,21,4.0,4."
        "0,4.0\n1,12.1,1,20,21,4.0,4.0,4.1\n2,12.2,1,20,21,4.0,4.1,4.1\n");
    EXPECT_EQ(log.recording->cells_V().size(), 3u);
    EXPECT_NEAR(log.recording->cells_V()[2][1], 4.1, 1e-9);
    EXPECT_EQ(log.recording->moreTemperatures_C().size(), 1u);
    EXPECT_NEAR(log.recording->voltage_V()[2], 12.2, 1e-9);
}

TEST(TextTable, TheTemperatureOfACellIsNoVoltageOfOne) {
    for (const char* title : {"t_cell1", "temp_cell1", "T cell 1"}) {
        std::string text = "timestamp|v_pack|i_pack|" + std::string(title) + "|t_ambient\n";
        for (int k = 0; k < 60; ++k)
            text += "2024-03-10T06:" + std::string(k < 10 ? "0" : "") + std::to_string(k) + ":00|" +
                    std::to_string(14.2 + 0.002 * k) + "|2.000|" +
                    std::to_string(21.5 + 0.1 * (k / 10)) + "|21.0\n";
        const Imported log = good(text);
        EXPECT_TRUE(log.recording->cells_V().empty()) << title;
        EXPECT_TRUE(log.recording->hasTemperature()) << title;
    }
}

TEST(TextTable, ARemarkIsNoRowOfTitlesWhereOneFollows) {
    std::string text =
        "# tester log\n# channel 1; cut-off 3.0 V, 1,3 A\n"
        "Time Current(A) Temperature(C) \"Cell 1 voltage(V)\" \"Cell 2 voltage(V)\"\n";
    for (int k = 0; k < 40; ++k)
        text += "0" + std::to_string(k / 6) + ":" + std::to_string(k % 6) + "0.0 1.000 22.0 3." +
                std::to_string(700 + k) + " 3." + std::to_string(690 + k) + "\n";
    const Imported log = good(text);
    EXPECT_EQ(log.dialect.headerLine, 3u);
    EXPECT_EQ(log.recording->cells_V().size(), 2u);
    // Alone, behind its mark, it is the row of titles.
    std::string marked = "#Time(s),Voltage(V),Current(A)\n";
    for (int k = 0; k < 20; ++k) marked += std::to_string(10 * k) + ",3.9,1.0\n";
    EXPECT_EQ(good(marked).dialect.headerLine, 1u);
}
