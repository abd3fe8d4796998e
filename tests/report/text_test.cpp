// The text of narrow-knee-cli analyse: a short log is told whole, a long one is summed up in lines
// that say how much they pass over.
#include "report/text.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <sstream>

#include "tests/support/sim.h"

namespace nk {
namespace {

using testing::HasSubstr;
using testing::Not;

/// Ten seconds of rest and ten of 2 A, in turns, with 40 mΩ and a slow fall.
RecordingPtr train(int pulses) {
    std::vector<double> t, v, i;
    for (int k = 0; k < 20 * pulses + 10; ++k) {
        const bool on = k % 20 >= 10;
        t.push_back(k);
        i.push_back(on ? -2.0 : 0.0);
        v.push_back(4.1 - 1e-5 * k - (on ? 0.08 : 0.0));
    }
    return test::recording(std::move(t), std::move(v), std::move(i));
}

Analysis analysed(const Recording& r) {
    Battery battery;
    battery.chemistry = "nmc";
    battery.series = battery.parallel = 1;
    battery.rated_Ah = 2.5;
    return analyse(r, battery);
}

std::vector<std::string> linesWith(const std::string& text, const std::string& part) {
    std::vector<std::string> out;
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);)
        if (line.find(part) != std::string::npos) out.push_back(line);
    return out;
}

TEST(Text, AShortLogIsToldWhole) {
    const auto log = train(5);
    const Analysis a = analysed(*log);
    ASSERT_EQ(a.steps.list.size(), 11U);
    const std::string text = analysisText(*log, a, "log.csv");
    EXPECT_EQ(linesWith(text, "discharge pulse").size(), 5U);
    EXPECT_EQ(linesWith(text, "Resistance after 1 s, step ").size(), 5U)
        << "each says of which step it is";
    EXPECT_EQ(text, analysisText(*log, a, "log.csv", true)) << "nothing is left to tell";
    EXPECT_THAT(text, Not(HasSubstr("--full")));
}

TEST(Text, ALongLogSaysHowMuchItPassesOver) {
    const auto log = train(300);
    const Analysis a = analysed(*log);
    const std::size_t steps = a.steps.list.size();
    ASSERT_EQ(steps, 601U);
    const std::string text = analysisText(*log, a, "log.csv");
    // 25 at the start and 5 at the end are told, the rest is counted: 571 from a pulse to a pulse.
    EXPECT_THAT(linesWith(text, " to ").size(), testing::Lt(60U));
    const auto more = linesWith(text, "571 more");
    ASSERT_EQ(more.size(), 1U);
    EXPECT_THAT(more[0], HasSubstr("286 × discharge pulse"));
    EXPECT_THAT(more[0], HasSubstr("285 × rest"));
    EXPECT_THAT(more[0], HasSubstr("--full"));
    // 286 pulses of 10 s at 2 A: 1.589 Ah.
    EXPECT_THAT(more[0], HasSubstr("1.58"));
    EXPECT_EQ(linesWith(text, "  600  ").size(), 1U) << "the last step is told";
    // One line for all resistances of a name, about the true 40 mΩ.
    const auto one = linesWith(text, "Resistance, first sample");
    ASSERT_EQ(one.size(), 1U);
    EXPECT_THAT(one[0], HasSubstr("300 steps: 40.0"));
    EXPECT_THAT(one[0], HasSubstr("mΩ in the middle of"));
    const auto never = linesWith(text, "Resistance after 30 s");
    ASSERT_EQ(never.size(), 1U);
    EXPECT_THAT(never[0], HasSubstr("not measurable. --full tells why."));
    EXPECT_LT(text.size(), 10000U);
}

TEST(Text, TheFullListHasEveryStepAndReading) {
    const auto log = train(300);
    const Analysis a = analysed(*log);
    const std::string text = analysisText(*log, a, "log.csv", true);
    EXPECT_EQ(linesWith(text, "discharge pulse").size(), 300U);
    EXPECT_EQ(linesWith(text, "  rest; ended").size(), 301U);
    const auto named = [&](const char* name) {
        return static_cast<std::size_t>(std::ranges::count(a.readings, name, &Reading::name));
    };
    EXPECT_EQ(linesWith(text, "Resistance after 1 s, step ").size(), named("resistance_1s"));
    EXPECT_EQ(linesWith(text, "Resistance after 30 s, step ").size(), named("resistance_30s"));
    EXPECT_THAT(text, Not(HasSubstr(" more, to ")));
}

TEST(Text, TimesHaveNoMiddle) {
    // Twenty charges with a knee each: from the first to the last knee.
    const auto log = train(20);
    Analysis a = analysed(*log);
    const std::vector<double> knees = {600,   4200,  7800,  11400, 15000, 18600, 22200,
                                       25800, 29400, 33000, 36600, 40200, 43800};
    for (const double at : knees) {
        Reading r;
        r.name = "knee_time", r.unit = "s", r.value = at, r.uncertainty = 1;
        a.readings.push_back(r);
    }
    Reading none;
    none.name = "knee_time", none.unit = "s";
    a.readings.push_back(none);
    const std::string text = analysisText(*log, a, "log.csv");
    const auto line = linesWith(text, "0:10:00 to 12:10:00");
    ASSERT_EQ(line.size(), 1U) << text;
    EXPECT_THAT(line[0], HasSubstr("14 steps"));
    EXPECT_THAT(line[0], HasSubstr("1 not measurable"));
    EXPECT_THAT(line[0], Not(HasSubstr("middle")));
}

}  // namespace
}  // namespace nk
