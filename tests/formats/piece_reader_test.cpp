// Large tables are read in pieces from both ends: whatever stands in which piece, and however many
// threads there are, every row comes once and in its place.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <mutex>

#include "formats/importer.h"
#include "formats/text_table.h"
#include "tests/support/folder.h"

namespace nk {
namespace {

constexpr std::size_t kFivePieces = std::size_t{18} << 20;

Imported read(const std::string& text, unsigned threads) {
    ReadOptions options;
    options.threads = threads;
    auto log = readTextTable(text, "big.csv", options);
    EXPECT_TRUE(log) << (log ? "" : log.error().text());
    return log ? std::move(*log) : Imported{};
}

TEST(PieceReader, ManyMoreRowsThanTheBeginningPromisesAllCome) {
    // The first megabyte has a remark of two hundred letters in every row, the rest none.
    std::string text = "time [s],voltage [V],current [A],remark\n";
    std::size_t rows = 0;
    const std::string remark(200, 'r');
    for (; text.size() < kFivePieces; ++rows)
        text += fmt::format("{},3.{},1.25,{}\n", rows, 700 + rows % 7,
                            text.size() < (std::size_t{2} << 20) ? remark : std::string());
    for (const unsigned threads : {1U, 2U, 4U, 9U}) {
        const Imported log = read(text, threads);
        ASSERT_EQ(log.rowsRead, static_cast<std::int64_t>(rows)) << threads;
        ASSERT_EQ(log.recording->size(), rows);
        std::size_t wrong = 0;
        for (std::size_t k = 0; k < rows; ++k)
            wrong += log.recording->time_s()[k] != static_cast<double>(k);
        EXPECT_EQ(wrong, 0u) << threads;
    }
}

TEST(PieceReader, EveryKindOfColumnIsPutTogether) {
    std::string text =
        "time [s],mode,voltage [V],current [A],temperature [°C],case [°C],cell 1 [V],cell 2 [V]\n";
    std::size_t rows = 0;
    for (; text.size() < kFivePieces; ++rows) {
        const double v = 7.4 + 0.001 * static_cast<double>(rows % 100);
        text += fmt::format("{},{},{:.3f},1.500,{},{},{:.4f},{:.4f}\n", rows,
                            rows / 1000 % 2 == 0 ? "charge" : "discharge", v,
                            rows % 3 == 0 ? "" : "25.5", 30 + rows % 5, v / 2 + 0.01, v / 2 - 0.01);
    }
    const Imported one = read(text, 1);
    ASSERT_EQ(one.rowsRead, static_cast<std::int64_t>(rows));
    const Recording& a = *one.recording;
    ASSERT_EQ(a.cells_V().size(), 2u);
    for (std::size_t k = 0; k < rows; k += 997) {
        EXPECT_NEAR(a.cells_V()[0][k] - a.cells_V()[1][k], 0.02, 1e-9);
        EXPECT_EQ(a.current_A()[k] > 0, k / 1000 % 2 == 0) << k;
    }
    const auto same = [](std::span<const double> x, std::span<const double> y) {
        return std::ranges::equal(
            x, y, [](double p, double q) { return p == q || (std::isnan(p) && std::isnan(q)); });
    };
    for (const unsigned threads : {2U, 3U, 8U}) {
        const Imported many = read(text, threads);
        ASSERT_EQ(many.rowsRead, one.rowsRead);
        const Recording& b = *many.recording;
        EXPECT_TRUE(same(a.time_s(), b.time_s()));
        EXPECT_TRUE(same(a.voltage_V(), b.voltage_V()));
        EXPECT_TRUE(same(a.current_A(), b.current_A()));
        EXPECT_TRUE(same(a.temperature_C(), b.temperature_C()));
        for (std::size_t c = 0; c < 2; ++c) EXPECT_TRUE(same(a.cells_V()[c], b.cells_V()[c]));
        EXPECT_EQ(a.voltageQuality().resolution, b.voltageQuality().resolution);
    }
}

TEST(PieceReader, LinesThatAreLeftOutAreNamedByTheirPlaceInTheFile) {
    std::string text = "time,voltage,current\n";
    std::vector<std::int64_t> bad;
    std::int64_t line = 1;
    for (std::size_t row = 0; text.size() < kFivePieces; ++row) {
        ++line;
        if (line % 70001 == 0) {
            text += "\n";
        } else if (line % 90001 == 0) {
            text += "what?,3.7,1\n";
            bad.push_back(line);
        } else {
            text += fmt::format("{},3.7{},1.25\n", row, row % 10);
        }
    }
    for (const unsigned threads : {1U, 2U, 5U}) {
        const Imported log = read(text, threads);
        std::vector<std::int64_t> told;
        for (const Problem& p : log.recording->problems())
            if (p.kind == "bad_row") told.push_back(p.line);
        EXPECT_EQ(told, bad) << threads;
        EXPECT_EQ(log.rowsSkipped, static_cast<std::int64_t>(bad.size()));
    }
}

TEST(PieceReader, AByteOfAnotherEncodingFarBehindIsReadAsThat) {
    const test::Folder folder;
    std::string text = "time,voltage,current,remark\n";
    std::size_t rows = 0;
    for (; text.size() < kFivePieces; ++rows)
        text += fmt::format("{},3.7{},1.25,{}\n", rows, rows % 10,
                            text.size() > kFivePieces - 2000 ? "k\xFChl" : "cool");
    const auto file = folder.path() / "late.csv";
    std::ofstream(file, std::ios::binary) << text;
    const auto log = readLogFile(file, {});
    ASSERT_TRUE(log) << log.error().text();
    EXPECT_EQ(log->rowsRead, static_cast<std::int64_t>(rows));
    EXPECT_NE(log->dialect.encoding, "utf-8");
}

TEST(PieceReader, WhatIsToEndEndsWithoutARow) {
    std::string text = "time,voltage,current\n";
    for (std::size_t row = 0; text.size() < kFivePieces; ++row)
        text += fmt::format("{},3.7{},1.25\n", row, row % 10);
    for (const unsigned threads : {1U, 2U, 4U}) {
        std::stop_source stop;
        int seen = 0;
        ReadOptions options;
        options.threads = threads;
        std::mutex one;
        const auto log = readTextTable(
            text, "big.csv", options,
            [&](double) {
                const std::scoped_lock lock(one);
                if (++seen == 2) stop.request_stop();
            },
            stop.get_token());
        ASSERT_FALSE(log) << threads;
        EXPECT_EQ(log.error().kind, ErrorKind::Cancelled);
    }
    // More than the memory that was granted: refused, not filled.
    ReadOptions small;
    small.most_bytes = std::size_t{1} << 20;
    const auto log = readTextTable(text, "big.csv", small);
    ASSERT_FALSE(log);
    EXPECT_EQ(log.error().kind, ErrorKind::Unsupported);
}

}  // namespace
}  // namespace nk
