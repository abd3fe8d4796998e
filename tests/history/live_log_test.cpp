// Live rows in the book: there within the call, left when the program is gone, and in the end the
// same recording as an import of the same rows. Books of schema 6 come up.
#include "history/live_log.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "formats/importer.h"
#include "tests/support/sim.h"

using namespace nk;

namespace {

class LiveLog : public ::testing::Test {
  protected:
    void SetUp() override {
        folder_ = std::filesystem::temp_directory_path() /
                  ("nk-live-" + std::to_string(::getpid()) + "-" +
                   ::testing::UnitTest::GetInstance()->current_test_info()->name());
        std::filesystem::create_directories(folder_);
    }
    void TearDown() override { std::filesystem::remove_all(folder_); }
    std::unique_ptr<BenchBook> open(const std::string& name = "a.nkbook") const {
        auto book = BenchBook::open((folder_ / name).string());
        EXPECT_TRUE(book) << book.error().text();
        return std::move(*book);
    }
    static LiveEntry entry(std::int64_t battery = 0) {
        LiveEntry e;
        e.batteryId = battery;
        e.title = "Live test";
        e.source = "somewhere";
        e.startedAt_s = 1'790'000'000;
        e.header = liveHeader();
        return e;
    }
    std::filesystem::path folder_;
};

std::vector<LiveRow> rowsOf(const Recording& r) {
    std::vector<LiveRow> out;
    for (std::size_t k = 0; k < r.size(); ++k)
        out.push_back({1'790'000'000.25 + r.time_s()[k], r.voltage_V()[k], r.current_A()[k],
                       r.hasTemperature() ? r.temperature_C()[k] : kNaN});
    return out;
}

TEST_F(LiveLog, EndsAsTheSameRecordingAsAnImportOfTheSameRows) {
    const auto log = test::logged(test::lithiumCycle(R"({"interval_s": 10})"));
    const auto rows = rowsOf(*log.imported.recording);
    const auto book = open();
    const auto id = book->beginLive(entry());
    ASSERT_TRUE(id) << id.error().text();
    for (std::size_t k = 0; k < rows.size(); k += 50)
        ASSERT_TRUE(book->appendLive(
            *id, liveLines(
                     {rows.begin() + static_cast<std::ptrdiff_t>(k),
                      rows.begin() + static_cast<std::ptrdiff_t>(std::min(rows.size(), k + 50))})));
    ASSERT_EQ(book->unfinished()->size(), 1U);
    const std::string text = *book->liveText(*id);
    const auto done = finishLive(*book, *id, 1'790'100'000);
    ASSERT_TRUE(done) << done.error().text();
    EXPECT_TRUE(book->unfinished()->empty());
    const auto loaded = book->load(done->recordingId);
    ASSERT_TRUE(loaded);
    const auto imported = readLog(text, "x.csv", {});
    ASSERT_TRUE(imported);
    ASSERT_EQ((*loaded)->size(), rows.size());
    EXPECT_TRUE(std::ranges::equal((*loaded)->voltage_V(), imported->recording->voltage_V()));
    EXPECT_TRUE(std::ranges::equal((*loaded)->current_A(), imported->recording->current_A()));
    EXPECT_EQ(*book->original(done->recordingId), text);
    EXPECT_NEAR(book->recordings()->front().startEpoch_s, 1'790'000'000.25, 0.01);
    EXPECT_TRUE(book->verify()->faults.empty());
    EXPECT_FALSE(finishLive(*book, *id, 0)) << "it is closed";
}

TEST_F(LiveLog, WhatWasAppendedOutlivesAKill) {
    open().reset();
    const pid_t child = ::fork();
    if (child == 0) {
        auto book = BenchBook::open((folder_ / "a.nkbook").string());
        const auto id = (*book)->beginLive(entry());
        for (int k = 0; k < 40; ++k)
            (void)(*book)->appendLive(*id, liveLines({{1'790'000'000.0 + k, 12.0, 1.0, 20.0}}));
        ::kill(::getpid(), SIGKILL);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_TRUE(WIFSIGNALED(status));
    const auto book = open();
    const auto left = book->unfinished();
    ASSERT_EQ(left->size(), 1U);
    EXPECT_EQ(std::ranges::count(*book->liveText(left->front().id), '\n'), 41);
    // No step of undo, no change of the shelf.
    EXPECT_TRUE(book->undoLabel()->empty());
    const auto done = finishLive(*book, left->front().id, 1'790'000'100);
    ASSERT_TRUE(done) << done.error().text();
    EXPECT_EQ(book->recordings()->front().samples, 40);
}

TEST_F(LiveLog, NothingCameAndTwiceTheSame) {
    const auto book = open();
    const auto empty = *book->beginLive(entry());
    const auto none = finishLive(*book, empty, 0);
    ASSERT_TRUE(none);
    EXPECT_EQ(none->recordingId, 0);
    EXPECT_TRUE(book->unfinished()->empty());
    // The program was killed between storing and closing: it is only closed.
    std::vector<LiveRow> rows;
    for (int k = 0; k < 30; ++k) rows.push_back({1'790'000'000.0 + k, 12, 1, kNaN});
    for (int twice = 0; twice < 2; ++twice) {
        const auto id = *book->beginLive(entry());
        ASSERT_TRUE(book->appendLive(id, liveLines(rows)));
        ASSERT_TRUE(finishLive(*book, id, 0));
    }
    EXPECT_EQ(book->recordings()->size(), 1U);
    EXPECT_FALSE(book->appendLive(4711, "1,2,3\n")) << "no such live recording";
    EXPECT_FALSE(book->liveText(4711));
    EXPECT_FALSE(book->beginLive(entry(99))) << "no such battery";
}

TEST_F(LiveLog, RowsThatComeInAreNoChangeOfTheShelf) {
    const auto one = open();
    const auto other = open();
    (void)one->changedElsewhere();
    const auto id = *other->beginLive(entry());
    ASSERT_TRUE(other->appendLive(id, liveLines({{1'790'000'000, 12, 1, kNaN}})));
    (void)one->changedElsewhere();
    for (int k = 1; k < 4; ++k) {
        ASSERT_TRUE(other->appendLive(id, liveLines({{1'790'000'000.0 + k, 12, 1, kNaN}})));
        EXPECT_FALSE(one->changedElsewhere()) << k;
    }
    Battery b;
    b.name = "new";
    ASSERT_TRUE(other->addBattery(b));
    EXPECT_TRUE(one->changedElsewhere());
}

TEST_F(LiveLog, ABookOfSchema6ComesUp) {
    const auto path = folder_ / "old.nkbook";
    {
        SQLite::Database db(path.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        std::ifstream file(std::string(NK_SOURCE_DIR) + "/tests/book/schema-6.sql");
        const std::string sql{std::istreambuf_iterator<char>(file), {}};
        ASSERT_FALSE(sql.empty());
        db.exec(sql);
    }
    const auto book = open("old.nkbook");
    ASSERT_NE(book, nullptr);
    EXPECT_EQ(book->recordings()->size(), 1U);
    EXPECT_EQ(book->recordings()->front().samples, 300);
    EXPECT_TRUE(book->verify()->faults.empty());
    EXPECT_TRUE(book->beginLive(entry()));
}

}  // namespace
