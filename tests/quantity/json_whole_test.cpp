// Numbers of JSON files from elsewhere that ought to be whole.
#include "quantity/json_whole.h"

#include <gtest/gtest.h>

#include "book/notes.h"
#include "cellmodel/scenario.h"
#include "history/kept_queue.h"
#include "history/ready_rule.h"

namespace nk {
namespace {

using nlohmann::json;

template <class Int>
std::optional<Int> read(const char* text) {
    try {
        return wholeOf<Int>(json::parse(text));
    } catch (const json::exception&) {
        return std::nullopt;
    }
}

TEST(WholeNumber, IsTakenHoweverItIsWritten) {
    EXPECT_EQ(read<int>("7"), 7);
    EXPECT_EQ(read<int>("-7"), -7);
    EXPECT_EQ(read<int>("7.0"), 7);
    EXPECT_EQ(read<int>("7e2"), 700);
    EXPECT_EQ(read<int>("2147483647"), 2147483647);
    EXPECT_EQ(read<int>("-2147483648"), std::numeric_limits<int>::min());
    EXPECT_EQ(read<std::size_t>("18446744073709551615"), std::numeric_limits<std::size_t>::max());
    EXPECT_EQ(read<std::int64_t>("-9223372036854775808"), std::numeric_limits<std::int64_t>::min());
    EXPECT_EQ(read<std::size_t>("9007199254740992.0"), std::size_t{1} << 53);
}

TEST(WholeNumber, IsRefusedWhereItIsNoneOrDoesNotFit) {
    for (const char* text :
         {"7.5", "1e308", "-1e308", "2147483648", "-2147483649", "9223372036854775807",
          "18446744073709551615", "3e9", "\"7\"", "null", "true", "[7]", "{}"})
        EXPECT_FALSE(read<int>(text)) << text;
    for (const char* text : {"-1", "-1.0", "1e19", "1e300", "0.5", "-9223372036854775808"})
        EXPECT_FALSE(read<std::size_t>(text)) << text;
    for (const char* text : {"9223372036854775808", "1e17", "-1e300"})
        EXPECT_FALSE(read<std::int64_t>(text)) << text;
    EXPECT_EQ(wholeIn(json::parse(R"({"a": 3})"), "a", 1), 3);
    EXPECT_EQ(wholeIn(json::parse(R"({"a": 3})"), "b", 1), 1);
    EXPECT_THROW(wholeIn(json::parse(R"({"a": "x"})"), "a", 1), json::exception);
}

TEST(WholeNumber, WildOnesInABookRefuseWhatTheyStandIn) {
    for (const char* wild : {"1e308", "-1e308", "1.5", "-3", "1e19"}) {
        const std::string n(wild);
        RecordingData data;
        std::vector<std::string> guesses;
        EXPECT_FALSE(readNotes(
            R"({"problems": [], "gaps": [], "repairs": [[)" + n + R"(, 0, 1.0, "spike"]]})", data,
            guesses))
            << wild;
        EXPECT_FALSE(
            readNotes(R"({"problems": [], "repairs": [], "gaps": [[)" + n + R"(, 1.0, false]]})",
                      data, guesses))
            << wild;
        EXPECT_FALSE(readNotes(R"({"problems": [], "repairs": [], "gaps": [], "cells": )" + n + "}",
                               data, guesses))
            << wild;
        EXPECT_FALSE(keptReadyIn(
            R"({"schema": "narrow-knee/ready-rule/1", "days": [true, false, false, false, false,
                false, false], "minute": )" +
            n + R"(, "from_soc": 0.2, "rate_C": 0.5, "present_min": [420, 1320]})"))
            << wild;
    }
}

TEST(ScenarioProgram, RepeatsThatNeverEndAreRefusedAtOnce) {
    const auto parse = [](const std::string& program) {
        return parseScenario(R"({"battery": {"chemistry": "nmc", "series": 1, "rated_Ah": 2},
                                 "program": )" +
                                 program + "}",
                             "odd.json");
    };
    ASSERT_TRUE(parse(R"([{"repeat": 3, "program": [{"do": "rest", "longest_s": 60}]}])"))
        << parse(R"([{"repeat": 3, "program": [{"do": "rest", "longest_s": 60}]}])").error().text();
    std::string nested = R"({"do": "rest", "longest_s": 60})";
    for (int k = 0; k < 5000; ++k) nested = R"({"repeat": 1, "program": [)" + nested + "]}";
    std::string empty = R"({"repeat": 10000, "program": []})";
    for (int k = 0; k < 5; ++k) empty = R"({"repeat": 10000, "program": [)" + empty + "]}";
    for (const std::string& program :
         {nested, empty, std::string(R"({"repeat": 1e9, "program": []})"),
          std::string(R"({"repeat": 2.5, "program": [{"do": "rest", "longest_s": 60}]})"),
          std::string(R"({"do": "rest", "longest_s": 60, "times": 2000000000})"),
          std::string(R"({"do": "rest", "longest_s": 60, "times": 0})"),
          std::string(R"({"repeat": 1000, "program": [{"do": "rest", "longest_s": 1,
                          "times": 5000}]})")}) {
        const auto read = parse("[" + program + "]");
        ASSERT_FALSE(read) << program.substr(0, 60);
        EXPECT_FALSE(read.error().accepted.empty());
    }
}

}  // namespace
}  // namespace nk
