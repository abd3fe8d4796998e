// The readings pad: what a display shows, in any order; slips are questioned, never changed.
#include "history/pad.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>

using namespace nk;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::Not;
using testing::SizeIs;

namespace {

Battery pack() {
    Battery b;
    b.chemistry = "lfp", b.series = 12, b.rated_Ah = 30;
    return b;
}

TEST(Pad, TheLineOfADisplayIsReadInAnyOrder) {
    for (const char* line :
         {"12.78 Ah 486.5 Wh 3:59 38.0 V 44 °C", "44°C 3:59 12.78Ah 38.0V 486.5Wh",
          "12,78 Ah; 486,5 Wh; 3:59; 38,0 V; 44 C"}) {
        const PadLine p = readPad(line, pack());
        EXPECT_THAT(p.problem, IsEmpty()) << line;
        EXPECT_THAT(p.questions, IsEmpty()) << line;
        ASSERT_THAT(p.readings, SizeIs(4)) << line;
        for (const SpotReading& s : p.readings) {
            EXPECT_EQ(s.temperature_C, 44);
            if (s.kind == "charge") {
                EXPECT_DOUBLE_EQ(s.value, 12.78);
                EXPECT_NEAR(s.resolution, 0.01, 1e-12);
            } else if (s.kind == "energy") {
                EXPECT_DOUBLE_EQ(s.value, 486.5);
                EXPECT_NEAR(s.resolution, 0.1, 1e-12);
            } else if (s.kind == "duration") {
                EXPECT_EQ(s.value, 3 * 3600 + 59 * 60);
                EXPECT_EQ(s.resolution, 60);
            } else {
                EXPECT_EQ(s.kind, "voltage");
                EXPECT_DOUBLE_EQ(s.value, 38.0);
            }
        }
        EXPECT_THAT(p.chips, SizeIs(5));
    }
}

TEST(Pad, RepeatsAreOneReading) {
    const PadLine p = readPad("288 260 261 258 mΩ", {});
    ASSERT_THAT(p.readings, SizeIs(1));
    EXPECT_THAT(p.readings[0].repeats, SizeIs(4));
    EXPECT_NEAR(p.readings[0].value, 0.261, 1e-12);
    EXPECT_NEAR(p.readings[0].resolution, 0.001, 1e-12);
    EXPECT_NEAR(readPad("0,26 Ω", {}).readings[0].value, 0.26, 1e-12);
    EXPECT_NEAR(readPad("260 mohm", {}).readings[0].value, 0.26, 1e-12);
}

TEST(Pad, SlipsAreQuestionedWithWhatWouldFit) {
    const auto question = [](const char* line) {
        const PadLine p = readPad(line, pack());
        EXPECT_THAT(p.problem, IsEmpty()) << line;
        EXPECT_THAT(p.questions, SizeIs(1)) << line;
        return p.questions.empty() ? std::string() : p.questions[0];
    };
    EXPECT_THAT(question("3.31 V"), HasSubstr("one cell"));
    EXPECT_THAT(question("3.84 V 5 A"), HasSubstr("38.4"));  // no LFP cell stands at 3.84 V
    EXPECT_THAT(question("384 V"), HasSubstr("decimal place"));
    EXPECT_THAT(question("27100 Ah"), HasSubstr("mAh"));
    EXPECT_THAT(question("271 Ah"), HasSubstr("counter"));
    EXPECT_THAT(question("27 Ah 103 Wh"), HasSubstr("decimal"));
    EXPECT_THAT(question("30 ohm"), HasSubstr("milliohms"));
    // The value stays what was typed.
    EXPECT_DOUBLE_EQ(readPad("3.31 V", pack()).readings[0].value, 3.31);
}

TEST(Pad, ARestedVoltageTellsTheChargeWithItsWidth) {
    Battery b;
    b.chemistry = "nmc", b.series = 10, b.rated_Ah = 10;
    const auto chip = [](const char* line, const Battery& of) {
        const PadLine p = readPad(line, of);
        return p.chips.empty() ? std::string() : p.chips[0];
    };
    EXPECT_THAT(chip("37.0 V", b), HasSubstr("% charged"));
    EXPECT_THAT(chip("37.0 V 5 A", b), Not(HasSubstr("charged"))) << "not at rest";
    EXPECT_THAT(chip("3.70 V", b), Not(HasSubstr("charged"))) << "a slip tells nothing";
    EXPECT_THAT(chip("37.0 V", {}), Not(HasSubstr("charged")));
    b.series = 0;
    EXPECT_THAT(chip("37.0 V", b), Not(HasSubstr("charged"))) << "of how many cells?";
}

TEST(Pad, WhatCannotBeReadIsSaidAndTheRestIsKept) {
    EXPECT_THAT(readPad("12.78 bananas", {}).problem, HasSubstr("bananas"));
    EXPECT_THAT(readPad("12.78", {}).problem, HasSubstr("without a unit"));
    EXPECT_THAT(readPad("", {}).problem, HasSubstr("no reading"));
    EXPECT_THAT(readPad("-3 V", {}).problem, HasSubstr("not above 0"));
    EXPECT_THAT(readPad("1.2.3 V", {}).readings, IsEmpty());
    EXPECT_THAT(readPad("4.1 V 5 furlongs", {}).readings, SizeIs(1));
    std::mt19937 random(2);
    const std::string letters = "0123456789.,:;- VAhmWΩ°C\xff\x01";
    for (int k = 0; k < 5000; ++k) {
        std::string line;
        for (int n = 0; n < 30; ++n) line.push_back(letters[random() % letters.size()]);
        for (const SpotReading& s : readPad(line, pack()).readings) {
            EXPECT_TRUE(std::isfinite(s.value));
            EXPECT_GT(s.value, 0);
        }
    }
}

TEST(Pad, PartsOfATestAreJoinedAndCountersThatWereNotResetTakenOff) {
    const auto sum = [](const char* line) {
        const PadLine p = readPad(line, {});
        EXPECT_EQ(p.problem, "") << line;
        return p.readings.empty() ? SpotReading{} : p.readings.front();
    };
    EXPECT_NEAR(sum("5.20 + 4.12 Ah").value, 9.32, 1e-12);
    EXPECT_NEAR(sum("5.20 + 4.12 Ah").resolution, 0.01 * std::sqrt(2.0), 1e-12);
    EXPECT_NEAR(sum("5.20 Ah + 412 mAh").value, 5.612, 1e-12);
    EXPECT_NEAR(sum("15.88 - 3.10 Ah").value, 12.78, 1e-12);
    EXPECT_NEAR(sum("15.88 Ah \u2212 3.10 Ah 30.0 V").value, 12.78, 1e-12);
    EXPECT_NEAR(sum("2:30 + 1:15").value, 3.75 * 3600, 1e-9);
    EXPECT_EQ(sum("288 260 261 mΩ").repeats.size(), 3u) << "without a sign they are repeats";
    for (const char* wrong : {"3.1 - 15.88 Ah", "+ 5 Ah", "5 Ah +", "5 + + 4 Ah", "30 V + 2 V",
                              "5 Ah + 30 V", "5 4 + 3 Ah", "5 Ah + 4"})
        EXPECT_NE(readPad(wrong, {}).problem, "") << wrong;
}

}  // namespace
