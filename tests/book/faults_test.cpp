// The bench book on a disk that fails: full, failing to sync, read-only, losing power at any
// moment. What was acknowledged is there; what was not is there whole or not at all; nothing is
// damaged.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <functional>

#include "book/backups.h"
#include "book/bench_book.h"
#include "tests/support/book_state.h"
#include "tests/support/fault_disk.h"
#include "tests/support/folder.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

using test::Fault;
using test::smallLog;
using test::stateOf;
using testing::HasSubstr;
namespace fs = std::filesystem;

/// What a person does with a book, step by step. Each step is one acknowledged change.
using Change = std::function<Expected<void>(BenchBook&)>;

template <class T>
Expected<void> done(const Expected<T>& result) {
    if (!result) return tl::unexpected<Error>(result.error());
    return {};
}

std::vector<Change> workload() {
    const auto battery = [](const std::string& name) {
        return [name](BenchBook& book) {
            Battery b;
            b.name = name, b.chemistry = "nmc", b.series = 1, b.rated_Ah = 2;
            return done(book.addBattery(b));
        };
    };
    const auto recording = [](const std::string& title) {
        return [title](BenchBook& book) {
            NewRecording n;
            n.batteryId = 1;
            n.title = title, n.fileName = title + ".csv";
            n.originalBytes = "the original bytes of " + title;
            const std::string bytes = "the original bytes of " + title;
            n.originalBytes = bytes;
            n.imported = &smallLog();
            return done(book.addRecording(n));
        };
    };
    return {battery("Red torch"),
            recording("night 1"),
            recording("night 2"),
            [](BenchBook& b) { return done(b.renameRecording(1, "first night")); },
            [](BenchBook& b) {
                return done(b.setEdits(2, {{StepEdit::Action::Split, 100, StepKind::Rest}}));
            },
            [](BenchBook& b) { return done(b.undo()); },
            [](BenchBook& b) { return done(b.redo()); },
            [](BenchBook& b) { return done(b.removeRecording(2)); },
            battery("Radio module"),
            recording("night 3")};
}

/// States before the first change and after each.
std::vector<std::string> expectedStates() {
    test::Folder folder;
    auto book = *BenchBook::open(folder.path() / "b.nkbook");
    std::vector<std::string> out = {stateOf(*book)};
    for (const Change& change : workload()) {
        const auto ok = change(*book);
        EXPECT_TRUE(ok) << ok.error().text();
        out.push_back(stateOf(*book));
    }
    return out;
}

/// Operations of the disk that the whole workload takes.
std::int64_t wholeWorkload() {
    test::FaultDisk disk;
    test::Folder folder;
    auto book = *BenchBook::open(folder.path() / "b.nkbook");
    for (const Change& change : workload()) (void)change(*book);
    book.reset();
    return disk.operations();
}

int crashPoints() {
    const char* wanted = std::getenv("NK_CRASH_POINTS");  // 1,000 in ./run-tests --all
    return wanted != nullptr ? std::max(1, std::atoi(wanted)) : 80;
}

TEST(Faults, PowerLossAtAnyMomentLosesNothingAcknowledged) {
    const auto states = expectedStates();
    const std::int64_t all = wholeWorkload();
    ASSERT_GT(all, 100) << "every write and sync is seen";
    const int points = crashPoints();
    int between = 0;
    for (int n = 0; n < points; ++n) {
        const std::int64_t at = n * all / points;
        SCOPED_TRACE("power lost at operation " + std::to_string(at) + ", seed " +
                     std::to_string(n));
        test::FaultDisk disk;
        test::Folder folder;
        const fs::path path = folder.path() / "b.nkbook";
        disk.failFrom(at, Fault::PowerLoss);
        std::size_t acknowledged = 0;
        bool opened = false;
        if (auto book = BenchBook::open(path)) {
            opened = true;
            for (const Change& change : workload()) {
                if (!change(**book)) break;
                ++acknowledged;
            }
        }
        disk.powerBack(static_cast<std::uint64_t>(n) * 7919 + 1);
        auto book = BenchBook::open(path);
        ASSERT_TRUE(book) << book.error().text();
        const auto report = (*book)->verify();
        ASSERT_TRUE(report) << report.error().text();
        ASSERT_TRUE(report->faults.empty()) << report->faults.front();
        const std::string state = stateOf(**book);
        const bool next = acknowledged + 1 < states.size() && state == states[acknowledged + 1];
        ASSERT_TRUE(state == states[acknowledged] || next)
            << state << "\nexpected " << states[acknowledged];
        between += next && opened ? 1 : 0;
        // And it can be written to again.
        Battery b;
        b.name = "after the night";
        ASSERT_TRUE((*book)->addBattery(b));
    }
    RecordProperty("arrived_unacknowledged", between);
}

TEST(Faults, AFullDiskChangesNothingAndTheBookGoesOnWhenThereIsRoom) {
    const auto states = expectedStates();
    const auto changes = workload();
    for (std::size_t failing = 0; failing < changes.size(); ++failing) {
        SCOPED_TRACE("disk full at change " + std::to_string(failing));
        test::FaultDisk disk;
        test::Folder folder;
        auto book = *BenchBook::open(folder.path() / "b.nkbook");
        for (std::size_t k = 0; k < failing; ++k) ASSERT_TRUE(changes[k](*book));
        disk.failFrom(disk.operations(), Fault::Full);
        const auto refused = changes[failing](*book);
        ASSERT_FALSE(refused);
        EXPECT_THAT(refused.error().what, HasSubstr("the disk is full"));
        EXPECT_THAT(refused.error().what, HasSubstr("Nothing was changed"));
        disk.heal();
        EXPECT_EQ(stateOf(*book), states[failing]);
        for (std::size_t k = failing; k < changes.size(); ++k)
            ASSERT_TRUE(changes[k](*book)) << "with room again the same book goes on";
        EXPECT_EQ(stateOf(*book), states.back());
    }
}

TEST(Faults, ASyncThatFailsIsNotAcknowledged) {
    const auto states = expectedStates();
    const auto changes = workload();
    for (std::size_t failing = 0; failing < changes.size(); ++failing) {
        SCOPED_TRACE("sync fails at change " + std::to_string(failing));
        test::FaultDisk disk;
        test::Folder folder;
        const fs::path path = folder.path() / "b.nkbook";
        auto book = *BenchBook::open(path);
        for (std::size_t k = 0; k < failing; ++k) ASSERT_TRUE(changes[k](*book));
        disk.failFrom(disk.operations(), Fault::Sync);
        const auto refused = changes[failing](*book);
        ASSERT_FALSE(refused);
        EXPECT_THAT(refused.error().what, HasSubstr("the disk reports an error"));
        book.reset();
        disk.heal();
        // Whether it arrived after all nobody knows; half of it has not.
        book = *BenchBook::open(path);
        const std::string state = stateOf(*book);
        EXPECT_TRUE(state == states[failing] || state == states[failing + 1]) << state;
        EXPECT_TRUE(book->verify()->faults.empty());
    }
}

TEST(Faults, AFolderThatRefusesIsAClearErrorWithThePath) {
    test::FaultDisk disk;
    test::Folder folder;
    disk.failFrom(0, Fault::Open);
    const auto refused = BenchBook::open(folder.path() / "b.nkbook");
    ASSERT_FALSE(refused);
    EXPECT_THAT(refused.error().text(), HasSubstr("b.nkbook"));
    EXPECT_THAT(refused.error().text(), HasSubstr("folder you may write to"));
}

TEST(Faults, ABackupOnAFullDiskLeavesNoFileThatLooksLikeOne) {
    test::FaultDisk disk;
    test::Folder folder;
    auto book = *BenchBook::open(folder.path() / "b.nkbook");
    for (const Change& change : workload()) ASSERT_TRUE(change(*book));
    disk.failFrom(disk.operations() + 1, Fault::Full);
    const auto made = backupNow(*book, 1'790'000'000);
    ASSERT_FALSE(made);
    EXPECT_THAT(made.error().what, HasSubstr("the disk is full"));
    EXPECT_TRUE(fs::is_empty(backupFolder(book->path())));
    disk.heal();
    EXPECT_TRUE(backupNow(*book, 1'790'000'001));
}

TEST(Faults, RestoringOnADiskThatFailsLeavesTheBookAsItWas) {
    test::FaultDisk disk;
    test::Folder folder;
    const fs::path path = folder.path() / "b.nkbook";
    auto book = *BenchBook::open(path);
    const auto changes = workload();
    ASSERT_TRUE(changes[0](*book));
    const auto backup = backupNow(*book, 1'790'000'000);
    ASSERT_TRUE(backup);
    for (std::size_t k = 1; k < changes.size(); ++k) ASSERT_TRUE(changes[k](*book));
    const std::string before = stateOf(*book);
    book.reset();
    const std::int64_t quiet = disk.operations();
    int refused = 0;
    for (std::int64_t at = 0; at < 60; at += 3) {
        disk.failFrom(disk.operations() + at, Fault::Full);
        const auto restored = restoreBackup(path, *backup, 1'790'000'100 + static_cast<double>(at));
        disk.heal();
        book = *BenchBook::open(path);
        const std::string now = stateOf(*book);
        book.reset();
        if (restored) break;
        ++refused;
        ASSERT_EQ(now, before) << "full at operation " << at;
    }
    EXPECT_GT(refused, 0);
    EXPECT_GT(disk.operations(), quiet);
}

}  // namespace
}  // namespace nk
