// What the book knows of a battery beyond its card: parts, a look at its skin, the drawer, the due
// list, the table of the shelf. Calendar and table are read back by parsers that are not ours
// (python3-icalendar; the csv module of Python).
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <SQLiteCpp/SQLiteCpp.h>

#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>

#include "history/due.h"
#include "history/habit_file.h"
#include "history/rules.h"
#include "history/self_discharge.h"
#include "history/shelf_table.h"
#include "history/skin_check.h"
#include "quantity/iso_time.h"
#include "report/calendar.h"
#include "tests/support/book_state.h"
#include "tests/support/folder.h"

using namespace nk;
using testing::AllOf;
using testing::ElementsAre;
using testing::Field;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

namespace {

constexpr double kDay = 86400;
constexpr double kNow = 1.7e9;

/// What a line of Python prints, with `input` as its standard input.
std::string python(const std::string& code, const std::filesystem::path& folder,
                   const std::string& input) {
    const auto program = folder / "read.py";
    const auto data = folder / "data";
    std::ofstream(program) << code;
    std::ofstream(data, std::ios::binary) << input;
    const std::string command =
        "/usr/bin/python3 '" + program.string() + "' < '" + data.string() + "' 2>&1";
    std::string out;
    std::FILE* pipe = ::popen(command.c_str(), "r");
    char part[4096];
    while (pipe != nullptr && std::fgets(part, sizeof part, pipe) != nullptr) out += part;
    if (pipe != nullptr) ::pclose(pipe);
    return out;
}

class ShelfBook : public testing::Test {
  protected:
    ShelfBook() { book = std::move(*BenchBook::open(folder.path() / "shelf.nkbook")); }

    std::int64_t battery(const std::string& name, const char* chemistry = "nmc", int series = 3) {
        Battery b;
        b.name = name;
        b.chemistry = chemistry;
        b.series = series;
        b.rated_Ah = 5;
        return *book->addBattery(b);
    }
    /// A whole discharge of 3S, 5 Ah from full, by arithmetic: a line with a steep end.
    static const Imported& wholeLog() {
        static const Imported log = [] {
            std::string text = "Time (s),Voltage (V),Current (A)\n";
            for (int t = 0; t <= 600 + 3456 * 5; t += 20) {
                const double out = std::max(0, t - 600) / (3456.0 * 5);
                const double v =
                    t < 600 ? 4.18
                            : 4.14 - 0.8 * out - (out > 0.9 ? 34 * std::pow(out - 0.9, 2) : 0);
                text += fmt::format("{},{:.3f},{:.3f}\n", t, 3 * v, t < 600 ? 0.0 : -1.0);
            }
            return *readTextTable(text, "whole.csv");
        }();
        return log;
    }
    void log(std::int64_t id, double at_s, double moved, double capacity = kNaN) {
        const Imported& shape = std::isfinite(capacity) ? wholeLog() : test::smallLog();
        Imported dated = shape;
        dated.startEpoch_s = at_s - shape.recording->duration_s();
        NewRecording r;
        r.batteryId = id;
        r.title = "log " + std::to_string(++logs);
        r.fileName = "x.csv";
        r.importedAt_s = at_s;
        const std::string bytes = "bytes " + std::to_string(logs);
        r.originalBytes = bytes;
        r.imported = &dated;
        r.summary.moved_Ah = moved;
        r.summary.capacity_Ah = capacity;
        ASSERT_TRUE(book->addRecording(r));
    }
    std::vector<std::string> tasksOf(std::int64_t id, double now_s = kNow) {
        std::vector<std::string> out;
        const auto tasks = dueTasks(*book, now_s, DueRules{});
        for (const DueTask& t : *tasks)
            if (t.batteryId == id) out.push_back(t.task);
        return out;
    }

    test::Folder folder;
    std::unique_ptr<BenchBook> book;
    int logs = 0;
};

TEST_F(ShelfBook, KeepsWhatIsKnownOfABatteryAndUndoesIt) {
    const auto module = battery("Module");
    const auto pack = battery("Pack");
    BatteryLife life;
    life.partOf = pack;
    life.position = 3;
    life.serial = "A-17";
    life.tags = {"field", "cold nights"};
    life.usedIn = "dome heater";
    life.bought_s = 1.6e9;
    life.worth = 42.5;
    life.worthUnit = "h";
    life.notes = "two lines\nof it";
    ASSERT_TRUE(book->setLife(module, life));
    EXPECT_TRUE(book->lives()->at(module) == life);
    ASSERT_TRUE(book->undo());
    EXPECT_FALSE(book->lives()->contains(module));
    ASSERT_TRUE(book->redo());
    EXPECT_TRUE(book->lives()->at(module) == life);
    // A whole that goes leaves its parts; undo joins them again.
    ASSERT_TRUE(book->removeBattery(pack));
    EXPECT_EQ(book->lives()->at(module).partOf, 0);
    ASSERT_TRUE(book->undo());
    EXPECT_EQ(book->lives()->at(module).partOf, pack);
    EXPECT_TRUE(book->verify()->faults.empty());
}

TEST_F(ShelfBook, RefusesWhatMakesNoSense) {
    const auto a = battery("A");
    const auto b = battery("B");
    const auto c = battery("C");
    BatteryLife life;
    life.partOf = b;
    ASSERT_TRUE(book->setLife(a, life));
    life.partOf = c;
    ASSERT_TRUE(book->setLife(b, life));
    life.partOf = a;
    EXPECT_FALSE(book->setLife(c, life)) << "in a circle";
    life.partOf = a;
    EXPECT_FALSE(book->setLife(a, life)) << "of itself";
    life = {};
    life.worth = 3;
    EXPECT_FALSE(book->setLife(a, life)) << "three of what";
    life = {};
    life.tags = {"one, two"};
    EXPECT_FALSE(book->setLife(a, life));
    EXPECT_FALSE(book->addPhoto("no picture"));
    const std::string picture = "\x89PNG\r\n\x1A\n and the rest";
    const auto hash = book->addPhoto(picture);
    ASSERT_TRUE(hash);
    EXPECT_EQ(*book->photo(*hash), picture);
    EXPECT_EQ(*book->photo("none"), "");
}

TEST_F(ShelfBook, AHazardAtTheSkinTakesItOutOfUseUntilAPersonSaysOtherwise) {
    const auto id = battery("Lamp");
    EXPECT_EQ(*addSkinCheck(*book, id, {}, "", kNow), SkinGrade::Fine);
    EXPECT_EQ(*addSkinCheck(*book, id, {"corroded"}, "", kNow + 1), SkinGrade::Watch);
    EXPECT_FALSE(book->lives()->contains(id));
    EXPECT_EQ(*addSkinCheck(*book, id, {"corroded", "swollen"}, "at one end", kNow + 2),
              SkinGrade::Hazard);
    EXPECT_EQ(book->lives()->at(id).outOfUse, "swollen");
    const auto verdict = judgeBattery(*book, id);
    ASSERT_TRUE(verdict);
    EXPECT_EQ(verdict->verdict, "retire");
    EXPECT_EQ(verdict->reasons.front().rule, "skin");
    EXPECT_THAT(tasksOf(id), IsEmpty()) << "nothing is asked of it any more";
    // One act: the look and what follows from it.
    ASSERT_TRUE(book->undo());
    EXPECT_THAT(*book->spotReadings(id), SizeIs(2));
    EXPECT_FALSE(book->lives()->contains(id));
    ASSERT_TRUE(book->redo());
    ASSERT_TRUE(bringBack(*book, id));
    EXPECT_EQ(book->lives()->at(id).outOfUse, "");
    EXPECT_NE(judgeBattery(*book, id)->verdict, "retire");
    EXPECT_FALSE(addSkinCheck(*book, 4711, {}, "", kNow));
}

TEST_F(ShelfBook, TheDueListAsksByWhatTheBookSaw) {
    const auto pack = battery("Mount pack");
    const auto radio = battery("Radio module", "nimh", 8);
    const auto unknown = battery("Never seen");
    log(pack, kNow - 100 * kDay, 5, 4.8);
    log(radio, kNow - 10 * kDay, 5, 4.8);
    EXPECT_THAT(tasksOf(pack), ElementsAre("balance_charge", "storage_check", "retest"));
    EXPECT_THAT(tasksOf(radio), ElementsAre("nickel_refresh", "storage_check", "retest"));
    EXPECT_THAT(tasksOf(unknown), IsEmpty());
    const auto all = *dueTasks(*book, kNow, {});
    EXPECT_TRUE(all.front().overdue(kNow));
    EXPECT_FALSE(all.back().overdue(kNow));
    EXPECT_THAT(dueLine(all, kNow), HasSubstr("2 things are due; first Mount pack"));
    EXPECT_EQ(dueLine(all, kNow - 200 * kDay), "");
    // The habit it lives by says how often it is charged for its balancer.
    Habit weekly;
    weekly.fullChargeEveryWeeks = 3;
    const auto before = all.front().due_s;
    ASSERT_TRUE(book->setSetting(habitsSetting(pack), keptHabits({weekly})));
    EXPECT_NEAR(before - dueTasks(*book, kNow, {})->front().due_s, (90 - 21) * kDay, 1);
    ASSERT_TRUE(book->setSetting(habitsSetting(pack), "{damaged"));
    EXPECT_NEAR(dueTasks(*book, kNow, {})->front().due_s, before, 1);
    // Ticked off, it counts anew; undo brings it back.
    ASSERT_TRUE(tickOff(*book, all.front(), kNow));
    EXPECT_EQ(dueTasks(*book, kNow, {})->back().task, "retest");
    EXPECT_THAT(dueLine(*dueTasks(*book, kNow, {}), kNow), HasSubstr("Due today: Mount pack"));
    ASSERT_TRUE(book->undo());
    EXPECT_THAT(dueLine(*dueTasks(*book, kNow, {}), kNow), HasSubstr("2 things"));
    // Into the drawer: nothing is asked.
    ASSERT_TRUE(setRetired(*book, pack, true, kNow));
    EXPECT_THAT(tasksOf(pack), IsEmpty());
}

TEST_F(ShelfBook, OfEqualOnesTheOneLongestUnusedIsNext) {
    const auto first = battery("First", "nmc", 1);
    const auto second = battery("Second", "nmc", 1);
    log(first, kNow - 50 * kDay, 1);
    log(second, kNow - 60 * kDay, 1);
    EXPECT_THAT(tasksOf(second), testing::Contains("rotation"));
    EXPECT_THAT(tasksOf(first), testing::Not(testing::Contains("rotation")));
    log(second, kNow - kDay, 1);
    EXPECT_THAT(tasksOf(first), testing::Contains("rotation"));
}

TEST_F(ShelfBook, RulesAreTheBooksAndKeptInTheirLimits) {
    VerdictRules rules = *verdictRules(*book);
    EXPECT_EQ(rules.weak, 0.6);
    rules.weak = 0.7;
    ASSERT_TRUE(setVerdictRules(*book, rules));
    EXPECT_EQ(verdictRules(*book)->weak, 0.7);
    rules.weak = 7;
    EXPECT_FALSE(setVerdictRules(*book, rules));
    EXPECT_EQ(verdictRules(*book)->weak, 0.7);
    ASSERT_TRUE(
        book->setSetting("due_rules", "{\"retest_days\": \"soon\", \"balance_days\": 1e99}"));
    EXPECT_EQ(dueRules(*book)->retest_days, DueRules{}.retest_days) << "what is no figure is none";
    EXPECT_EQ(dueRules(*book)->balance_days, DueRules{}.balance_days);
}

TEST_F(ShelfBook, AnIndependentParserReadsTheCalendar) {
    const auto id = battery("Mount pack; \"dusk\", first\nline");
    log(id, kNow - 100 * kDay, 5, 4.8);
    const auto tasks = *dueTasks(*book, kNow, {});
    const std::string seen = python(
        "import sys, icalendar\n"
        "c = icalendar.Calendar.from_ical(sys.stdin.buffer.read())\n"
        "for e in c.walk('VEVENT'):\n"
        "    print(e['UID'], e['DTSTART'].dt, '|', e['SUMMARY'])\n",
        folder.path(), dueCalendar(tasks, kNow));
    EXPECT_EQ(std::count(seen.begin(), seen.end(), '\n'), std::ptrdiff_t(tasks.size())) << seen;
    EXPECT_THAT(seen, HasSubstr("-balance_charge@narrow-knee 2023-11-14 | Mount pack; \"dusk\", "
                                "first line: Charge it to the very end"));
    EXPECT_THAT(seen,
                HasSubstr("-retest@narrow-knee " + isoTime(tasks.back().due_s).substr(0, 10)));
    EXPECT_EQ(
        python("import sys, icalendar\nprint(len(icalendar.Calendar.from_ical(sys.stdin.buffer."
               "read()).walk('VEVENT')))",
               folder.path(), dueCalendar({}, kNow)),
        "0\n");
}

TEST_F(ShelfBook, TheTableGoesOutAndInWithoutLoss) {
    const auto pack = battery("=1+1, \"quoted\"\nname");
    const auto part = battery("Module ä");
    BatteryLife life;
    life.partOf = pack;
    life.position = 2;
    life.tags = {"a", "b c"};
    life.notes = "-minus, \"and\"\nlines";
    life.worth = 0.1 + 0.2;
    life.worthUnit = "km";
    life.retired_s = 1.6e9;
    ASSERT_TRUE(book->setLife(part, life));
    Battery b = book->batteries()->front().battery;
    b.rules = {"-dv:5mV"};
    b.rated_Ah = 1.0 / 3;
    ASSERT_TRUE(book->updateBattery(pack, book->batteries()->front().revision, b));
    const std::string table = *shelfTable(*book);
    // Python's reader sees the same cells, and no formula.
    EXPECT_EQ(python("import csv, sys, io\n"
                     "t = io.TextIOWrapper(sys.stdin.buffer, encoding='utf-8', newline='')\n"
                     "r = list(csv.DictReader(t, strict=True))\n"
                     "print(len(r), r[0]['name'].startswith(\"'=1+1, \\\"quoted\\\"\"), "
                     "r[1]['notes'] == \"'-minus, \\\"and\\\"\\nlines\", r[0]['rated_Ah'], "
                     "r[1]['tags'], r[1]['part_of'] == r[0]['id'])",
                     folder.path(), table),
              "2 True True 0.3333333333333333 a,b c True\n");
    auto other = std::move(*BenchBook::open(folder.path() / "other.nkbook"));
    Battery before;
    before.name = "Somebody";
    ASSERT_TRUE(other->addBattery(before));
    const auto taken = takeShelfTable(*other, table);
    ASSERT_TRUE(taken) << taken.error().text();
    EXPECT_EQ(taken->added, 2);
    const auto batteries = *other->batteries();
    ASSERT_THAT(batteries, SizeIs(3));
    EXPECT_EQ(batteries[1].battery.name, book->batteries()->front().battery.name);
    EXPECT_EQ(batteries[1].battery.rated_Ah, 1.0 / 3);
    EXPECT_THAT(batteries[1].battery.rules, ElementsAre("-dv:5mV"));
    life.partOf = batteries[1].id;
    EXPECT_TRUE(other->lives()->at(batteries[2].id) == life);
    // Again: nothing to do. And it was one act.
    const auto again = takeShelfTable(*other, table);
    EXPECT_EQ(again->unchanged, 2);
    EXPECT_EQ(again->added + again->changed, 0);
    ASSERT_TRUE(other->undo());
    EXPECT_THAT(*other->batteries(), SizeIs(1));
}

TEST_F(ShelfBook, ATableThatCannotBeRightChangesNothing) {
    battery("Pack");
    const std::string before = test::stateOf(*book);
    const std::pair<const char*, const char*> wrong[] = {
        {"", "no column with the names"},
        {"title\nx\n", "not known: title"},
        {"name,name\nx,y\n", "stands twice"},
        {"name,series\nNew,3\nOther,many\n", "row 3, column series"},
        {"name,rated_Ah\nNew,-3\n", "row 2, column rated_Ah"},
        {"name,rated_Ah\nNew,nan\n", "row 2, column rated_Ah"},
        {"name,bought\nNew,yesterday\n", "a day such as"},
        {"name,part_of\nNew,7\n", "the id of a row"},
        {"id,name,part_of\n7,New,7\n", "part of itself"},
        {"name\nNew,more\n", "row 2"},
        {"name\n\"open\n", "closed"},
        {"name,chemistry\nNew,unobtainium\n", "row 2"},
    };
    for (const auto& [table, words] : wrong) {
        const auto taken = takeShelfTable(*book, table);
        ASSERT_FALSE(taken) << table;
        EXPECT_THAT(taken.error().text(), HasSubstr(words)) << table;
        EXPECT_EQ(test::stateOf(*book), before) << table;
    }
    const auto taken = takeShelfTable(*book, "\xEF\xBB\xBFname,serial\r\nPack,S1\r\n\r\nNew,S2");
    ASSERT_TRUE(taken) << taken.error().text();
    EXPECT_EQ(taken->changed, 1);
    EXPECT_EQ(taken->added, 1);
}

TEST_F(ShelfBook, TakenIntoAnotherBookItKeepsPartsPictureAndTicks) {
    const auto pack = battery("Pack");
    const auto part = battery("Part", "nmc", 1);
    BatteryLife life;
    life.partOf = pack;
    life.photo = *book->addPhoto("\xFF\xD8\xFFpicture");
    ASSERT_TRUE(book->setLife(part, life));
    ASSERT_TRUE(book->addTaskDone({0, pack, "retest", kNow}));
    auto other = std::move(*BenchBook::open(folder.path() / "other.nkbook"));
    Battery b;
    b.name = "First";
    ASSERT_TRUE(other->addBattery(b));
    ASSERT_TRUE(other->takeIn(*book));
    const auto lives = *other->lives();
    ASSERT_THAT(lives, SizeIs(1));
    EXPECT_EQ(lives.begin()->second.partOf, 2);
    EXPECT_EQ(*other->photo(lives.begin()->second.photo), "\xFF\xD8\xFFpicture");
    EXPECT_THAT(*other->tasksDone(), SizeIs(1));
    ASSERT_TRUE(other->takeIn(*book));
    EXPECT_THAT(*other->tasksDone(), SizeIs(1)) << "nothing doubled";
}

TEST_F(ShelfBook, VoltagesDaysApartTellTheSelfDischarge) {
    const auto id = battery("Pack", "nmc", 3);
    const auto volts = [&](double perCell, double at_s) {
        SpotReading s;
        s.batteryId = id;
        s.kind = "voltage";
        s.value = 3 * perCell;
        s.resolution = 0.001;
        s.atEpoch_s = at_s;
        ASSERT_TRUE(book->addSpotReading(s));
    };
    volts(3.900, kNow);
    volts(3.897, kNow + kDay);  // too near
    volts(3.880, kNow + 20 * kDay);
    log(id, kNow + 30 * kDay, 3);
    volts(3.700, kNow + 40 * kDay);  // used between
    const auto found = selfDischarge(*batteryHistory(*book, id), *book->recordings());
    ASSERT_THAT(found, SizeIs(1));
    EXPECT_NEAR(found[0].mV_per_day, 17.0 / 19, 0.01);
    // By the usual curve, 17 mV there are two to four per cent in nineteen days.
    EXPECT_GT(found[0].lowPercent, 1);
    EXPECT_LT(found[0].highPercent, 8);
    EXPECT_LT(found[0].lowPercent, found[0].highPercent);
}

TEST_F(ShelfBook, ABookOfSchema5IsBroughtUpWhole) {
    const auto path = folder.path() / "old.nkbook";
    {
        SQLite::Database db(path.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        std::ifstream file(std::string(NK_SOURCE_DIR) + "/tests/book/schema-5.sql");
        const std::string sql{std::istreambuf_iterator<char>(file), {}};
        ASSERT_FALSE(sql.empty());
        db.exec(sql);
    }
    const auto opened = BenchBook::open(path);
    ASSERT_TRUE(opened) << opened.error().text();
    BenchBook& old = **opened;
    ASSERT_THAT(*old.batteries(), SizeIs(1));
    ASSERT_THAT(*old.recordings(), SizeIs(1));
    ASSERT_THAT(*old.readings(1), SizeIs(1));
    EXPECT_EQ(old.readings(1)->front().value, 1.23);
    BatteryLife life;
    life.serial = "S";
    ASSERT_TRUE(old.setLife(1, life));
    ASSERT_TRUE(old.undo());
    ASSERT_TRUE(old.undo()) << "its own journal still holds";
    EXPECT_TRUE(old.verify()->faults.empty());
}

TEST(IsoTime, GoesBothWays) {
    EXPECT_EQ(isoTime(1777658400), "2026-05-01T18:00:00Z");
    EXPECT_EQ(fromIsoTime("2026-05-01T18:00:00Z"), 1777658400);
    EXPECT_EQ(fromIsoTime("2026-05-01 18:00"), 1777658400);
    EXPECT_EQ(fromIsoTime("2024-02-29"), 1709164800);
    for (const char* none : {"", "2026-02-30", "2026-5-1", "yesterday", "2026-05-01T25:00",
                             "-2026-05-01", "2026-05-01T18:00:00+02:00"})
        EXPECT_TRUE(std::isnan(fromIsoTime(none))) << none;
    EXPECT_EQ(isoTime(-1), "");
}

}  // namespace
