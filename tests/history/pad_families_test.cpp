// The readings pad on families of lines: whatever a display shows, in any order, unit and decimal
// sign, comes back as what was meant; nothing that people may type ends the program or is dropped
// without a word.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "history/pad.h"

namespace nk {
namespace {

struct Kind {
    const char* kind;
    double low, high;  ///< as displays of packs show them
    std::vector<std::pair<const char*, double>> units;
    int decimals;  ///< of the first unit
};

const std::vector<Kind>& kinds() {
    static const std::vector<Kind> all = {
        {"charge", 0.5, 200, {{"Ah", 1}, {"mAh", 1e-3}, {"ah", 1}}, 2},
        {"energy", 1, 900, {{"Wh", 1}, {"mWh", 1e-3}, {"kWh", 1e3}}, 1},
        {"voltage", 1.1, 60, {{"V", 1}, {"mV", 1e-3}}, 2},
        {"resistance", 0.002, 0.9, {{"mΩ", 1e-3}, {"mohm", 1e-3}, {"Ω", 1}, {"ohm", 1}}, 1},
        {"duration", 60, 36000, {{"s", 1}, {"min", 60}}, 0},
    };
    return all;
}

struct Typed {
    std::string kind, text;
    double value, resolution;
};

Typed typed(std::mt19937& draw, const Kind& k, bool comma) {
    const auto& [unit, factor] = k.units[draw() % k.units.size()];
    const double value =
        std::exp(std::uniform_real_distribution<double>(std::log(k.low), std::log(k.high))(draw));
    // As many decimals as leave three digits or more.
    const int decimals =
        std::clamp(2 - static_cast<int>(std::floor(std::log10(value / factor))), 0, 6);
    std::string figure = fmt::format("{:.{}f}", value / factor, decimals);
    Typed out{k.kind, {}, std::stod(figure) * factor, factor * std::pow(10, -decimals)};
    if (comma) std::ranges::replace(figure, '.', ',');
    out.text = figure + (draw() % 2 == 0 ? " " : "") + unit;
    return out;
}

TEST(PadFamilies, EveryFigureOfALineComesBackWithItsLastDigit) {
    std::mt19937 draw(4);
    int asked = 0;
    for (int n = 0; n < 800; ++n) {
        const bool comma = draw() % 3 == 0;
        std::vector<Typed> line;
        for (const Kind& k : kinds())
            if (draw() % 2 == 0) line.push_back(typed(draw, k, comma));
        if (line.empty()) continue;
        std::ranges::shuffle(line, draw);
        const char* const separator = std::vector{" ", "  ", "; "}[draw() % 3];
        std::string text;
        for (const Typed& t : line) text += (text.empty() ? "" : separator) + t.text;
        const PadLine read = readPad(text, {});
        ASSERT_TRUE(read.problem.empty()) << text << ": " << read.problem;
        ASSERT_EQ(read.readings.size(), line.size()) << text;
        for (const Typed& t : line) {
            const auto found = std::ranges::find(read.readings, t.kind, &SpotReading::kind);
            ASSERT_NE(found, read.readings.end()) << text;
            EXPECT_NEAR(found->value, t.value, 1e-9 * t.value) << text;
            EXPECT_NEAR(found->resolution, t.resolution, 1e-6 * t.resolution) << text;
            ++asked;
        }
        EXPECT_GE(read.chips.size(), line.size()) << "what was understood is shown";
    }
    EXPECT_GT(asked, 1500);
}

TEST(PadFamilies, WhatIsWrittenReadsBackTheSame) {
    std::mt19937 draw(9);
    for (int n = 0; n < 600; ++n) {
        const Kind& k = kinds()[draw() % kinds().size()];
        SpotReading s;
        s.kind = k.kind;
        const bool ohms = s.kind == "resistance";
        const int decimals = static_cast<int>(draw() % 4);
        s.resolution = std::pow(10, -decimals) * (ohms ? 1e-3 : 1);
        const auto rounded = [&] {
            const double x = std::exp(
                std::uniform_real_distribution<double>(std::log(k.low), std::log(k.high))(draw));
            return std::max(1.0, std::round(x / s.resolution)) * s.resolution;
        };
        s.value = rounded();
        if (s.kind == "duration") s.resolution = 1, s.value = std::round(s.value) + 1;
        if (draw() % 3 == 0 && s.kind != "duration") {
            for (unsigned r = 0; r < 2 + draw() % 4; ++r) s.repeats.push_back(rounded());
            std::vector<double> sorted = s.repeats;
            std::ranges::sort(sorted);
            s.value = kNaN;  // a middle of the repeats, asked below
        }
        if (draw() % 2 == 0) s.temperature_C = static_cast<double>(draw() % 50) - 10;
        const std::string text = padText(s);
        const PadLine read = readPad(text, {});
        ASSERT_TRUE(read.problem.empty()) << text << ": " << read.problem;
        ASSERT_EQ(read.readings.size(), 1U) << text;
        const SpotReading& back = read.readings[0];
        EXPECT_EQ(back.kind, s.kind) << text;
        EXPECT_NEAR(back.resolution, s.resolution, 1e-6 * s.resolution) << text;
        ASSERT_EQ(back.repeats.size(), s.repeats.size()) << text;
        for (std::size_t r = 0; r < s.repeats.size(); ++r)
            EXPECT_NEAR(back.repeats[r], s.repeats[r], 1e-9) << text;
        if (s.repeats.empty()) {
            EXPECT_NEAR(back.value, s.value, 1e-9 * s.value) << text;
        } else {
            const auto [low, high] = std::ranges::minmax(s.repeats);
            EXPECT_GE(back.value, low - 1e-12) << text;
            EXPECT_LE(back.value, high + 1e-12) << text;
        }
        if (std::isfinite(s.temperature_C)) {
            EXPECT_EQ(back.temperature_C, s.temperature_C) << text;
        }
        EXPECT_EQ(padText(back), text) << "written again it is the same";
    }
}

TEST(PadFamilies, NothingThatIsTypedIsDroppedWithoutAWord) {
    const std::string pieces[] = {"12.3",
                                  "Ah",
                                  "V",
                                  "mΩ",
                                  "-",
                                  "+",
                                  ":",
                                  "3:59",
                                  "°C",
                                  "banana",
                                  ",",
                                  ";",
                                  "1e5",
                                  "0",
                                  "..",
                                  "\t",
                                  "Ω",
                                  "\xE2\x84\xA6",
                                  "−",
                                  "%",
                                  "kg",
                                  "44C",
                                  "5,20",
                                  "\"",
                                  "999999999999999999999",
                                  "\xFF",
                                  "(",
                                  ")",
                                  "A",
                                  "min"};
    std::mt19937 draw(2);
    int understood = 0;
    for (int n = 0; n < 6000; ++n) {
        std::string text;
        for (unsigned k = 0; k < 1 + draw() % 8; ++k)
            text += pieces[draw() % std::size(pieces)] + (draw() % 3 == 0 ? "" : " ");
        const PadLine read = readPad(text, {});
        const bool digits = std::ranges::any_of(text, [](char c) { return c >= '0' && c <= '9'; });
        if (digits && read.readings.empty()) {
            EXPECT_FALSE(read.problem.empty() && read.chips.empty()) << "[" << text << "]";
        }
        for (const SpotReading& s : read.readings) {
            EXPECT_TRUE(std::isfinite(s.value)) << "[" << text << "]";
            EXPECT_GE(s.resolution, 0) << "[" << text << "]";
            understood += read.problem.empty();
        }
    }
    EXPECT_GT(understood, 100);
}

TEST(PadFamilies, ATenthOrTenTimesTheRatingIsQuestionedAndNotChanged) {
    Battery b;
    b.chemistry = "lfp";
    b.series = 4;
    b.rated_Ah = 20;
    std::mt19937 draw(6);
    for (int n = 0; n < 200; ++n) {
        b.rated_Ah = std::uniform_real_distribution<double>(1, 100)(draw);
        const double good = b.rated_Ah * std::uniform_real_distribution<double>(0.75, 1.02)(draw);
        EXPECT_TRUE(readPad(fmt::format("{:.3f} Ah", good), b).questions.empty()) << good;
        const PadLine slip = readPad(fmt::format("{:.3f} Ah", 10 * good), b);
        EXPECT_FALSE(slip.questions.empty()) << 10 * good << " of " << b.rated_Ah;
        ASSERT_EQ(slip.readings.size(), 1U);
        EXPECT_NEAR(slip.readings[0].value, 10 * good, 1e-2) << "questioned, never changed";
    }
}

}  // namespace
}  // namespace nk
