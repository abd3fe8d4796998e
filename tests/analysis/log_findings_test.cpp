// What a log itself is worth, from the text file to the sentence.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "analysis/analysis.h"
#include "formats/text_table.h"

namespace nk {
namespace {

using testing::HasSubstr;

/// Rows a second apart of a steady discharge; `time` gives the time of row k, s.
template <class Time>
std::string rows(int count, Time&& time) {
    std::string text = "Time (s),Voltage (V),Current (A)\n";
    for (int k = 0; k < count; ++k)
        text += fmt::format("{},{:.4f},{:.4f}\n", time(k), 4.0 - 1e-4 * k, -1.5 + 1e-4 * (k % 3));
    return text;
}

Analysis analysed(const std::string& text) {
    const auto read = readTextTable(text, "bench.csv");
    EXPECT_TRUE(read) << read.error().text();
    return analyse(*read->recording, {});
}

const Finding* find(const Analysis& a, const std::string& code) {
    const auto f = std::ranges::find(a.findings, code, &Finding::code);
    return f == a.findings.end() ? nullptr : &*f;
}

TEST(LogFindings, ACleanLogHasNoneOfThem) {
    const Analysis a = analysed(rows(2000, [](int k) { return k; }));
    for (const char* code : {"gaps", "logger_restart", "bad_rows", "counter_disagrees"})
        EXPECT_EQ(find(a, code), nullptr) << code;
}

TEST(LogFindings, GapsAreCountedAndTheLongestIsShown) {
    const Analysis one = analysed(rows(2000, [](int k) { return k < 900 ? k : k + 600; }));
    const Finding* f = find(one, "gaps");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->text, HasSubstr("One gap of 10\u202Fmin"));
    EXPECT_EQ(f->evidence.from_s, 899);
    EXPECT_EQ(f->evidence.to_s, 1500);

    const Analysis two =
        analysed(rows(2000, [](int k) { return k + (k < 500 ? 0 : 300) + (k < 1200 ? 0 : 1800); }));
    f = find(two, "gaps");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->text, HasSubstr("2 gaps"));
    EXPECT_NEAR(f->evidence.to_s - f->evidence.from_s, 1801, 1) << "the longer one is the evidence";
}

TEST(LogFindings, AClockThatBeginsAnewIsSaidWithWhatIsMissing) {
    const Analysis a = analysed(rows(2000, [](int k) { return k < 1000 ? k : k - 1000; }));
    const Finding* f = find(a, "logger_restart");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->advice, HasSubstr("charge moved meanwhile is missing"));
    EXPECT_EQ(find(a, "gaps"), nullptr) << "one cause, one finding";
}

TEST(LogFindings, RowsSetAsideAreCountedWithTheFirstLine) {
    std::string text = rows(1000, [](int k) { return k; });
    text.insert(text.find("\n500,") + 1, "wet,fish,soup\n");
    text += "1000,3.9";  // the last line was cut off
    const Analysis a = analysed(text);
    const Finding* f = find(a, "bad_rows");
    ASSERT_NE(f, nullptr);
    EXPECT_THAT(f->text, HasSubstr("2 rows"));
    EXPECT_THAT(f->text, HasSubstr("line 502"));
}

}  // namespace
}  // namespace nk
