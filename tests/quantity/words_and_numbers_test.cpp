// What is shown can be read back, whatever the number, the unit, the language of the number and
// whoever typed it; and what cannot be read is refused as a whole.
#include <gtest/gtest.h>

#include <atomic>
#include <cmath>
#include <random>
#include <stdexcept>

#include "quantity/accuracy_text.h"
#include "quantity/extent.h"
#include "quantity/format.h"
#include "quantity/harmless.h"
#include "quantity/iso_time.h"
#include "quantity/two_threads.h"
#include "quantity/units.h"

namespace nk {
namespace {

/// Numbers of every size, of both signs, evenly in their logarithm.
std::vector<double> numbersOfEverySize(double from, double to, int count, unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> size(std::log(from), std::log(to));
    std::vector<double> out;
    for (int k = 0; k < count; ++k) out.push_back((k % 2 ? -1 : 1) * std::exp(size(random)));
    return out;
}

struct Shown {
    const char* unit;
    Quantity quantity;
    double from, to;
};
constexpr Shown kShown[] = {
    {"V", Quantity::Voltage, 1e-3, 900},     {"A", Quantity::Current, 1e-3, 900},
    {"Ah", Quantity::Charge, 1e-3, 900},     {"Wh", Quantity::Energy, 0.1, 9e4},
    {"ohm", Quantity::Resistance, 1e-4, 50}, {"W", Quantity::Power, 0.1, 9000},
};

TEST(ShownNumbers, AreReadBackToTheirDigits) {
    for (const Shown& shown : kShown)
        for (const double x : numbersOfEverySize(shown.from, shown.to, 400, 7)) {
            const std::string text = shortValue(x, shown.unit);
            const auto back = parseQuantity(text, shown.quantity);
            ASSERT_TRUE(back) << text << " of " << x << " " << shown.unit;
            // Three significant digits, or the last decimal that is written.
            EXPECT_NEAR(*back, x, std::max(0.006 * std::abs(x), 6e-5)) << text;
        }
}

TEST(ShownNumbers, WithACommaSayTheSame) {
    const NumberStyle comma{',', false, ChargeUnit::BySize};
    for (const Shown& shown : kShown)
        for (const double x : numbersOfEverySize(shown.from, shown.to, 100, 8)) {
            std::string text = shortValue(x, shown.unit, comma);
            EXPECT_EQ(text.find('.'), std::string::npos) << text;
            std::replace(text.begin(), text.end(), ',', '.');
            EXPECT_EQ(text, shortValue(x, shown.unit));
        }
}

TEST(ShownNumbers, HaveNoMoreDigitsThanTheirUncertaintyCarries) {
    for (const double x : numbersOfEverySize(1e-2, 500, 300, 9))
        for (const double share : {0.5, 0.1, 0.01, 1e-4}) {
            const double u = share * std::abs(x);
            const ValueText text = valueText(x, u, "V");
            ASSERT_FALSE(text.plusMinus.empty());
            const double scale = text.unit == "mV" ? 1e3 : 1;
            // Twice the standard uncertainty (GUM 6.2), rounded, never to nothing.
            const double shown = std::stod(text.plusMinus) / scale;
            EXPECT_GT(shown, 0) << text.joined();
            EXPECT_NEAR(shown, 2 * u, std::max(0.06 * 2 * u, 6e-7)) << text.joined();
            // The value and its ± end at the same digit.
            const auto decimals = [](const std::string& s) {
                const std::size_t point = s.find('.');
                return point == std::string::npos ? 0 : s.size() - point - 1;
            };
            EXPECT_EQ(decimals(text.value), decimals(text.plusMinus)) << text.joined();
        }
}

TEST(ShownNumbers, NothingIsADashAndNeverAWord) {
    for (const double x : {kNaN, double(INFINITY), -double(INFINITY)})
        for (const Shown& shown : kShown) {
            const std::string text = shortValue(x, shown.unit);
            EXPECT_EQ(text.find("nan"), std::string::npos) << text;
            EXPECT_EQ(text.find("inf"), std::string::npos) << text;
        }
}

TEST(Durations, KeepTheirOrderAndAreNearTheTime) {
    double before = -1;
    for (double seconds = 0; seconds < 3e7; seconds = seconds * 1.07 + 0.4) {
        const std::string clock = clockText(seconds);
        int h = 0, m = 0, s = 0;
        ASSERT_EQ(std::sscanf(clock.c_str(), "%d:%d:%d", &h, &m, &s), 3) << clock;
        EXPECT_LT(m, 60) << clock;
        EXPECT_LT(s, 60) << clock;
        const double read = 3600.0 * h + 60 * m + s;
        EXPECT_NEAR(read, seconds, 0.51) << clock;
        EXPECT_GE(read, before) << clock;
        before = read;
        EXPECT_FALSE(durationText(seconds).empty());
    }
}

TEST(Moments, ComeBackAndOthersAreNone) {
    std::mt19937_64 random(3);
    for (int k = 0; k < 2000; ++k) {
        const auto seconds = static_cast<double>(random() % 250'000'000'000ULL);
        const std::string text = isoTime(seconds);
        ASSERT_EQ(text.size(), 20U) << text;
        EXPECT_EQ(fromIsoTime(text), seconds) << text;
    }
    // ISO 8601 examples with their Unix times, from memory (0, the billennium, a leap day).
    EXPECT_EQ(fromIsoTime("1970-01-01"), 0);
    EXPECT_EQ(fromIsoTime("2001-09-09T01:46:40Z"), 1e9);
    EXPECT_EQ(fromIsoTime("2024-02-29T00:00"), fromIsoTime("2024-03-01") - 86400);
    for (const char* bad :
         {"", "soon", "2024", "2024-13-01", "2024-02-30", "2023-02-29", "2024-01-01T25:00",
          "2024-01-01T10:60", "2024-01-01 10:00 tea", "01.02.2024", "2024-1-1T1:1:1:1",
          "-2024-01-01", "99999-01-01", "2024-01-01T10:00+05:00x"})
        EXPECT_TRUE(std::isnan(fromIsoTime(bad))) << bad;
    EXPECT_EQ(isoTime(kNaN), "");
    EXPECT_EQ(isoTime(-1), "");
    EXPECT_EQ(isoTime(1e18), "");
}

TEST(AccuracyLines, ComeBackWhateverTheyHold) {
    std::mt19937 random(5);
    const auto share = [&] { return static_cast<double>(random() % 4000) / 1e5; };
    for (int k = 0; k < 300; ++k) {
        InstrumentAccuracy a;
        a.voltageGain = share(), a.currentGain = share();
        a.voltageOffsetSteps = static_cast<double>(random() % 9);
        a.currentOffsetSteps = static_cast<double>(random() % 9);
        a.temperature_C = 0.5 * static_cast<double>(1 + random() % 8);
        const std::string line = accuracyText(a);
        const auto back = parseAccuracy(line, "here");
        ASSERT_TRUE(back) << line << ": " << back.error().text();
        EXPECT_NEAR(back->voltageGain, a.voltageGain, 1e-9) << line;
        EXPECT_NEAR(back->currentGain, a.currentGain, 1e-9) << line;
        EXPECT_EQ(back->voltageOffsetSteps, a.voltageOffsetSteps) << line;
        EXPECT_EQ(back->currentOffsetSteps, a.currentOffsetSteps) << line;
        EXPECT_EQ(back->temperature_C, a.temperature_C) << line;
    }
    // What is left out keeps its usual figure.
    const auto half = parseAccuracy("A=2%", "here");
    ASSERT_TRUE(half);
    EXPECT_EQ(half->voltageGain, InstrumentAccuracy{}.voltageGain);
    EXPECT_NEAR(half->currentGain, 0.02, 1e-12);
    for (const char* bad : {"V", "V=", "V=x%", "V=-1%", "V=1%+", "Q=1%", "V=1%;A=1%", "V=nan%",
                            "C=-2", "V=1%+1+1", "V=1e400%"}) {
        const auto refused = parseAccuracy(bad, "--accuracy");
        ASSERT_FALSE(refused) << bad;
        EXPECT_EQ(refused.error().where, "--accuracy") << bad;
        EXPECT_FALSE(refused.error().accepted.empty()) << bad;
    }
}

TEST(Harmless, KeepsWhatIsTextAndNothingThatActs) {
    std::mt19937 random(11);
    for (int k = 0; k < 3000; ++k) {
        std::string any;
        for (std::size_t n = random() % 40; n > 0; --n)
            any.push_back(static_cast<char>(random() % (k % 2 ? 256 : 128)));
        const std::string shown = harmless(any, 0);
        EXPECT_TRUE(validUtf8(shown));
        for (const char c : shown) {
            const auto byte = static_cast<unsigned char>(c);
            EXPECT_FALSE(byte < 0x20 || byte == 0x7F) << static_cast<int>(byte);
        }
        EXPECT_EQ(harmless(shown, 0), shown) << "once is enough";
        EXPECT_LE(harmless(any, 5).size(), 5 * 4 + std::string("…").size());
    }
    for (const char* text : {"Grüße", "12 Ω ± 3 %", "電池", "🔋 full", "a−b"})
        EXPECT_EQ(harmless(text), text) << "words of any language stay";
    EXPECT_FALSE(validUtf8("\xC0\xAF")) << "overlong (RFC 3629, 10)";
    EXPECT_FALSE(validUtf8("\xED\xA0\x80")) << "a surrogate (RFC 3629, 3)";
    EXPECT_FALSE(validUtf8("\xF4\x90\x80\x80")) << "beyond the last character";
    EXPECT_FALSE(validUtf8("\xE2\x82")) << "cut";
}

TEST(Extent, IsTheSmallestAndTheLargestWhereverTheyStand) {
    for (std::size_t size = 0; size < 40; ++size)
        for (std::size_t at = 0; at < size; ++at) {
            std::vector<double> column(size, 2.0);
            column[at] = -7;
            column[(at + size / 2) % size] = size / 2 % size == 0 ? -7 : 9;
            const Extent e = extentOf(column);
            EXPECT_EQ(e.low, -7);
            EXPECT_EQ(e.high, size == 1 ? 0 : size / 2 % size == 0 ? (size > 1 ? 2 : 0) : 9);
        }
    std::vector<double> holes(101, kNaN);
    EXPECT_EQ(extentOf(holes).size(), 0);
    holes[50] = -3, holes[51] = 2;
    EXPECT_EQ(extentOf(holes).low, -3);
    EXPECT_EQ(extentOf(holes).size(), 3);
    EXPECT_EQ(extentOf(holes, 1e300).low, -3);
    EXPECT_EQ(extentOf({}, 5).low, 5);
}

TEST(TwoThreads, EveryThingIsDoneOnceAndInOrder) {
    for (const std::size_t count : {0UL, 1UL, 2UL, 3UL, 10UL, 1001UL})
        for (const std::size_t many : {1UL, 2UL, 500UL, 5000UL}) {
            std::vector<std::atomic<int>> done(count);
            inTwo(count, many, [&](std::size_t from, std::size_t to) {
                for (std::size_t k = from; k < to; ++k) ++done[k];
            });
            for (const auto& times : done) EXPECT_EQ(times, 1);
            std::vector<std::size_t> list;
            collectInTwo(count, many, list, [](std::size_t k, std::vector<std::size_t>& out) {
                if (k % 3 != 0) out.push_back(k);
                if (k % 7 == 0) out.push_back(k);
            });
            EXPECT_TRUE(std::is_sorted(list.begin(), list.end()));
            EXPECT_EQ(list.size(), (count - (count + 2) / 3) + (count + 6) / 7);
        }
    int first = 0;
    int second = 0;
    for (const bool worth : {false, true})
        atOnce(
            worth, [&] { ++first; }, [&] { ++second; });
    EXPECT_EQ(first, 2);
    EXPECT_EQ(second, 2);
}

TEST(TwoThreads, AFailureComesToTheCallerWhoeverHadIt) {
    for (const std::size_t bad : {0UL, 999UL}) {
        const auto work = [&] {
            inTwo(1000, 1, [&](std::size_t from, std::size_t to) {
                if (bad >= from && bad < to) throw std::runtime_error("here");
            });
        };
        EXPECT_THROW(work(), std::runtime_error) << bad;
    }
}

TEST(TwoThreads, BothSpeakTheLanguageOfTheCaller) {
    Presentation german;
    german.style.decimal = ',';
    german.translate = [](const char* english) { return "de:" + std::string(english); };
    const Presenting now(german);
    std::vector<std::string> words;
    collectInTwo(8, 1, words, [](std::size_t, std::vector<std::string>& out) {
        out.push_back(phrase("word") + fixed(1.5, 1));
    });
    for (const std::string& word : words) EXPECT_EQ(word, "de:word1,5");
}

}  // namespace
}  // namespace nk
