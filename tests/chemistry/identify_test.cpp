// Batteries recognised by their labels. What labels print: common practice, no source.
#include "chemistry/identify.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>

#include "chemistry/chemistry.h"

using namespace nk;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

namespace {

LabelFacts label(std::optional<double> nominal, std::optional<double> max = {},
                 std::optional<double> ah = {}, std::optional<double> wh = {},
                 std::optional<double> cells = {}, std::string words = {}) {
    return {nominal, max, std::nullopt, ah, wh, cells, std::move(words)};
}

bool nickel(const BatteryCandidate& c) {
    return (*findChemistry(c.chemistry))->nickel();
}

TEST(Identify, TheChecksOfTheTrade) {
    const auto pack = identifyBattery(label(38.4, 43.8, 30, 1152));
    ASSERT_TRUE(pack);
    EXPECT_EQ(pack->candidates.front().chemistry, "lfp");
    EXPECT_EQ(pack->candidates.front().series, 12);
    EXPECT_GT(pack->candidates.front().share, 0.9);
    EXPECT_THAT(pack->contradictions, IsEmpty());
    const auto six = identifyBattery(label(22.2));
    EXPECT_EQ(six->candidates.front().series, 6);
    EXPECT_FALSE(nickel(six->candidates.front()));
    const auto nimh = identifyBattery(label(7.2, {}, {}, {}, 6));
    EXPECT_TRUE(nickel(nimh->candidates.front()));
    EXPECT_EQ(nimh->candidates.front().series, 6);
    const auto two = identifyBattery(label(7.4, 8.4));
    EXPECT_EQ(two->candidates.front().series, 2);
    EXPECT_FALSE(nickel(two->candidates.front()));
}

TEST(Identify, SharesAreSortedAndSumToOneOrLess) {
    for (const double v : {1.2, 3.7, 7.2, 12.0, 14.4, 22.2, 36.0, 48.0, 51.2, 355.2}) {
        const auto found = identifyBattery(label(v));
        ASSERT_TRUE(found);
        double sum = 0;
        double last = 1;
        for (const BatteryCandidate& c : found->candidates) {
            EXPECT_LE(c.share, last);
            EXPECT_TRUE(findChemistry(c.chemistry));
            EXPECT_GE(c.series, 1);
            last = c.share;
            sum += c.share;
        }
        EXPECT_LE(sum, 1 + 1e-9);
        EXPECT_GT(sum, 0.5) << v;
    }
}

TEST(Identify, EveryKindOfEveryUsualCountIsFirstWithAllItsFigures) {
    for (const Chemistry& c : chemistries()) {
        const double nominal = c.printed.nominal_V.front();
        const double full = c.printed.full_V.front();
        for (const int n : {1, 2, 3, 4, 6, 7, 10, 12, 14, 16, 20}) {
            const auto round1 = [](double v) { return std::round(v * 10) / 10; };
            const double v = n == 1 ? nominal : round1(n * nominal);
            const auto found = identifyBattery(label(v, n == 1 ? full : round1(n * full), 5.0,
                                                     std::round(50 * n * nominal) / 10, n));
            ASSERT_TRUE(found);
            EXPECT_THAT(found->contradictions, IsEmpty()) << c.id << " " << n;
            EXPECT_EQ(found->candidates.front().series, n) << c.id;
            EXPECT_EQ(nickel(found->candidates.front()), c.nickel()) << c.id << " " << n;
            const auto own = std::ranges::find_if(found->candidates, [&](const auto& x) {
                return x.chemistry == c.id && x.series == n;
            });
            EXPECT_NE(own, found->candidates.end()) << c.id << " " << n << " is not even listed";
        }
    }
}

TEST(Identify, SlipsAreNamedWithTheTwoFieldsThatClash) {
    const auto only = [](const LabelFacts& f) {
        const auto found = identifyBattery(f);
        EXPECT_TRUE(found);
        EXPECT_EQ(found->contradictions.size(), 1u);
        return found->contradictions.empty() ? LabelContradiction{} : found->contradictions[0];
    };
    const auto milli = only(label(11.1, {}, 2200, 24.4));
    EXPECT_THAT(milli.fields, ElementsAre("ah", "wh"));
    EXPECT_THAT(milli.text, HasSubstr("milliampere-hours"));
    const auto place = only(label(3.7, {}, 2.6, 96.2));
    EXPECT_THAT(place.text, HasSubstr("decimal place"));
    const auto cell = only(label(38.4, 43.8, 30, 96));
    EXPECT_THAT(cell.fields, Contains("wh"));
    EXPECT_THAT(cell.text, HasSubstr("one of 12 cells"));
    const auto watts = only(label(22.2, {}, 5, 400));
    EXPECT_THAT(watts.text, HasSubstr("watts"));
    const auto full = only(label(22.2, 4.2));
    EXPECT_THAT(full.fields, ElementsAre("nominal", "max"));
    EXPECT_THAT(full.text, HasSubstr("one cell"));
    const auto swapped = only(label(25.2, 22.2 * 1.1));
    EXPECT_THAT(swapped.fields, ElementsAre("nominal", "max"));
    const auto alone = only(label(3.7, {}, 2600));
    EXPECT_THAT(alone.fields, Contains("ah"));
    const auto words = identifyBattery(label(11.1, 12.6, {}, {}, {}, "NiMH"));
    ASSERT_FALSE(words->contradictions.empty());
    EXPECT_THAT(words->contradictions[0].fields, Contains("words"));
    const auto count = identifyBattery(label(22.2, 25.2, {}, {}, 5));
    ASSERT_FALSE(count->contradictions.empty());
    EXPECT_THAT(count->contradictions[0].fields, Contains("cells"));
}

TEST(Identify, ALineOfTheLabelIsRead) {
    const LabelWords w = readLabel("LiPo 6S2P 22.2V 5000mAh 111Wh 30C, max. 25.2 V, 2026.03.01");
    EXPECT_EQ(w.series, 6);
    EXPECT_EQ(w.parallel, 2);
    EXPECT_NEAR(*w.figures.nominal_V, 22.2, 1e-9);
    EXPECT_NEAR(*w.figures.max_V, 25.2, 1e-9);
    EXPECT_NEAR(*w.figures.capacity_Ah, 5, 1e-9);
    EXPECT_NEAR(*w.figures.energy_Wh, 111, 1e-9);
    EXPECT_THAT(w.chemistries, Contains("lipo"));
    EXPECT_THAT(readLabel("12,8 V LiFePO4 100 Ah").chemistries, ElementsAre("lfp"));
    const auto round = identifyBattery(label({}, {}, {}, {}, {}, "12 V LiFePO4 100Ah 1280Wh"));
    EXPECT_EQ(round->candidates.front().chemistry, "lfp");
    EXPECT_EQ(round->candidates.front().series, 4);
    EXPECT_THAT(round->contradictions, IsEmpty());
}

TEST(Identify, NothingOrNoNumberIsWrongUsageAndAbsurdIsNot) {
    EXPECT_FALSE(identifyBattery({}));
    EXPECT_FALSE(identifyBattery(label(-3.7)));
    EXPECT_FALSE(identifyBattery(label(0.0)));
    EXPECT_FALSE(identifyBattery(label(std::nan(""))));
    EXPECT_TRUE(identifyBattery(label(1e9)));
    EXPECT_TRUE(identifyBattery(label({}, {}, 5e7)));
    std::mt19937 random(8);
    for (int k = 0; k < 600; ++k) {
        std::string words;
        for (int n = 0; n < 40; ++n) words.push_back(static_cast<char>(random() % 96 + 32));
        const double v = std::pow(10, static_cast<double>(random() % 1200) / 100 - 4);
        (void)identifyBattery({v, random() % 2 ? std::optional(v * 2) : std::nullopt, v / 3, v * 9,
                               v / 7, std::floor(v) + 1, words});
    }
}

}  // namespace
