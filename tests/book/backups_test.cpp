// Backups beside the book: made when due, kept to a number, brought back without a loss.
#include "book/backups.h"

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "tests/support/folder.h"

namespace nk {
namespace {

namespace fs = std::filesystem;

constexpr double kNoon_s = 1'790'000'000;  // some moment in 2026
constexpr double kDay_s = 86400;

class Backups : public testing::Test {
  protected:
    void SetUp() override { reopen(); }
    void reopen() {
        book.reset();
        auto opened = BenchBook::open(path);
        ASSERT_TRUE(opened) << opened.error().text();
        book = std::move(*opened);
    }
    void add(const std::string& name) {
        Battery b;
        b.name = name;
        ASSERT_TRUE(book->addBattery(b));
    }
    /// Names of the batteries of a book file.
    static std::vector<std::string> names(const fs::path& file) {
        std::vector<std::string> out;
        const auto opened = BenchBook::open(file, false);
        if (!opened) return {opened.error().text()};
        const auto all = (*opened)->batteries();
        if (all)
            for (const BatteryEntry& e : *all) out.push_back(e.battery.name);
        return out;
    }
    test::Folder folder;
    fs::path path = folder.path() / "field kit.nkbook";
    std::unique_ptr<BenchBook> book;
};

TEST_F(Backups, OneADayWhenTheBookWasWritten) {
    add("Red torch");
    auto first = backupWhenDue(*book, kNoon_s);
    ASSERT_TRUE(first && *first) << "the first is always due";
    EXPECT_EQ(names(**first), std::vector<std::string>{"Red torch"});
    EXPECT_FALSE(*backupWhenDue(*book, kNoon_s + 3600)) << "an hour later none is";
    EXPECT_FALSE(*backupWhenDue(*book, kNoon_s + 2 * kDay_s)) << "nothing was written since";
    add("Radio module");
    fs::last_write_time(path, fs::file_time_type::clock::now() + std::chrono::hours(1));
    auto second = backupWhenDue(*book, kNoon_s + 2 * kDay_s);
    ASSERT_TRUE(second && *second);
    EXPECT_EQ(names(**second).size(), 2u);
    const auto all = backupsOf(path);
    ASSERT_TRUE(all);
    ASSERT_EQ(all->size(), 2u);
    EXPECT_EQ(all->front().at_s, kNoon_s + 2 * kDay_s) << "newest first, time from the name";
}

TEST_F(Backups, TheLastSevenAreKeptAndNothingElseIsTouched) {
    add("Red torch");
    ASSERT_TRUE(backupNow(*book, kNoon_s));
    const fs::path own = backupFolder(path) / "my notes.txt";
    const fs::path copy = backupFolder(path) / "field kit 2001-01-01.nkbook";
    std::ofstream(own) << "keep me";
    std::ofstream(copy) << "not one of ours";
    for (int day = 1; day <= 9; ++day) ASSERT_TRUE(backupNow(*book, kNoon_s + day * kDay_s));
    const auto all = backupsOf(path);
    ASSERT_TRUE(all);
    ASSERT_EQ(all->size(), 7u);
    EXPECT_EQ(all->back().at_s, kNoon_s + 3 * kDay_s);
    EXPECT_TRUE(fs::exists(own));
    EXPECT_TRUE(fs::exists(copy));
}

TEST_F(Backups, BringingOneBackKeepsWhatWasThere) {
    add("Red torch");
    const auto old = backupNow(*book, kNoon_s);
    ASSERT_TRUE(old);
    add("Radio module");
    const auto kept = restoreBackup(path, *old, kNoon_s + 60);
    ASSERT_TRUE(kept) << kept.error().text();
    EXPECT_EQ(names(path), std::vector<std::string>{"Red torch"});
    EXPECT_EQ(names(*kept), (std::vector<std::string>{"Red torch", "Radio module"}));
    // A window that had the book open sees the change and goes on.
    EXPECT_TRUE(book->changedElsewhere());
    add("Mount pack");
    EXPECT_EQ(names(path), (std::vector<std::string>{"Red torch", "Mount pack"}));
    const auto report = book->verify();
    ASSERT_TRUE(report);
    EXPECT_TRUE(report->faults.empty());
}

TEST_F(Backups, ADamagedBackupIsRefusedAndADamagedBookReplaced) {
    add("Red torch");
    const auto good = backupNow(*book, kNoon_s);
    ASSERT_TRUE(good);
    const fs::path bad = backupFolder(path) / "field kit 2026-01-01 00.00.00.nkbook";
    std::ofstream(bad, std::ios::binary) << std::string(200'000, 'x');
    const auto refused = restoreBackup(path, bad, kNoon_s);
    ASSERT_FALSE(refused);
    EXPECT_EQ(names(path), std::vector<std::string>{"Red torch"}) << "nothing was changed";

    book.reset();
    std::ofstream(path, std::ios::binary) << "this was a book once";
    const auto kept = restoreBackup(path, *good, kNoon_s + 60);
    ASSERT_TRUE(kept) << kept.error().text();
    EXPECT_EQ(names(path), std::vector<std::string>{"Red torch"});
    std::ifstream was(*kept);
    std::string text(std::istreambuf_iterator<char>(was), {});
    EXPECT_EQ(text, "this was a book once") << "even a damaged book is kept";
}

TEST_F(Backups, AFolderThatCannotBeMadeIsAClearError) {
    add("Red torch");
    std::ofstream(backupFolder(path)) << "a file stands where the folder should be";
    const auto made = backupNow(*book, kNoon_s);
    ASSERT_FALSE(made);
    EXPECT_NE(made.error().text().find("backups"), std::string::npos);
}

}  // namespace
}  // namespace nk
