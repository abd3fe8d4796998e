#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <SQLiteCpp/SQLiteCpp.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstring>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>

#include "book/bench_book.h"
#include "book/chunk_codec.h"
#include "book/hash.h"
#include "tests/support/sim.h"

using namespace nk;
namespace fs = std::filesystem;

namespace {

class Book : public testing::Test {
  protected:
    void SetUp() override {
        folder_ = fs::temp_directory_path() /
                  ("nk-book-" + std::to_string(::getpid()) + "-" +
                   testing::UnitTest::GetInstance()->current_test_info()->name());
        fs::remove_all(folder_);
        fs::create_directories(folder_);
        path_ = folder_ / "bench.nkbook";
    }
    void TearDown() override { fs::remove_all(folder_); }

    std::unique_ptr<BenchBook> open() {
        auto b = BenchBook::open(path_);
        EXPECT_TRUE(b) << (b ? "" : b.error().text());
        return b ? std::move(*b) : nullptr;
    }
    static Battery battery(const std::string& name = "Dew heater 2") {
        Battery b;
        b.name = name;
        b.chemistry = "nmc";
        b.series = 3;
        b.rated_Ah = 5;
        return b;
    }
    static std::int64_t add(BenchBook& book, const nk::test::Logged& log,
                            std::int64_t batteryId = 0, const std::string& title = "cycle") {
        NewRecording n;
        n.batteryId = batteryId;
        n.title = title;
        n.fileName = "log.csv";
        n.originalBytes = log.text;
        n.imported = &log.imported;
        const auto id = book.addRecording(n);
        EXPECT_TRUE(id) << (id ? "" : id.error().text());
        return id.value_or(0);
    }

    fs::path folder_, path_;
};

const nk::test::Logged& cycle() {
    static const auto log =
        nk::test::logged(nk::test::lithiumCycle(R"({"cells": true, "noise_V": 0.001})"));
    return log;
}

}  // namespace

TEST(ChunkCodec, ComesBackBitForBit) {
    std::mt19937_64 random(5);
    std::vector<std::vector<double>> columns = {
        {},         {0.0}, {kNaN, 1.0, -0.0}, {3.701, 3.702, 3.7, -1e5}, {1e300, -1e-300, 5e-324},
        {INFINITY},
    };
    std::vector<double> decimal, noise;
    for (int k = 0; k < 65536; ++k) {
        decimal.push_back(std::round(std::sin(k * 0.01) * 4000) / 1000);
        noise.push_back(static_cast<double>(random()) * 1e-9);
    }
    columns.push_back(decimal);
    columns.push_back(noise);
    for (const auto& column : columns) {
        std::vector<double> back;
        ASSERT_TRUE(unpackChunk(packChunk(column), back));
        ASSERT_EQ(back.size(), column.size());
        for (std::size_t k = 0; k < column.size(); ++k)
            EXPECT_EQ(std::memcmp(&back[k], &column[k], 8), 0);
    }
    EXPECT_LT(packChunk(decimal).size(), decimal.size() * 3) << "decimal data pack well";
}

TEST(ChunkCodec, DamageIsAnError) {
    std::string packed = packChunk(std::vector<double>(1000, 3.7));
    std::vector<double> out;
    EXPECT_FALSE(unpackChunk("", out));
    EXPECT_FALSE(unpackChunk(packed.substr(0, packed.size() / 2), out));
    for (std::size_t k = 0; k < packed.size(); ++k) {
        std::string broken = packed;
        broken[k] = static_cast<char>(broken[k] ^ 0x55);
        std::vector<double> ignored;
        (void)unpackChunk(broken,
                          ignored);  // may fail or not, never crashes or grows without bound
        EXPECT_LE(ignored.size(), kChunkSamples);
    }
}

TEST(Hash, PublishedVector) {
    // FIPS 180-4 example: "abc".
    EXPECT_EQ(sha256("abc"), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

TEST_F(Book, KeepsEverythingAcrossReopening) {
    std::int64_t id = 0;
    {
        auto book = open();
        const auto b = book->addBattery(battery());
        ASSERT_TRUE(b);
        id = add(*book, cycle(), *b, "14 Nov full cycle");
        ASSERT_TRUE(book->setEdits(id, {{StepEdit::Action::Split, 900, StepKind::Rest},
                                        {StepEdit::Action::Rename, 950, StepKind::Pulse}}));
        RecordingSummary s;
        s.capacity_Ah = 2.4;
        s.rate_C = 0.5;
        ASSERT_TRUE(book->setStudy(id, {}, s));
    }
    auto book = open();
    const auto batteries = book->batteries();
    ASSERT_TRUE(batteries);
    ASSERT_EQ(batteries->size(), 1u);
    EXPECT_EQ((*batteries)[0].battery.name, "Dew heater 2");
    const auto recordings = book->recordings();
    ASSERT_EQ(recordings->size(), 1u);
    EXPECT_EQ((*recordings)[0].title, "14 Nov full cycle");
    EXPECT_NEAR((*recordings)[0].summary.capacity_Ah, 2.4, 1e-12);
    EXPECT_EQ(*book->original(id), cycle().text) << "the original bytes";
    const auto loaded = book->load(id);
    ASSERT_TRUE(loaded);
    const Recording& a = **loaded;
    const Recording& b = *cycle().imported.recording;
    ASSERT_EQ(a.size(), b.size());
    EXPECT_TRUE(std::equal(a.voltage_V().begin(), a.voltage_V().end(), b.voltage_V().begin()));
    EXPECT_EQ(a.cells_V(), b.cells_V());
    EXPECT_EQ(a.voltageQuality().resolution, b.voltageQuality().resolution);
    const auto edits = book->edits(id);
    ASSERT_EQ(edits->size(), 2u);
    EXPECT_EQ((*edits)[1].kind, StepKind::Pulse);
    EXPECT_TRUE(book->verify()->faults.empty());
}

TEST_F(Book, TwoWindowsOnOneBook) {
    auto first = open();
    auto second = open();
    const auto id = first->addBattery(battery());
    EXPECT_TRUE(second->changedElsewhere());
    EXPECT_FALSE(second->changedElsewhere()) << "told once";
    auto seenBySecond = second->batteries()->front();
    Battery changed = battery("Renamed in the first window");
    ASSERT_TRUE(first->updateBattery(*id, 1, changed));
    const auto refused = second->updateBattery(*id, seenBySecond.revision, battery("Overwritten"));
    ASSERT_FALSE(refused);
    EXPECT_THAT(refused.error().what, testing::HasSubstr("another window"));
    EXPECT_EQ(second->batteries()->front().battery.name, "Renamed in the first window");
    // Writers take turns; nobody fails within the waiting time.
    std::thread other([&] {
        for (int k = 0; k < 20; ++k) EXPECT_TRUE(second->addBattery(battery("second")));
    });
    for (int k = 0; k < 20; ++k) EXPECT_TRUE(first->addBattery(battery("first")));
    other.join();
    EXPECT_EQ(first->batteries()->size(), 41u);
}

TEST_F(Book, RefusesWhatIsNoBookAndLeavesItAlone) {
    std::ofstream(path_) << "this is a shopping list";
    auto b = BenchBook::open(path_);
    ASSERT_FALSE(b);
    EXPECT_THAT(b.error().what, testing::HasSubstr("no bench book"));
    std::ifstream in(path_);
    EXPECT_EQ(std::string(std::istreambuf_iterator<char>(in), {}), "this is a shopping list");
    {
        SQLite::Database foreign((folder_ / "other.db").string(),
                                 SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        foreign.exec("CREATE TABLE recipe(id)");
    }
    EXPECT_FALSE(BenchBook::open(folder_ / "other.db"));
    EXPECT_FALSE(BenchBook::open(folder_ / "missing.nkbook", false));
    EXPECT_FALSE(BenchBook::open(folder_));
}

TEST_F(Book, RefusesANewerBook) {
    open().reset();
    {
        SQLite::Database db(path_.string(), SQLite::OPEN_READWRITE);
        db.exec("PRAGMA user_version = 999");
    }
    const auto b = BenchBook::open(path_);
    ASSERT_FALSE(b);
    EXPECT_THAT(b.error().what, testing::HasSubstr("newer"));
}

TEST_F(Book, CancelledImportLeavesNoTrace) {
    auto book = open();
    std::stop_source stop;
    stop.request_stop();
    NewRecording n;
    n.title = "x";
    n.fileName = "x.csv";
    n.originalBytes = cycle().text;
    n.imported = &cycle().imported;
    const auto id = book->addRecording(n, stop.get_token());
    ASSERT_FALSE(id);
    EXPECT_EQ(id.error().kind, ErrorKind::Cancelled);
    EXPECT_TRUE(book->recordings()->empty());
    SQLite::Database db(path_.string());
    EXPECT_EQ(db.execAndGet(
                    "SELECT (SELECT count(*) FROM sample_chunk) + (SELECT count(*) FROM original)")
                  .getInt(),
              0);
}

TEST_F(Book, VerifyFindsDamage) {
    auto book = open();
    add(*book, cycle());
    {
        SQLite::Database db(path_.string(), SQLite::OPEN_READWRITE, 5000);
        db.exec("UPDATE sample_chunk SET data = x'00' WHERE channel = 'voltage_V'");
        db.exec("UPDATE recording SET sha256 = 'abc'");
    }
    const auto report = book->verify();
    ASSERT_TRUE(report);
    EXPECT_EQ(report->faults.size(), 2u);
    EXPECT_FALSE(book->load(1));
}

TEST_F(Book, DamageByChanceIsAnErrorOrReadsBackNeverACrash) {
    auto book = open();
    const auto id = add(*book, cycle());
    const auto whole = book->load(id);
    ASSERT_TRUE(whole);
    SQLite::Database db(path_.string(), SQLite::OPEN_READWRITE, 5000);
    const std::string notes = db.execAndGet("SELECT notes FROM recording WHERE id=1").getString();
    const auto store = [&](const std::string& text) {
        SQLite::Statement q(db, "UPDATE recording SET notes=? WHERE id=1");
        q.bind(1, text);
        q.exec();
    };
    // Notes that point where nothing is, or are of the wrong kind.
    for (const char* damaged :
         {"", "{}", "[]", "null",
          R"({"problems": [], "repairs": [], "gaps": [[999999999, 5, false]]})",
          R"({"problems": [], "repairs": [[999999999, 0, 1.0, "spike"]], "gaps": []})",
          R"({"problems": [], "repairs": [[1, 77, 1.0, "spike"]], "gaps": []})",
          R"({"problems": [], "repairs": [], "gaps": [[5, 1, false], [5, 1, false]]})",
          R"({"problems": [], "repairs": [], "gaps": [], "cells": 99999999999999})",
          R"({"problems": [], "repairs": [], "gaps": [], "temperatures": 900000000})",
          R"({"problems": [], "repairs": [], "gaps": [], "cells": -1})"}) {
        store(damaged);
        EXPECT_FALSE(book->load(id)) << damaged;
    }
    std::mt19937 random(11);
    int readable = 0;
    for (int k = 0; k < 300; ++k) {
        std::string text = notes;
        for (int n = 0; n < 3; ++n)
            text[random() % text.size()] = static_cast<char>(' ' + random() % 95);
        store(text);
        readable += book->load(id) ? 1 : 0;
    }
    store(notes);
    // A changed count of samples, and chunks with bytes changed.
    for (const char* count :
         {"-1", "0", "1", "1099511627776", "36028797018963968", "9223372036854775807"}) {
        db.exec(std::string("UPDATE recording SET samples=") + count + " WHERE id=1");
        EXPECT_FALSE(book->load(id)) << count;
    }
    SQLite::Statement back(db, "UPDATE recording SET samples=? WHERE id=1");
    back.bind(1, static_cast<std::int64_t>((*whole)->size()));
    back.exec();
    const std::string good = packChunk(
        (*whole)->time_s().subspan(0, std::min<std::size_t>((*whole)->size(), kChunkSamples)));
    const auto storeChunk = [&](const std::string& blob) {
        SQLite::Statement q(db,
                            "UPDATE sample_chunk SET data=? WHERE channel='time_s' AND chunk=0");
        q.bind(1, blob.data(), static_cast<int>(blob.size()));
        ASSERT_EQ(q.exec(), 1);
    };
    for (int k = 0; k < 200; ++k) {
        std::string blob = good;
        blob[random() % blob.size()] = static_cast<char>(random());
        storeChunk(blob);
        if (const auto r = book->load(id)) {
            const auto t = (*r)->time_s();
            EXPECT_TRUE(std::is_sorted(t.begin(), t.end()));
        }
    }
    storeChunk(good);
    EXPECT_TRUE(book->load(id)) << "mended, it reads again";
    // A summary of the wrong kind is none; the shelf still opens.
    db.exec(R"(UPDATE recording SET summary='{"rate_C": "5", "hazard": "x"}')");
    ASSERT_TRUE(book->recordings());
    EXPECT_TRUE(std::isnan(book->recordings()->front().summary.rate_C));
    EXPECT_FALSE(book->recordings()->front().summary.hazard);
    RecordProperty("readable_after_three_changed_letters", readable);
}

TEST_F(Book, BackupIsAWholeBook) {
    auto book = open();
    add(*book, cycle());
    ASSERT_TRUE(book->backup(folder_ / "copy.nkbook"));
    EXPECT_FALSE(book->backup(folder_ / "copy.nkbook")) << "never over an existing file";
    auto copy = BenchBook::open(folder_ / "copy.nkbook", false);
    ASSERT_TRUE(copy);
    EXPECT_EQ((*copy)->recordings()->size(), 1u);
    EXPECT_TRUE((*copy)->verify()->faults.empty());
}

TEST_F(Book, BatteryWithRecordingsIsNotRemoved) {
    auto book = open();
    const auto b = book->addBattery(battery());
    const auto id = add(*book, cycle(), *b);
    EXPECT_FALSE(book->removeBattery(*b));
    ASSERT_TRUE(book->removeRecording(id));
    EXPECT_TRUE(book->removeBattery(*b));
    EXPECT_TRUE(book->recordings()->empty());
    EXPECT_TRUE(book->batteries()->empty());
    // Both come back, newest first.
    EXPECT_EQ(*book->undo(), "remove a battery");
    EXPECT_EQ(book->batteries()->size(), 1u);
    EXPECT_EQ(*book->undo(), "take a recording off the shelf");
    ASSERT_EQ(book->recordings()->size(), 1u);
    EXPECT_EQ(book->recordings()->front().batteryId, *b);
    EXPECT_TRUE(book->load(id));
    ASSERT_TRUE(book->removeRecording(id));
    const auto size = [&] { return fs::file_size(path_) + fs::file_size(path_.string() + "-wal"); };
    const auto before = size();
    EXPECT_EQ(*book->removedCount(), 1);
    EXPECT_EQ(*book->purgeRemoved(), 1);
    EXPECT_LT(size(), before) << "the space comes back";
    EXPECT_FALSE(book->load(id)) << "destroyed for good, when asked for";
    EXPECT_EQ(*book->undoLabel(), "") << "nothing that is gone can be promised back";
}

TEST_F(Book, ABatteryGoesWithItsHandReadingsButNotUnderItsLogs) {
    auto book = open();
    const auto b = book->addBattery(battery());
    const auto id = add(*book, cycle(), *b);
    SpotReading spot;
    spot.batteryId = *b;
    spot.kind = "voltage";
    spot.value = 12.1;
    ASSERT_TRUE(book->addSpotReading(spot));
    const auto refused = book->removeBattery(*b);
    ASSERT_FALSE(refused);
    EXPECT_THAT(refused.error().text(), testing::HasSubstr("on the shelf (1)"));
    const auto other = book->assignNewBattery(id, battery("Dew heater 3"));
    ASSERT_TRUE(other);
    EXPECT_EQ(book->recordings()->front().batteryId, *other);
    ASSERT_TRUE(book->removeBattery(*b));
    EXPECT_TRUE(book->spotReadings(*b)->empty());
    ASSERT_EQ(*book->undo(), "remove a battery");
    ASSERT_EQ(book->spotReadings(*b)->size(), 1u);
    EXPECT_EQ(book->spotReadings(*b)->front().value, 12.1);
    EXPECT_EQ(*book->undo(), "move a recording to Dew heater 3");
    EXPECT_EQ(book->batteries()->size(), 1u) << "the new battery and the move are one change";
    EXPECT_EQ(book->recordings()->front().batteryId, *b);
    EXPECT_TRUE(book->verify()->faults.empty());
}

TEST_F(Book, UndoAndRedoReachAcrossARestart) {
    std::int64_t id = 0;
    std::int64_t b = 0;
    {
        auto book = open();
        b = *book->addBattery(battery());
        id = add(*book, cycle(), b);
        Battery changed = battery("Dew heater two");
        changed.rated_Ah = 4.8;
        changed.rules = {"-dv:6mV", "timer:2h"};
        changed.charger.current_A = 1.5;
        changed.label_C = 20;
        MakerLimits limits;
        limits.set_V = 4.1;
        changed.setLimits(limits);
        ASSERT_TRUE(book->updateBattery(b, 1, changed));
        ASSERT_TRUE(book->setEdits(id, {{StepEdit::Action::Split, 900, StepKind::Rest}}));
        ASSERT_TRUE(book->addCorrection(
            id, {0, Correction::Kind::LeadResistance, 0.02, 0.001, 0, kNaN, "meter check"}));
        SpotReading spot;
        spot.batteryId = b;
        spot.kind = "resistance";
        spot.value = 0.26;
        spot.method = "ac_1khz";
        spot.repeats = {0.261, 0.26, 0.258};
        ASSERT_TRUE(book->addSpotReading(spot));
    }
    auto book = open();
    const Battery kept = book->batteries()->front().battery;
    EXPECT_EQ(kept.rules, (std::vector<std::string>{"-dv:6mV", "timer:2h"}));
    EXPECT_EQ(kept.charger.current_A, 1.5);
    EXPECT_EQ(kept.label_C, 20);
    EXPECT_EQ(kept.limits().set_V, 4.1);
    EXPECT_EQ(kept.chemistryData()->set_V, 4.1) << "the maker's figure wins";
    ASSERT_EQ(book->spotReadings(b)->size(), 1u);
    EXPECT_EQ(book->spotReadings(b)->front().repeats.size(), 3u);
    ASSERT_EQ(book->corrections(id)->size(), 1u);

    EXPECT_EQ(*book->undo(), "add a reading");
    EXPECT_TRUE(book->spotReadings(b)->empty());
    EXPECT_THAT(*book->undo(), testing::HasSubstr("meter check"));
    EXPECT_TRUE(book->corrections(id)->empty());
    EXPECT_EQ(*book->undo(), "edit the steps");
    EXPECT_TRUE(book->edits(id)->empty());
    ASSERT_TRUE(book->undo());
    EXPECT_EQ(book->batteries()->front().battery.name, "Dew heater 2");
    EXPECT_GT(book->batteries()->front().revision, 2) << "a revision never comes back";
    ASSERT_TRUE(book->undo());
    EXPECT_TRUE(book->recordings()->empty());
    for (int k = 0; k < 5; ++k) ASSERT_NE(*book->redo(), "") << k;
    EXPECT_EQ(*book->redo(), "");
    EXPECT_EQ(book->batteries()->front().battery.name, "Dew heater two");
    EXPECT_EQ(book->spotReadings(b)->front().value, 0.26);
    EXPECT_EQ(book->edits(id)->size(), 1u);
    // A new change forgets what was undone.
    ASSERT_TRUE(book->undo());
    ASSERT_TRUE(book->renameRecording(id, "another name"));
    EXPECT_EQ(*book->redoLabel(), "");
    EXPECT_TRUE(book->verify()->faults.empty());
}

// A book of schema 1, made with that version's own SQL, is brought up without losing anything.
TEST_F(Book, OlderBooksAreMigrated) {
    {
        SQLite::Database db(path_.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        std::ifstream file(std::string(NK_SOURCE_DIR) + "/tests/book/schema-1.sql");
        const std::string sql{std::istreambuf_iterator<char>(file), {}};
        ASSERT_FALSE(sql.empty());
        db.exec(sql);
    }
    auto book = open();
    ASSERT_TRUE(book);
    ASSERT_EQ(book->batteries()->size(), 1u);
    EXPECT_EQ(book->batteries()->front().battery.name, "Mount pack A");
    ASSERT_EQ(book->recordings()->size(), 1u);
    EXPECT_EQ(book->recordings()->front().title, "before the new year");
    ASSERT_TRUE(book->renameRecording(1, "renamed"));
    EXPECT_EQ(*book->undo(), "rename to renamed");
    EXPECT_EQ(book->recordings()->front().title, "before the new year");
}

TEST_F(Book, OlderJournalsAreMended) {
    {
        SQLite::Database db(path_.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        std::ifstream file(std::string(NK_SOURCE_DIR) + "/tests/book/schema-2.sql");
        const std::string sql{std::istreambuf_iterator<char>(file), {}};
        ASSERT_FALSE(sql.empty());
        db.exec(sql);
    }
    auto book = open();
    ASSERT_TRUE(book);
    ASSERT_EQ(book->recordings()->size(), 1u);
    EXPECT_EQ((*book->load(1))->size(), 3u);
    // Both changes of the older version are taken back and made again, the battery with its log.
    for (int round = 0; round < 2; ++round) {
        ASSERT_TRUE(book->undo()) << book->undo().error().text();
        EXPECT_TRUE(book->recordings()->empty());
        const auto battery = book->undo();
        ASSERT_TRUE(battery) << battery.error().text();
        EXPECT_TRUE(book->batteries()->empty());
        ASSERT_TRUE(book->redo());
        ASSERT_TRUE(book->redo());
        ASSERT_EQ(book->recordings()->size(), 1u);
        EXPECT_EQ(book->recordings()->front().batteryId, 1);
    }
    EXPECT_TRUE(book->verify()->faults.empty());
}

// kill -9 in the middle of imports, many times: every acknowledged recording is there and whole.
TEST_F(Book, KilledInTheMiddleOfImportsLosesNothingAcknowledged) {
    open().reset();
    ASSERT_FALSE(cycle().text.empty()) << "made once here, not in every child";
    std::mt19937 random(9);
    int acknowledged = 0;
    const int rounds = 25;
    for (int round = 0; round < rounds; ++round) {
        int pipe[2];
        ASSERT_EQ(::pipe(pipe), 0);
        const pid_t child = ::fork();
        if (child == 0) {
            ::close(pipe[0]);
            auto book = BenchBook::open(path_);
            while (book) {
                NewRecording n;
                n.title = "killed";
                n.fileName = "log.csv";
                n.originalBytes = cycle().text;
                n.imported = &cycle().imported;
                if (!(*book)->addRecording(n)) break;
                if (::write(pipe[1], "x", 1) != 1) break;
            }
            ::_exit(0);
        }
        ::close(pipe[1]);
        // Longer each time until one was acknowledged: a slow machine has its turn too.
        ::usleep(3000 +
                 random() % 60000 * (acknowledged == 0 ? 1U + static_cast<unsigned>(round) : 1U));
        ::kill(child, SIGKILL);
        int status = 0;
        ::waitpid(child, &status, 0);
        char buffer[4096];
        for (ssize_t n = ::read(pipe[0], buffer, sizeof buffer); n > 0;
             n = ::read(pipe[0], buffer, sizeof buffer))
            acknowledged += static_cast<int>(n);
        ::close(pipe[0]);
        auto book = open();
        ASSERT_TRUE(book);
        const auto list = book->recordings();
        ASSERT_TRUE(list);
        ASSERT_GE(static_cast<int>(list->size()), acknowledged) << "round " << round;
        ASSERT_LE(static_cast<int>(list->size()), acknowledged + round + 1)
            << "at most one unacknowledged a round";
        if (!list->empty()) {
            EXPECT_EQ((*book->load(list->back().id))->size(), cycle().imported.recording->size());
        }
    }
    EXPECT_GT(acknowledged, 0);
    EXPECT_TRUE(open()->verify()->faults.empty());
}
