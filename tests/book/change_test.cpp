// One act is one change; what belongs to the book beside batteries and logs; books of schema 4; two
// books merged.
#include <SQLiteCpp/SQLiteCpp.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fstream>
#include <set>

#include "quantity/phrase.h"
#include "tests/support/book_state.h"
#include "tests/support/folder.h"

using namespace nk;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::SizeIs;

namespace {

class Changes : public testing::Test {
  protected:
    void SetUp() override { book = openAt("b.nkbook"); }
    std::unique_ptr<BenchBook> openAt(const std::string& name) {
        auto opened = BenchBook::open(folder.path() / name);
        EXPECT_TRUE(opened) << opened.error().text();
        return opened ? std::move(*opened) : nullptr;
    }
    static Battery named(const std::string& name) {
        Battery b;
        b.name = name, b.chemistry = "nmc", b.series = 1, b.rated_Ah = 2;
        return b;
    }
    static std::int64_t add(BenchBook& into, std::int64_t battery, const std::string& title,
                            const std::string& bytes) {
        NewRecording n;
        n.batteryId = battery, n.title = title, n.fileName = title + ".csv";
        n.originalBytes = bytes, n.imported = &test::smallLog();
        const auto id = into.addRecording(n);
        EXPECT_TRUE(id) << id.error().text();
        return id.value_or(0);
    }

    test::Folder folder;
    std::unique_ptr<BenchBook> book;
};

TEST_F(Changes, ManyThingsDoneAsOneActAreOneStepOfUndo) {
    const std::string before = test::stateOf(*book);
    const auto done = book->change({"move_many", {"2"}}, [&]() -> Expected<void> {
        const auto battery = book->addBattery(named("Lamp"));
        if (!battery) return tl::unexpected<Error>(battery.error());
        add(*book, *battery, "one", "1");
        add(*book, *battery, "two", "2");
        return {};
    });
    ASSERT_TRUE(done) << done.error().text();
    ASSERT_EQ(book->recordings()->size(), 2u);
    const std::string after = test::stateOf(*book);
    EXPECT_EQ(*book->undo(), "move 2 recordings");
    EXPECT_TRUE(book->recordings()->empty());
    EXPECT_TRUE(book->batteries()->empty());
    EXPECT_EQ(*book->undoLabel(), "");
    EXPECT_EQ(test::stateOf(*book), before);
    EXPECT_EQ(*book->redo(), "move 2 recordings");
    EXPECT_EQ(test::stateOf(*book), after);
}

TEST_F(Changes, AnErrorTakesTheWholeActBackAndAFailedPartOnlyItself) {
    const auto refused = book->change({"demo"}, [&]() -> Expected<void> {
        EXPECT_TRUE(book->addBattery(named("half")));
        return fail(ErrorKind::Cancelled, "enough");
    });
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().what, "enough");
    EXPECT_TRUE(book->batteries()->empty());
    const auto kept = book->change({"demo"}, [&]() -> Expected<void> {
        EXPECT_TRUE(book->addBattery(named("whole")));
        NewRecording orphan;  // refers to a battery that is not there: refused by the book's rules
        orphan.batteryId = 77, orphan.title = "x", orphan.fileName = "x",
        orphan.originalBytes = "x";
        orphan.imported = &test::smallLog();
        EXPECT_FALSE(book->addRecording(orphan));
        return {};
    });
    ASSERT_TRUE(kept);
    EXPECT_EQ(book->batteries()->size(), 1u);
    EXPECT_TRUE(book->recordings()->empty());
    EXPECT_TRUE(book->verify()->faults.empty());
    EXPECT_EQ(*book->undo(), "add the demo bench");
    EXPECT_TRUE(book->batteries()->empty());
}

TEST_F(Changes, LabelsFollowTheLanguageOfWhoeverLooks) {
    ASSERT_TRUE(book->addBattery(named("Lampe")));
    EXPECT_EQ(*book->undoLabel(), "add Lampe");
    const Presenting other({{}, [](const char* english) {
                                return std::string(english) == "add {}" ? std::string("{} dazu")
                                                                        : std::string(english);
                            }});
    EXPECT_EQ(*book->undoLabel(), "Lampe dazu");
}

TEST_F(Changes, AHostileLabelIsPlainWordsOrNone) {
    for (const std::string& stored :
         {std::string("[\"add\",\"\\u001b[31mred\"]"), std::string("[1,2]"),
          std::string("[\"nothing of ours\"]"), std::string("["), std::string("plain sentence")}) {
        const std::string words = labelWords(stored);
        EXPECT_EQ(words.find('\x1b'), std::string::npos) << stored;
        EXPECT_FALSE(words.empty()) << stored;
    }
    EXPECT_EQ(labelWords("[\"nothing of ours\"]"), "a change");
    EXPECT_EQ(labelWords(labelText({"rename", {"a, \"b\""}})), "rename to a, \"b\"");
}

TEST_F(Changes, ARestoredBatteryNeverHasARevisionThatSomebodyMayHold) {
    const auto id = *book->addBattery(named("Lamp"));
    std::set<std::int64_t> seen = {book->batteries()->front().revision};
    const auto stale = book->batteries()->front().revision;
    ASSERT_TRUE(book->updateBattery(id, stale, named("Lamp 2")));
    const auto note = [&] {
        const auto all = book->batteries();
        if (all->empty()) return;
        EXPECT_TRUE(seen.insert(all->front().revision).second)
            << "revision " << all->front().revision << " came twice";
    };
    note();
    ASSERT_TRUE(book->undo());  // the change of name
    note();
    ASSERT_TRUE(book->undo());  // the battery
    ASSERT_TRUE(book->redo());
    note();
    ASSERT_TRUE(book->redo());
    note();
    ASSERT_TRUE(book->removeBattery(id));
    ASSERT_TRUE(book->undo());
    note();
    const auto refused = book->updateBattery(id, stale, named("over it"));
    EXPECT_FALSE(refused) << "a window with the old card would write over the new one";
}

TEST_F(Changes, InstrumentsChargersAndChecksComeAndGoWithUndo) {
    const auto battery = *book->addBattery(named("Lamp"));
    const auto log = add(*book, battery, "one", "1");
    Instrument meter{"Desk meter", {0.001, 2, 0.01, 3, 0.5}, {"shape a", "shape b"}, "on the left"};
    const auto instrument = book->addInstrument(meter);
    ASSERT_TRUE(instrument);
    const auto charger = book->addCharger({"Old grey one", "hums"});
    ASSERT_TRUE(charger);
    ASSERT_TRUE(book->setInstrument(log, *instrument));
    ASSERT_TRUE(book->setCharger(log, *charger));
    MeterCheck check;
    check.instrumentId = *instrument;
    check.at_s = 1.7e9;
    check.correction = {0, Correction::Kind::LeadResistance, 0.03, 0.002, 0, kNaN, "leads"};
    ASSERT_TRUE(book->addMeterCheck(check));
    book = openAt("b.nkbook");
    ASSERT_THAT(*book->instruments(), SizeIs(1));
    EXPECT_EQ(book->instruments()->front().instrument, meter);
    ASSERT_THAT(*book->meterChecks(), SizeIs(1));
    EXPECT_EQ(book->meterChecks()->front().correction.value, 0.03);
    EXPECT_EQ(book->recordings()->front().instrumentId, *instrument);
    EXPECT_EQ(book->recordings()->front().chargerId, *charger);
    // Another window was faster: nothing is written over its change.
    const auto entry = book->instruments()->front();
    meter.accuracy.voltageGain = 0.002;
    ASSERT_TRUE(book->updateInstrument(entry.id, entry.revision, meter));
    EXPECT_FALSE(book->updateInstrument(entry.id, entry.revision, meter));
    for (const char* label :
         {"change the instrument Desk meter", "correct the recording by a meter",
          "name the charger of a recording", "name the instrument of a recording",
          "add the charger Old grey one", "add the instrument Desk meter", "add one", "add Lamp"})
        EXPECT_EQ(*book->undo(), label);
    EXPECT_TRUE(book->instruments()->empty());
    EXPECT_TRUE(book->chargers()->empty());
    for (int k = 0; k < 8; ++k) ASSERT_TRUE(book->redo());
    EXPECT_EQ(book->instruments()->front().instrument.accuracy.voltageGain, 0.002);
    EXPECT_EQ(book->recordings()->front().chargerId, *charger);
    EXPECT_TRUE(book->verify()->faults.empty());
}

TEST_F(Changes, WhatTheProgramStoresByItselfIsNoStepOfUndo) {
    const auto log = add(*book, *book->addBattery(named("Lamp")), "one", "1");
    StoredStudy study;
    study.fingerprint = "abc";
    StoredReading r;
    r.name = "delivered_capacity", r.value = 1.25, r.uncertainty = 0.01, r.low = 1.23,
    r.high = 1.27;
    r.unit = "Ah", r.method = "m", r.step = 3, r.from_s = 1, r.to_s = 2, r.quoted = true;
    r.conditions.cRate = 0.2, r.conditions.beganFull = false, r.conditions.temperature_C = -5;
    study.readings = {r};
    study.findings = {{log, Severity::Hazard, "overvoltage", "Too much.", 1, 2}};
    study.strength = std::string("\0\x01packed", 8);
    ASSERT_TRUE(book->setStudy(log, study, {}));
    EXPECT_EQ(*book->undoLabel(), "add one");
    const auto back = book->readings(log);
    ASSERT_THAT(*back, SizeIs(1));
    EXPECT_EQ(back->front().value, 1.25);
    EXPECT_EQ(back->front().step, 3);
    EXPECT_TRUE(back->front().quoted);
    EXPECT_EQ(back->front().conditions.cRate, 0.2);
    EXPECT_EQ(back->front().conditions.beganFull, std::optional<bool>(false));
    EXPECT_TRUE(std::isnan(back->front().conditions.soc));
    EXPECT_EQ(book->findings(log)->front().code, "overvoltage");
    EXPECT_EQ(*book->strengthOf(log), study.strength);
    EXPECT_EQ(book->recordings()->front().fingerprint, "abc");
    // Made anew, it takes the place of the old; off the shelf, it is in no list.
    study.readings.clear();
    ASSERT_TRUE(book->setStudy(log, study, {}));
    EXPECT_TRUE(book->readings(log)->empty());
    EXPECT_TRUE(book->setStudy(4711, study, {})) << "one that is gone is passed over";
    EXPECT_TRUE(book->verify()->faults.empty());
}

TEST_F(Changes, ABookOfSchema4KeepsItsEditsAndItsJournal) {
    const auto path = folder.path() / "old.nkbook";
    {
        SQLite::Database db(path.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        std::ifstream file(std::string(NK_SOURCE_DIR) + "/tests/book/schema-4.sql");
        const std::string sql{std::istreambuf_iterator<char>(file), {}};
        ASSERT_FALSE(sql.empty());
        db.exec(sql);
    }
    const auto old = openAt("old.nkbook");
    ASSERT_TRUE(old);
    const auto edits = old->edits(1);
    ASSERT_TRUE(edits);
    ASSERT_THAT(*edits, SizeIs(2));
    // The split made two discharges where one was found; the new name holds for the second.
    ASSERT_THAT((*edits)[0].made, SizeIs(2));
    EXPECT_EQ((*edits)[0].made[0].kind, StepKind::CcDischarge);
    EXPECT_EQ((*edits)[0].made[1].from_s, 1100);
    EXPECT_THAT((*edits)[1].made, ElementsAre(EditedStep{1100, 1430, StepKind::Pulse}));
    EXPECT_EQ(*old->undoLabel(), "edit the steps");
    ASSERT_TRUE(old->undo());
    EXPECT_TRUE(old->edits(1)->empty());
    ASSERT_TRUE(old->redo()) << "as they were asked for";
    EXPECT_THAT(*old->edits(1), SizeIs(2));
    for (int k = 0; k < 3; ++k) ASSERT_TRUE(old->undo());
    EXPECT_TRUE(old->batteries()->empty());
    for (int k = 0; k < 3; ++k) ASSERT_TRUE(old->redo());
    EXPECT_EQ(old->recordings()->size(), 1u);
    EXPECT_TRUE(old->verify()->faults.empty());
}

TEST_F(Changes, TwoBooksBecomeOneWithNothingDoubled) {
    const auto other = openAt("other.nkbook");
    const auto lamp = *book->addBattery(named("Lamp"));
    const auto shared = add(*book, lamp, "shared", "the same bytes");
    const auto lampThere = *other->addBattery(named("Lamp"));
    const auto sharedThere = add(*other, lampThere, "shared, renamed", "the same bytes");
    const auto onlyThere = add(*other, lampThere, "only there", "other bytes");
    Battery otherKind = named("Lamp");
    otherKind.chemistry = "nimh";
    const auto second = *other->addBattery(otherKind);
    add(*other, second, "of the other", "third bytes");
    ASSERT_TRUE(other->addCorrection(
        sharedThere, {0, Correction::Kind::VoltageOffset, 0.01, 0.001, 0, kNaN, "an offset"}));
    const auto instrument = *other->addInstrument({"Desk meter", {}, {}, {}});
    ASSERT_TRUE(other->setInstrument(onlyThere, instrument));
    SpotReading spot;
    spot.batteryId = lampThere, spot.kind = "voltage", spot.value = 3.9, spot.atEpoch_s = 5;
    ASSERT_TRUE(other->addSpotReading(spot));
    const std::string before = test::stateOf(*book);
    const std::string there = test::stateOf(*other);

    const auto report = book->takeIn(*other);
    ASSERT_TRUE(report) << report.error().text();
    EXPECT_EQ(report->batteries, 1);
    EXPECT_EQ(report->recordings, 2);
    EXPECT_EQ(report->known, 1);
    EXPECT_THAT(report->notes, testing::Contains(HasSubstr("Lamp 2")));
    EXPECT_EQ(test::stateOf(*other), there) << "the other book is not changed";
    ASSERT_EQ(book->recordings()->size(), 3u);
    EXPECT_EQ(book->corrections(shared)->size(), 1u) << "what was known only there";
    EXPECT_EQ(book->spotReadings(lamp)->size(), 1u);
    const auto merged = book->recordings();
    for (const RecordingEntry& e : *merged) {
        EXPECT_EQ((*book->load(e.id))->size(), test::smallLog().recording->size()) << e.title;
        if (e.title != "only there") continue;
        EXPECT_EQ(e.instrumentId, book->instruments()->front().id);
        EXPECT_EQ(e.batteryId, lamp);
    }
    EXPECT_TRUE(book->verify()->faults.empty());
    // Once more brings nothing.
    const std::string after = test::stateOf(*book);
    const auto again = book->takeIn(*other);
    ASSERT_TRUE(again);
    EXPECT_EQ(again->recordings + again->batteries + again->others, 0);
    EXPECT_EQ(again->known, 3);
    EXPECT_EQ(test::stateOf(*book), after);
    EXPECT_THAT(*book->undo(), HasSubstr("take in the book other"));
    EXPECT_EQ(test::stateOf(*book), before);
    EXPECT_FALSE(book->takeIn(*book)) << "into itself";
}

TEST_F(Changes, ACancelledMergeLeavesNoTrace) {
    const auto other = openAt("other.nkbook");
    add(*other, *other->addBattery(named("Lamp")), "one", "1");
    const std::string before = test::stateOf(*book);
    std::stop_source stop;
    stop.request_stop();
    const auto report = book->takeIn(*other, 0, stop.get_token());
    ASSERT_FALSE(report);
    EXPECT_EQ(report.error().kind, ErrorKind::Cancelled);
    EXPECT_EQ(test::stateOf(*book), before);
}

}  // namespace
