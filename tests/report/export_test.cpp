// Tables for other programs: nothing lost, nothing that a spreadsheet runs.
#include "report/export.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "formats/text_table.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

TEST(Export, CellsThatWouldRunAsAFormulaAreMadeHarmless) {
    // The dangerous first characters are those of the OWASP page on CSV injection (from memory).
    for (const char* start : {"=", "+", "-", "@", "\t", "\r"}) {
        const std::string cell = csvCell(std::string(start) + "cmd|' /C calc'!A0");
        EXPECT_NE(cell.find('\''), std::string::npos) << cell;
        EXPECT_EQ(cell.find_first_of("=+-@"), cell.find_first_of("=+-@", 1)) << cell;
    }
    EXPECT_EQ(csvCell("-3.5"), "-3.5") << "a number stays a number";
    EXPECT_EQ(csvCell("+1e-3"), "+1e-3");
    EXPECT_EQ(csvCell(""), "");
}

TEST(Export, QuotesAsRfc4180Asks) {
    EXPECT_EQ(csvCell("plain"), "plain");
    EXPECT_EQ(csvCell("a,b"), "\"a,b\"");
    EXPECT_EQ(csvCell("say \"full\""), "\"say \"\"full\"\"\"");
    EXPECT_EQ(csvCell("two\nlines"), "\"two\nlines\"");
}

TEST(Export, ARowOfTheClipboardKeepsItsCells) {
    EXPECT_EQ(tsvRow({"a\tb", "c\nd", "=1+1"}), "a b\tc d\t'=1+1\n");
    EXPECT_EQ(std::ranges::count(tsvRow({"", "", ""}), '\t'), 2);
}

TEST(Export, SamplesReadBackAreTheSameRecording) {
    const auto log = test::logged(test::lithiumCycle(R"({"noise_V": 0.001, "noise_A": 0.001})"));
    const Recording& before = *log.imported.recording;
    const auto read = readTextTable(samplesCsv(before), "again.csv");
    ASSERT_TRUE(read) << read.error().text();
    const Recording& after = *read->recording;
    ASSERT_EQ(after.size(), before.size());
    EXPECT_EQ(after.hasTemperature(), before.hasTemperature());
    for (std::size_t k = 0; k < before.size(); ++k) {
        ASSERT_NEAR(after.time_s()[k] - after.time_s()[0], before.time_s()[k] - before.time_s()[0],
                    1e-5)
            << k;
        ASSERT_NEAR(after.voltage_V()[k], before.voltage_V()[k], 1e-8) << k;
        ASSERT_NEAR(after.current_A()[k], before.current_A()[k], 1e-8) << k;
    }
}

TEST(Export, StepsAndReadingsHaveOneLineEach) {
    const auto log = test::logged(test::lithiumCycle());
    Battery battery;
    const Analysis a = analyse(*log.imported.recording, battery);
    const auto lines = [](const std::string& csv) {
        return static_cast<std::size_t>(std::ranges::count(csv, '\n'));
    };
    EXPECT_EQ(lines(stepsCsv(a)), a.steps.list.size() + 1);
    EXPECT_GT(a.readings.size(), 5u);
    EXPECT_EQ(lines(readingsCsv(a)), a.readings.size() + 1);
    // What was not measurable is an empty cell, never "nan".
    EXPECT_EQ(readingsCsv(a).find("nan"), std::string::npos);
}

}  // namespace
}  // namespace nk
