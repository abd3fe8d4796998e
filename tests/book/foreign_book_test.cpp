// Books from elsewhere: nothing in them is ever run, nothing is written outside them, and damage is
// seen.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <sys/wait.h>
#include <unistd.h>
#include <regex>

#include <cstring>
#include <fstream>
#include <random>

#include "book/backups.h"
#include "book/bench_book.h"
#include "book/chunk_codec.h"
#include "book/rescue.h"
#include "book/row_text.h"
#include "tests/support/book_state.h"
#include "tests/support/folder.h"
#include "tests/support/sim.h"

#include <SQLiteCpp/SQLiteCpp.h>

namespace nk {
namespace {

namespace fs = std::filesystem;
using testing::Contains;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::Not;

class ForeignBook : public testing::Test {
  protected:
    fs::path path() const { return folder_.path() / "foreign.nkbook"; }
    void sql(const std::string& text) const {
        SQLite::Database db(path().string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE, 5000);
        db.exec(text);
    }
    /// A book of schema 3, as an older program left it: one battery, one recording, both in its
    /// journal.
    void old() const {
        std::ifstream file(std::string(NK_SOURCE_DIR) + "/tests/book/schema-3.sql");
        const std::string text{std::istreambuf_iterator<char>(file), {}};
        ASSERT_FALSE(text.empty());
        sql(text);
    }
    /// A book of today with a battery and a recording.
    void today() const {
        auto book = BenchBook::open(path());
        ASSERT_TRUE(book);
        Battery b;
        b.name = "Spare pack", b.chemistry = "nmc", b.rated_Ah = 2;
        ASSERT_TRUE((*book)->addBattery(b));
        NewRecording n;
        n.batteryId = 1, n.title = "small", n.fileName = "small.csv", n.originalBytes = "the bytes";
        n.imported = &test::smallLog();
        ASSERT_TRUE((*book)->addRecording(n));
    }
    Error refused() const {
        const auto book = BenchBook::open(path(), false);
        EXPECT_FALSE(book) << "opened";
        const Error error = book ? Error{} : book.error();
        EXPECT_EQ(error.kind, ErrorKind::Foreign) << error.text();
        return error;
    }
    std::vector<std::string> faults() const {
        auto book = BenchBook::open(path(), false);
        if (!book) return {book.error().text()};
        return (*book)->verify()->faults;
    }

    test::Folder folder_;
};

TEST_F(ForeignBook, AnOldJournalWithOtherSqlIsRefusedAndNothingOfItRuns) {
    const std::string outside = (folder_.path() / "outside").string();
    for (const std::string& undo :
         {"COMMIT; VACUUM INTO '" + outside + "'; BEGIN;",
          "ATTACH '" + outside + "' AS v; DELETE FROM v.battery",
          std::string("DELETE FROM recording WHERE 1"),
          std::string("DELETE FROM battery WHERE id=1 OR 1"),
          std::string("UPDATE battery SET name='x' WHERE id=1"),
          std::string("DELETE FROM battery WHERE id=(SELECT max(id) FROM battery)")}) {
        fs::remove(path());
        old();
        sql("INSERT INTO change(id, label, at_s) VALUES (9, 'rename', 0)");
        SQLite::Database db(path().string(), SQLite::OPEN_READWRITE, 5000);
        SQLite::Statement q(
            db, "INSERT INTO change_part(change_id, undo, redo) VALUES (9, ?, 'SELECT 1')");
        q.bind(1, undo);
        q.exec();
        EXPECT_THAT(refused().what, HasSubstr("entry 3 of the undo journal")) << undo;
        EXPECT_FALSE(fs::exists(outside));
    }
}

TEST_F(ForeignBook, AnEntryOfTodaysJournalIsCheckedToo) {
    struct Case {
        const char* place;
        const char* before;
        const char* after;
    };
    for (const Case& c : {Case{"sqlite_master", "NULL", "'name=''x'''"},
                          Case{"recording", "'id=1'", "NULL"}, Case{"battery", "'id=1'", "NULL"},
                          Case{"recording", "'id=1,samples=5'", "'id=1,samples=6'"},
                          Case{"recording", "'id=1,removed=1'", "'id=2,removed=0'"},
                          Case{"battery", "NULL", "NULL"}, Case{"change", "NULL", "'id=1'"}}) {
        fs::remove(path());
        today();
        ASSERT_THAT(faults(), IsEmpty());
        sql(std::string("INSERT INTO change_part(change_id, place, before, after) VALUES (1, '") +
            c.place + "', " + c.before + ", " + c.after + ")");
        EXPECT_THAT(refused().what, HasSubstr("undo journal"))
            << c.place << " " << c.before << " " << c.after;
    }
}

TEST_F(ForeignBook, TriggersViewsAndMissingThingsAreNamedAndTheRowsCanBeCopied) {
    struct Case {
        const char* change;
        const char* named;
    };
    for (const Case& c :
         {Case{"CREATE TRIGGER evil AFTER INSERT ON recording BEGIN DELETE FROM recording WHERE "
               "id<>new.id; END",
               "trigger evil"},
          Case{"CREATE VIEW v AS WITH RECURSIVE r(i) AS (SELECT 1 UNION ALL SELECT i+1 FROM r) "
               "SELECT i FROM r",
               "view v"},
          Case{"CREATE INDEX more ON battery(name)", "index more"},
          Case{"CREATE TABLE notes(x)", "table notes"},
          Case{"ALTER TABLE battery ADD COLUMN colour", "table battery, which is not as"},
          Case{"DROP TABLE correction", "table correction, which is missing"},
          Case{"CREATE TRIGGER journal_battery_insert AFTER INSERT ON battery BEGIN DELETE FROM "
               "recording; END",
               "journal_battery"}}) {
        fs::remove(path());
        today();
        sql(c.change);
        EXPECT_THAT(refused().what, HasSubstr(c.named));
        const fs::path copy = folder_.path() / "copy.nkbook";
        const auto report = rescueBook(path(), copy);
        ASSERT_TRUE(report) << report.error().text();
        EXPECT_EQ(report->recordings, 1);
        auto book = BenchBook::open(copy, false);
        ASSERT_TRUE(book) << book.error().text();
        EXPECT_EQ((*book)->batteries()->size(), 1u);
        EXPECT_EQ(*(*book)->original(1), "the bytes");
        EXPECT_EQ((*(*book)->load(1))->size(), 400u);
        EXPECT_THAT((*book)->verify()->faults, IsEmpty());
        EXPECT_EQ(*(*book)->undoLabel(), "") << "the journal stays behind";
        EXPECT_FALSE(rescueBook(path(), copy)) << "never over a file";
        book->reset();
        fs::remove(copy);
    }
}

TEST_F(ForeignBook, ATableThatComputesIsNotReadByTheRescue) {
    today();
    sql("CREATE VIEW battery2 AS SELECT 1; ALTER TABLE battery RENAME TO gone; "
        "CREATE VIEW battery AS WITH RECURSIVE r(id) AS (SELECT 1 UNION ALL SELECT id+1 FROM r) "
        "SELECT id FROM r");
    const fs::path copy = folder_.path() / "copy.nkbook";
    const auto report = rescueBook(path(), copy);
    ASSERT_TRUE(report) << report.error().text();
    EXPECT_EQ(report->batteries, 0);
    EXPECT_THAT(report->leftOut, Contains(HasSubstr("battery")));
}

TEST_F(ForeignBook, SQLitesOwnStatisticsAreNothingForeign) {
    today();
    sql("ANALYZE");
    EXPECT_THAT(faults(), IsEmpty());
}

TEST_F(ForeignBook, EveryKindOfOldEntryIsTakenBackAndMadeAgain) {
    old();
    // What the older program would have done: its own triggers write its journal.
    const auto change = [&](const char* id, const std::string& work) {
        sql(std::string("INSERT INTO change(id, label, at_s) VALUES (") + id +
            ", 'x', 0); UPDATE journal_state SET open=" + id + "; " + work +
            "; UPDATE journal_state SET open=0");
    };
    change("3",
           "INSERT INTO battery(name, rated_Ah, card) VALUES ('it''s, a=1', 2.5, "
           "'{\"rules\":[\"-dv:5mV\"]}')");
    change("4", "UPDATE battery SET name='Ω pack', mass_kg=0.1, revision=revision+1 WHERE id=1");
    change("5",
           "INSERT INTO step_edit VALUES (1, 0, 'split', 900.125, ''), (1, 1, 'rename', 1e-7, "
           "'pulse')");
    change("6",
           "INSERT INTO correction(recording_id, kind, value, name) VALUES (1, 'voltage_offset', "
           "-0.0123456789012345, 'meter')");
    change("7",
           "INSERT INTO spot_reading(battery_id, kind, value, at_epoch_s) VALUES (1, 'resistance', "
           "0.258, 5)");
    change("8", "DELETE FROM step_edit WHERE position=1");
    change("9", "UPDATE recording SET title='it is ''quoted'', removed=0' WHERE id=1");
    change("10", "DELETE FROM battery WHERE id=2");
    auto book = BenchBook::open(path());
    ASSERT_TRUE(book) << book.error().text();
    std::vector<std::string> states;
    const auto state = [&] {
        const std::string all = test::stateOf(**book);
        // What an edit made was written into it when the book was brought up; an old journal knows
        // only what was asked for, which is applied anew.
        static const std::regex made(" from=[^ ]* to=[^ ]* kind=[^ ]*");
        return std::regex_replace(all.substr(0, all.rfind("|undo")), made, "");
    };
    states.push_back(state());
    EXPECT_THAT(states.front(), HasSubstr("name=Ω pack "));
    for (int k = 0; k < 10; ++k) {
        const auto undone = (*book)->undo();
        ASSERT_TRUE(undone) << undone.error().text();
        states.push_back(state());
    }
    EXPECT_TRUE((*book)->batteries()->empty() && (*book)->recordings()->empty())
        << "all taken back";
    for (int k = 9; k >= 0; --k) {
        ASSERT_TRUE((*book)->redo());
        EXPECT_EQ(state(), states[static_cast<std::size_t>(k)]);
    }
    EXPECT_THAT((*book)->verify()->faults, IsEmpty());
}

TEST_F(ForeignBook, AnOlderBookIsCopiedBeforeItIsBroughtUp) {
    old();
    ASSERT_TRUE(BenchBook::open(path()));
    int copies = 0;
    for (const auto& entry : fs::directory_iterator(backupFolder(path()))) {
        EXPECT_THAT(entry.path().filename().string(), HasSubstr("before schema 4"));
        SQLite::Database db(entry.path().string());
        EXPECT_EQ(db.execAndGet("PRAGMA user_version").getInt(), 3);
        EXPECT_EQ(db.execAndGet("SELECT count(*) FROM recording").getInt(), 1);
        ++copies;
    }
    EXPECT_EQ(copies, 1);
}

TEST_F(ForeignBook, TheMigrationBlessesNoDamageAndTakesNoChoiceForDamage) {
    struct Case {
        const char* what;
        std::function<void(std::vector<double>&)> change;
        bool damaged;
    };
    for (const Case& c : {Case{"nothing", [](auto&) {}, false},
                          Case{"one value", [](auto& v) { v[50] += 0.5; }, true},
                          Case{"all behind one difference",
                               [](auto& v) {
                                   for (std::size_t k = 50; k < v.size(); ++k) v[k] += 0.25;
                               },
                               true},
                          Case{"the other sign, by choice",
                               [](auto& v) {
                                   for (double& x : v) x = -x;
                               },
                               false},
                          Case{"milliamps, by choice",
                               [](auto& v) {
                                   for (double& x : v) x /= 1000;
                               },
                               false}}) {
        for (const char* channel : {"current_A", "voltage_V"}) {
            if (std::string(channel) == "voltage_V" &&
                std::string(c.what).find("sign") != std::string::npos)
                continue;
            fs::remove(path());
            fs::remove_all(backupFolder(path()));
            old();
            SQLite::Database db(path().string(), SQLite::OPEN_READWRITE, 5000);
            SQLite::Statement read(db, "SELECT data FROM sample_chunk WHERE channel=?");
            read.bind(1, channel);
            ASSERT_TRUE(read.executeStep());
            std::vector<double> values;
            ASSERT_TRUE(unpackChunk(read.getColumn(0).getString(), values));
            c.change(values);
            const std::string packed = packChunk(values);
            SQLite::Statement write(db, "UPDATE sample_chunk SET data=? WHERE channel=?");
            write.bind(1, packed.data(), static_cast<int>(packed.size()));
            write.bind(2, channel);
            write.exec();
            read.reset();
            EXPECT_EQ(!faults().empty(), c.damaged) << c.what << " " << channel;
        }
    }
}

/// A book with a recording of three blocks, temperature and cells among its channels.
class Damage : public ForeignBook {
  protected:
    static constexpr std::size_t kRows = 2 * kChunkSamples + 1000;
    void SetUp() override {
        std::string text = "Time (s),Voltage (V),Current (A),Temp (°C)\n";
        for (std::size_t k = 0; k < kRows; ++k)
            text += std::to_string(k) + "," + std::to_string(3.6 + 1e-6 * static_cast<double>(k)) +
                    ",1.0," + std::to_string(20 + k % 7) + "\n";
        log_ = *readTextTable(text, "long.csv");
        auto book = *BenchBook::open(path());
        NewRecording n;
        n.title = "long", n.fileName = "long.csv", n.originalBytes = text, n.imported = &log_;
        ASSERT_TRUE(book->addRecording(n));
    }
    void harm(const char* channel, int block) const {
        SQLite::Database db(path().string(), SQLite::OPEN_READWRITE, 5000);
        SQLite::Statement q(db, "UPDATE sample_chunk SET data=? WHERE channel=? AND chunk=?");
        const std::string other = packChunk(std::vector<double>(kChunkSamples, 1.5));
        q.bind(1, other.data(), static_cast<int>(other.size()));
        q.bind(2, channel);
        q.bind(3, block);
        ASSERT_EQ(q.exec(), 1);
    }
    Imported log_;
};

TEST_F(Damage, CostsThoseSamplesOnlyAndIsShown) {
    harm("current_A", 1);
    auto book = *BenchBook::open(path());
    const auto loaded = book->load(1);
    ASSERT_TRUE(loaded) << loaded.error().text();
    const Recording& r = **loaded;
    ASSERT_EQ(r.size(), kRows - kChunkSamples);
    EXPECT_EQ(r.time_s()[kChunkSamples], static_cast<double>(2 * kChunkSamples));
    ASSERT_EQ(r.gaps().size(), 1u);
    EXPECT_EQ(r.gaps()[0].before, kChunkSamples - 1);
    ASSERT_EQ(r.problems().size(), 1u);
    EXPECT_EQ(r.problems()[0].kind, "damaged_block");
    EXPECT_EQ(r.problems()[0].time_s, static_cast<double>(kChunkSamples));
    EXPECT_THAT(book->verify()->faults, Contains(HasSubstr("block 2 of current_A is damaged")));
}

TEST_F(Damage, OfAnOptionalChannelLeavesTheRowsThere) {
    harm("temperature_C", 0);
    const auto r = (*BenchBook::open(path()))->load(1);
    ASSERT_TRUE(r);
    EXPECT_EQ((*r)->size(), kRows);
    EXPECT_TRUE(std::isnan((*r)->temperature_C()[10]));
    EXPECT_FALSE(std::isnan((*r)->temperature_C()[kChunkSamples]));
    EXPECT_EQ((*r)->problems().size(), 1u);
}

TEST_F(Damage, AtEveryBlockOrOfAllOfThemIsAnErrorOrTheRest) {
    harm("time_s", 0);
    EXPECT_EQ((*(*BenchBook::open(path()))->load(1))->size(), kRows - kChunkSamples);
    harm("voltage_V", 1);
    EXPECT_EQ((*(*BenchBook::open(path()))->load(1))->size(), 1000u);
    sql("DELETE FROM sample_chunk WHERE channel='current_A' AND chunk=2");
    const auto gone = (*BenchBook::open(path()))->load(1);
    ASSERT_FALSE(gone);
    EXPECT_THAT(gone.error().text(), HasSubstr("original file"));
    EXPECT_THAT(faults(), Not(IsEmpty()));
}

TEST_F(Damage, AnyChangedByteOfABlockIsSeen) {
    std::mt19937 random(7);
    SQLite::Database db(path().string(), SQLite::OPEN_READWRITE, 5000);
    const std::string good =
        db.execAndGet("SELECT data FROM sample_chunk WHERE channel='current_A' AND chunk=2")
            .getString();
    auto book = *BenchBook::open(path());
    for (int k = 0; k < 60; ++k) {
        std::string bad = good;
        bad[random() % bad.size()] ^= static_cast<char>(1 << (random() % 8));
        SQLite::Statement q(db,
                            "UPDATE sample_chunk SET data=? WHERE channel='current_A' AND chunk=2");
        q.bind(1, bad.data(), static_cast<int>(bad.size()));
        q.exec();
        EXPECT_EQ((*book->load(1))->size(), kRows - 1000) << k;
    }
}

TEST_F(Damage, TwoBlocksThatChangedPlacesAreSeen) {
    sql("UPDATE sample_chunk SET chunk=99 WHERE channel='time_s' AND chunk=0;"
        "UPDATE sample_chunk SET chunk=0 WHERE channel='time_s' AND chunk=1;"
        "UPDATE sample_chunk SET chunk=1 WHERE channel='time_s' AND chunk=99");
    EXPECT_EQ((*(*BenchBook::open(path()))->load(1))->size(), 1000u);
}

TEST_F(Damage, OfTheOriginalIsNeverGivenOut) {
    sql("UPDATE original SET bytes=(SELECT data FROM sample_chunk LIMIT 1)");
    const auto bytes = (*BenchBook::open(path()))->original(1);
    ASSERT_FALSE(bytes);
    EXPECT_EQ(bytes.error().kind, ErrorKind::Unreadable);
    sql("UPDATE original SET size=3000000000");
    EXPECT_FALSE((*BenchBook::open(path()))->original(1));
    EXPECT_THAT(faults(), Contains(HasSubstr("original file")));
}

TEST(BookNames, ThatAreNoFilesAreRefused) {
    for (const char* name : {"", ":memory:", "file:x.nkbook?mode=memory", "file::memory:"}) {
        const auto book = BenchBook::open(name);
        ASSERT_FALSE(book) << name;
        EXPECT_EQ(book.error().kind, ErrorKind::InvalidArgument) << name;
    }
}

TEST_F(ForeignBook, AnEmptyFileIsADamagedBookAndStaysAsItIs) {
    std::ofstream(path()).close();
    const auto book = BenchBook::open(path());
    ASSERT_FALSE(book);
    EXPECT_EQ(book.error().kind, ErrorKind::Storage);
    EXPECT_THAT(book.error().text(), HasSubstr("0 bytes"));
    EXPECT_EQ(fs::file_size(path()), 0u);
}

/// Runs `work` in a child that may not override permissions; its exit status.
int asNobody(const std::function<int()>& work) {
    const pid_t pid = ::fork();
    if (pid == 0) {
        if (::getuid() == 0 && (::setgid(65534) != 0 || ::setuid(65534) != 0)) ::_exit(99);
        ::_exit(work());
    }
    int status = 0;
    ::waitpid(pid, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 98;
}

TEST_F(ForeignBook, InAFolderThatCannotBeWrittenToItIsRead) {
    for (const bool older : {false, true}) {
        fs::permissions(folder_.path(), fs::perms::all);
        fs::remove_all(backupFolder(path()));
        fs::remove(path());
        if (older)
            old();
        else
            today();
        fs::permissions(path(), fs::perms(0644));
        fs::permissions(folder_.path(), fs::perms(0555));
        const auto before = fs::last_write_time(path());
        EXPECT_EQ(asNobody([&] {
                      auto book = BenchBook::open(path(), false);
                      if (!book) return 1;
                      if (!(*book)->readOnly()) return 2;
                      const auto recording = (*book)->load(1);
                      if (!recording || (*recording)->size() < 100) return 3;
                      if (!(*book)->verify()->faults.empty()) return 4;
                      if ((*book)->renameRecording(1, "other")) return 5;
                      if ((*book)->recordings()->front().title != "small") return 6;
                      return 0;
                  }),
                  0)
            << (older ? "schema 3" : "today's schema");
        EXPECT_EQ(fs::last_write_time(path()), before);
        fs::permissions(folder_.path(), fs::perms::all);
    }
}

TEST_F(ForeignBook, MadeByThreeAtOnceItIsOneBook) {
    for (int round = 0; round < 5; ++round) {
        fs::remove(path());
        std::vector<pid_t> children;
        for (int k = 0; k < 3; ++k) {
            const pid_t pid = ::fork();
            if (pid == 0) {
                auto book = BenchBook::open(path());
                Battery b;
                b.rated_Ah = 2;
                const bool good = book && (*book)->batteryNamed("Spare pack", b) &&
                                  (*book)->batteryNamed("of " + std::to_string(k), b);
                ::_exit(good ? 0 : 1);
            }
            children.push_back(pid);
        }
        for (const pid_t pid : children) {
            int status = 1;
            ::waitpid(pid, &status, 0);
            EXPECT_EQ(status, 0);
        }
        auto book = *BenchBook::open(path(), false);
        EXPECT_EQ(book->batteries()->size(), 4u) << "one of the common name, and each one's own";
        int files = 0;
        for (const auto& entry : fs::directory_iterator(folder_.path()))
            files += entry.path().string().find(".new-") != std::string::npos;
        EXPECT_EQ(files, 0);
    }
}

TEST_F(ForeignBook, BackupsKeepToTheirRoom) {
    today();
    auto book = *BenchBook::open(path());
    BackupPlan plan;
    plan.keep = 5;
    plan.room_bytes = 2 * fs::file_size(path()) + 100'000;
    for (int day = 0; day < 4; ++day) ASSERT_TRUE(backupNow(*book, 1.8e9 + 86400.0 * day, plan));
    EXPECT_LE(backupsOf(path())->size(), 3u);
    plan.room_bytes = 1;
    ASSERT_TRUE(backupNow(*book, 1.9e9, plan));
    ASSERT_EQ(backupsOf(path())->size(), 1u) << "the newest is always kept";
    EXPECT_EQ(backupsOf(path())->front().at_s, 1.9e9);
}

TEST(RowText, ReadsOnlyWhatAJournalHolds) {
    const RowTable& battery = *journaledTable("battery");
    const std::string good =
        "id=1,name='a''b,c=d',chemistry='',series=3,parallel=1,rated_Ah=2.5,mass_kg=0.0,card='{}'";
    const auto row = parseRow(battery, good);
    ASSERT_TRUE(row);
    EXPECT_EQ(std::get<std::string>((*row)[1].second), "a'b,c=d");
    EXPECT_EQ(rowText(*row), good);
    for (const char* bad :
         {"", "id", "id=", "id=1,", "name='x'", "id='1'", "id=1,name=5", "id=1,name='x",
          "id=1,name='x'y", "id=1,rated_Ah=nan", "id=1,rated_Ah=1e999", "id=1,id=1",
          "id=1,name='x',name='y'", "id=1;DELETE", "id=1,colour='red'", "id=1 OR 1", "id=NULL",
          "id=1,series=1.5", "id=99999999999999999999"})
        EXPECT_FALSE(parseRow(battery, bad)) << bad;
}

}  // namespace
}  // namespace nk
