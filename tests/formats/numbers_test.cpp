// Numbers and cells of foreign tables: the same numbers as the C library reads, whatever decimal
// sign and thousands they have; words, halves and tricks are no numbers; cells come apart as they
// were put together.
#include "quantity/number.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <cstring>
#include <random>

#include "formats/table_shape.h"

namespace nk {
namespace {

std::string withDecimal(std::string text, char decimal) {
    for (char& c : text)
        if (c == '.') c = decimal;
    return text;
}

TEST(Numbers, AreThoseOfTheCLibraryToTheLastBit) {
    std::mt19937_64 random(1);
    std::uniform_real_distribution<double> size(-320, 300);
    for (int k = 0; k < 60'000; ++k) {
        double x = 0;
        switch (k % 4) {
            case 0:
                x = static_cast<double>(random() % 100'000'000) / 1e4;
                break;
            case 1:
                x = std::pow(10, size(random)) * (1 + static_cast<double>(random() % 9));
                break;
            case 2: {
                const std::uint64_t bits = random();
                std::memcpy(&x, &bits, sizeof x);
                break;
            }
            default:
                x = static_cast<double>(static_cast<std::int64_t>(random())) / 3;
                break;
        }
        if (!std::isfinite(x)) continue;
        if (random() % 2) x = -x;
        for (const std::string& text :
             {fmt::format("{}", x), fmt::format("{:.6f}", std::fmod(x, 1e9)),
              fmt::format("{:.9e}", x)}) {
            // Zero has no sign here.
            const double expected = std::strtod(text.c_str(), nullptr);
            if (!std::isfinite(expected)) continue;
            for (const char decimal : {'.', ','}) {
                const auto read = parseNumber(withDecimal(text, decimal), decimal);
                ASSERT_TRUE(read) << text;
                ASSERT_EQ(*read, expected) << text;
                ASSERT_FALSE(std::signbit(*read) && *read == 0) << text;
            }
        }
    }
}

TEST(Numbers, WordsHalvesAndTricksAreNone) {
    for (const char* text :
         {"",      "-",        "+",    ".",     "e5",  "nan",   "NaN",      "inf",
          "-inf",  "infinity", "0x1F", "1e",    "1e+", "1e999", "--1",      "+-1",
          "1.2.3", "1 2",      "one",  "1_000", "1,5", "٣",     "1\xC2\xB2"})
        EXPECT_FALSE(parseNumber(text, '.')) << text;
    EXPECT_EQ(parseNumber("\xE2\x88\x92"
                          "3.5",
                          '.'),
              -3.5)
        << "a typographic minus";
    EXPECT_EQ(parseNumber("5.", '.'), 5);
    EXPECT_FALSE(parseNumber("5,", ',')) << "a 5 and a comma";
    EXPECT_EQ(parseNumber(".5", '.'), 0.5);
    EXPECT_EQ(parseNumber("007", '.'), 7);
}

TEST(Numbers, APrefixSaysHowFarItGoes) {
    double value = 0;
    std::size_t used = 0;
    const struct {
        const char* text;
        double value;
        std::size_t used;
    } cases[] = {{"3.7V", 3.7, 3},  {"12 mAh", 12, 2}, {"-1.5e-3A", -1.5e-3, 7}, {"1e5", 1e5, 3},
                 {"4.2.1", 4.2, 3}, {"100%", 100, 3},  {"2026-05-01", 2026, 4}};
    for (const auto& c : cases) {
        ASSERT_TRUE(parseNumberPrefix(c.text, '.', value, used)) << c.text;
        EXPECT_DOUBLE_EQ(value, c.value) << c.text;
        EXPECT_EQ(used, c.used) << c.text;
    }
    EXPECT_FALSE(parseNumberPrefix("V3.7", '.', value, used));
}

TEST(Numbers, LongOnesKeepTheirSize) {
    std::mt19937 random(3);
    for (int digits = 14; digits < 40; ++digits)
        for (int k = 0; k < 30; ++k) {
            std::string text = std::to_string(1 + random() % 9);
            for (int n = 1; n < digits; ++n) text += static_cast<char>('0' + random() % 10);
            const std::size_t point = random() % text.size();
            if (point > 0) text.insert(point, 1, '.');
            ASSERT_EQ(parseNumber(text, '.').value_or(-1), std::strtod(text.c_str(), nullptr))
                << text;
        }
}

TEST(Thousands, AreReadWithEveryMarkPeopleUse) {
    std::mt19937 random(4);
    for (int k = 0; k < 4000; ++k) {
        const double whole = static_cast<double>(1000 + random() % 900'000'000);
        const int cents = static_cast<int>(random() % 100);
        const std::string plain = fmt::format("{:.0f}", whole);
        for (const auto& [mark, decimal] :
             std::initializer_list<std::pair<std::string, char>>{{",", '.'},
                                                                 {".", ','},
                                                                 {"'", '.'},
                                                                 {" ", ','},
                                                                 {"\xC2\xA0", ','},
                                                                 {"\xE2\x80\xAF", ','},
                                                                 {"\xE2\x80\x99", '.'}}) {
            std::string text;
            for (std::size_t n = 0; n < plain.size(); ++n) {
                if (n > 0 && (plain.size() - n) % 3 == 0) text += mark;
                text += plain[n];
            }
            text = (k % 2 ? "-" : "") + text + fmt::format("{}{:02}", decimal, cents);
            const auto read = parseGrouped(text, decimal);
            ASSERT_TRUE(read) << text;
            ASSERT_NEAR(*read, (k % 2 ? -1 : 1) * (whole + cents / 100.0), 1e-6) << text;
        }
    }
}

TEST(Thousands, ThatAreNoneAreNotTakenForThem) {
    for (const char* text :
         {"", "1", "123", "1234", "12,34", "1,2345", "1,23", ",123", "'123", "0,050", "1,,234",
          "1,234,", "1,234,56", "a,bcd", "1,2c4", "-,123", "1.234.567", "+", "-"})
        EXPECT_FALSE(parseGrouped(text, '.')) << text;
    EXPECT_EQ(parseGrouped("1,234", '.'), 1234);
    EXPECT_EQ(parseGrouped("12,345,678.25", '.'), 12345678.25);
}

TEST(Cells, ComeApartAsTheyWerePutTogether) {
    std::mt19937 random(5);
    for (int round = 0; round < 4000; ++round) {
        const char delimiter = ",;\t|"[random() % 4];
        std::vector<std::string> put;
        std::string line;
        for (std::size_t n = 1 + random() % 9; n > 0; --n) {
            std::string cell;
            for (std::size_t k = random() % 8; k > 0; --k) cell += "ab1.\" x"[random() % 7];
            const bool quoted = random() % 3 == 0;
            std::string written;
            if (quoted) {
                if (random() % 2) cell += delimiter;
                written = "\"";
                for (const char c : cell)
                    written += c == '"' ? std::string("\"\"") : std::string(1, c);
                written += "\"";
            } else {
                std::erase(cell, '"');
                written = cell;
            }
            if (!put.empty()) line += delimiter;
            put.push_back(written);
            line += written;
        }
        std::vector<std::string_view> cells;
        splitCells(line, delimiter, cells);
        ASSERT_EQ(cells.size(), put.size()) << line;
        for (std::size_t k = 0; k < put.size(); ++k)
            ASSERT_EQ(trimCell(cells[k]), trimCell(put[k])) << line;
    }
}

TEST(Cells, AQuoteThatIsNeverClosedEndsAtItsDelimiter) {
    std::vector<std::string_view> cells;
    splitCells("1,\"open,2,3", ',', cells);
    ASSERT_EQ(cells.size(), 4U);
    EXPECT_EQ(cells[2], "2");
    splitCells("5\" drive,2", ',', cells);
    EXPECT_EQ(cells.size(), 2U) << "a quote within a cell is a letter";
    splitCells("", ',', cells);
    EXPECT_LE(cells.size(), 1U);
    splitCells("a   b  c", ' ', cells);
    EXPECT_EQ(cells.size(), 3U) << "runs of spaces are one";
    const std::string wide(3 * kMostColumns, ',');
    splitCells(wide, ',', cells);
    EXPECT_EQ(cells.size(), kMostColumns + 1) << "no line has more";
}

TEST(Lines, AreTheFirstOnesAndNoLongerThanMemoryAllows) {
    std::mt19937 random(6);
    for (int round = 0; round < 300; ++round) {
        std::string text;
        std::vector<std::string> put;
        for (std::size_t n = random() % 20; n > 0; --n) {
            std::string line(random() % 12, 'x');
            put.push_back(line);
            text += line + (round % 2 ? "\r\n" : "\n");
        }
        const auto lines = firstLines(text, 10);
        ASSERT_EQ(lines.size(), std::min<std::size_t>(10, put.size()));
        for (std::size_t k = 0; k < lines.size(); ++k) EXPECT_EQ(lines[k], put[k]);
    }
    const std::string endless(3 << 20, 'y');
    const auto lines = firstLines(endless, 5);
    ASSERT_EQ(lines.size(), 1U);
    EXPECT_LE(lines[0].size(), std::size_t{256} << 10);
}

}  // namespace
}  // namespace nk
