// What the book keeps of its recordings is true to what makes it: stale exactly when that changes,
// the same as computing anew, safe when killed; histories, comparable points, chargers.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "cellmodel/scenario.h"
#include "history/battery_history.h"
#include "history/charger_audit.h"
#include "history/hand_on.h"
#include "history/hazards.h"
#include "history/refresh.h"
#include "history/strength.h"
#include "history/summary.h"
#include "history/take_in.h"
#include "quantity/iso_time.h"
#include "report/history_json.h"
#include "tests/support/folder.h"
#include "tests/support/sim.h"

#include <SQLiteCpp/SQLiteCpp.h>

using namespace nk;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

namespace {

const test::Logged& cycle() {
    static const test::Logged log = test::logged(test::lithiumCycle("{}"));
    return log;
}

class History : public testing::Test {
  protected:
    void SetUp() override { reopen(); }
    std::filesystem::path path() const { return folder.path() / "b.nkbook"; }
    void reopen() {
        book.reset();
        auto opened = BenchBook::open(path());
        ASSERT_TRUE(opened) << opened.error().text();
        book = std::move(*opened);
    }
    static Battery card(const std::string& name = "Lamp") {
        Battery b = cycle().scenario.battery;
        b.name = name;
        return b;
    }
    TakenIn take(const test::Logged& log, std::int64_t battery = 0,
                 const std::string& title = "cycle", double at_s = 1.79e9) {
        NewLog n;
        n.title = title, n.fileName = title + ".csv", n.bytes = log.text;
        n.imported = &log.imported, n.at_s = at_s, n.batteryId = battery;
        n.day = isoTime(at_s).substr(0, 10);
        if (battery == 0) n.newBattery = card();
        const auto taken = takeIn(*book, n);
        EXPECT_TRUE(taken) << taken.error().text();
        return taken.value_or(TakenIn{});
    }
    std::vector<std::int64_t> stale() {
        std::vector<std::int64_t> out;
        const auto list = staleRecordings(*book);
        EXPECT_TRUE(list);
        for (const Stale& s : *list) out.push_back(s.entry.id);
        return out;
    }
    void refresh() {
        const auto report = refreshBook(path());
        ASSERT_TRUE(report) << report.error().text();
        EXPECT_THAT(stale(), IsEmpty());
    }

    test::Folder folder;
    std::unique_ptr<BenchBook> book;
};

TEST_F(History, ALogComesInWithItsBatteryItsReadingsAndOneStepOfUndo) {
    const TakenIn taken = take(cycle());
    EXPECT_THAT(stale(), IsEmpty()) << "computed when it came in";
    const auto readings = book->readings(taken.recordingId);
    ASSERT_THAT(*readings, testing::Not(IsEmpty()));
    const auto opened = openRecording(*book, taken.recordingId);
    ASSERT_TRUE(opened);
    // Every measurable reading, unrounded, and no other.
    std::size_t measurable = 0;
    for (const Reading& r : opened->analysis.readings) measurable += r.measurable();
    ASSERT_EQ(readings->size(), measurable);
    std::size_t k = 0;
    for (const Reading& r : opened->analysis.readings) {
        if (!r.measurable()) continue;
        const StoredReading& s = (*readings)[k++];
        EXPECT_EQ(s.name, r.name);
        EXPECT_EQ(s.value, r.value);
        EXPECT_EQ(s.step, r.evidence.step);
        EXPECT_NEAR(s.high - s.low, 2 * r.expanded(), 1e-12 * std::abs(r.value) + 1e-15);
    }
    EXPECT_EQ(book->findings(taken.recordingId)->size(), opened->analysis.findings.size());
    EXPECT_EQ(*book->undo(), "add cycle");
    EXPECT_TRUE(book->batteries()->empty()) << "the battery came in with it";
    EXPECT_EQ(*book->undoLabel(), "");
    ASSERT_TRUE(book->redo());
    EXPECT_THAT(stale(), IsEmpty()) << "what was computed is there again";
}

TEST_F(History, WhatIsKeptOfAHazardIsSaidInTheLanguageOfWhoeverReadsIt) {
    // A cell of 4.2 V that its card calls one of 3.65 V: over the fault limit. Whoever brings it
    // in, opens it or makes it anew writes, in any language; whoever asks reads in his own.
    Presentation other;
    other.style.decimal = ',';
    other.translate = [](const char* english) { return "anders: " + std::string(english); };
    const auto told = [&] {
        const auto battery = book->batteries()->front();
        const auto hazards = hazardsOf(*book, battery.id);
        EXPECT_TRUE(hazards);
        for (const HazardOnFile& h : *hazards)
            if (h.code == "overvoltage") return h.text;
        return std::string();
    };
    for (const bool foreign : {false, true}) {
        reopen();
        {
            const Presenting writer(foreign ? other : Presentation());
            NewLog n;
            n.title = foreign ? "two" : "one", n.fileName = n.title + ".csv";
            n.bytes = cycle().text, n.imported = &cycle().imported, n.at_s = 1.79e9;
            n.day = "2026-10-01";
            const auto there = book->batteries();
            if (there->empty()) {
                n.newBattery = card();
                n.newBattery->chemistry = "lfp";
            } else {
                n.batteryId = there->front().id;
            }
            ASSERT_TRUE(takeIn(*book, n));
        }
        for (const bool again : {false, true}) {
            if (again) {
                // Another card makes all of it stale; the history makes it anew.
                const Presenting maker(foreign ? other : Presentation());
                BatteryEntry e = book->batteries()->front();
                e.battery.mass_kg += 0.01;
                ASSERT_TRUE(book->updateBattery(e.id, e.revision, e.battery));
                ASSERT_TRUE(batteryHistory(*book, e.id));
            }
            EXPECT_THAT(told(), HasSubstr("The voltage reached 4."));
            EXPECT_THAT(told(), testing::Not(HasSubstr("anders")));
            const Presenting reader(other);
            EXPECT_THAT(told(), testing::StartsWith("anders: The voltage reached 4,"));
        }
    }
}

TEST_F(History, ExactlyWhatIsAffectedBecomesStale) {
    const TakenIn a = take(cycle());
    const TakenIn b = take(cycle(), a.batteryId, "second");
    Battery other = card("Other");
    const auto otherId = *book->addBattery(other);
    const TakenIn c = take(cycle(), otherId, "third");
    ASSERT_THAT(stale(), IsEmpty());
    const auto entry = [&](std::int64_t id) {
        const auto all = book->batteries();
        for (const BatteryEntry& e : *all)
            if (e.id == id) return e;
        return BatteryEntry{};
    };
    const auto change = [&](auto edit) {
        BatteryEntry e = entry(a.batteryId);
        edit(e.battery);
        ASSERT_TRUE(book->updateBattery(e.id, e.revision, e.battery));
    };
    // Names and rules decide no number.
    change([](Battery& x) { x.name = "Lamp, renamed"; });
    change([](Battery& x) { x.rules = {"taper:C/20"}; });
    ASSERT_TRUE(book->renameRecording(a.recordingId, "renamed"));
    EXPECT_THAT(stale(), IsEmpty());
    change([](Battery& x) { x.rated_Ah *= 1.1; });
    EXPECT_THAT(stale(), ElementsAre(a.recordingId, b.recordingId));
    refresh();
    MakerLimits limits;
    limits.set_V = 4.1;
    change([&](Battery& x) { x.setLimits(limits); });
    EXPECT_THAT(stale(), ElementsAre(a.recordingId, b.recordingId));
    ASSERT_TRUE(book->undo());
    EXPECT_THAT(stale(), IsEmpty()) << "taken back, what was stored holds again";
    ASSERT_TRUE(book->addCorrection(
        b.recordingId, {0, Correction::Kind::VoltageOffset, 0.01, 0.001, 0, kNaN, "offset"}));
    EXPECT_THAT(stale(), ElementsAre(b.recordingId));
    refresh();
    const auto opened = openRecording(*book, a.recordingId);
    ASSERT_TRUE(book->setEdits(
        a.recordingId,
        settleEdits(*opened->recording, opened->analysis.battery, opened->analysis.steps,
                    {{StepEdit::Action::Split, opened->analysis.steps.list[1].start_s + 300,
                      StepKind::Rest}})));
    EXPECT_THAT(stale(), ElementsAre(a.recordingId));
    refresh();
    InstrumentAccuracy fine;
    fine.voltageGain = 0.0005;
    ASSERT_TRUE(book->setUsualAccuracy(fine));
    EXPECT_THAT(stale(), ElementsAre(a.recordingId, b.recordingId, c.recordingId));
    refresh();
    const auto meter = *book->addInstrument({"Desk meter", fine, {}, {}});
    ASSERT_TRUE(book->setInstrument(c.recordingId, meter));
    EXPECT_THAT(stale(), IsEmpty()) << "the same accuracy";
    Instrument worse{"Desk meter", {}, {}, {}};
    worse.accuracy.currentGain = 0.02;
    const auto revision = book->instruments()->front().revision;
    ASSERT_TRUE(book->updateInstrument(meter, revision, worse));
    EXPECT_THAT(stale(), ElementsAre(c.recordingId));
    refresh();
    // A later version of any metric or check.
    Registry later = ownRegistry();
    later.checks.front().version += 1;
    const auto makings = allMakings(*book, *book->recordings());
    EXPECT_NE(fingerprintOf(makings->front(), later), fingerprintOf(makings->front()));
}

TEST_F(History, ARefreshKilledAtAnyMomentDoesNoHarm) {
    const TakenIn first = take(cycle());
    for (int k = 0; k < 11; ++k) take(cycle(), first.batteryId, "log " + std::to_string(k));
    const auto good = book->readings(first.recordingId);
    SQLite::Database(path().string(), SQLite::OPEN_READWRITE)
        .exec("UPDATE study SET fingerprint='old'");
    ASSERT_THAT(stale(), SizeIs(12));
    for (int round = 0; round < 6 && !stale().empty(); ++round) {
        const pid_t child = ::fork();
        if (child == 0) {
            (void)refreshBook(path());
            ::_exit(0);
        }
        ::usleep(20000u * static_cast<unsigned>(round + 1));
        ::kill(child, SIGKILL);
        int status = 0;
        ::waitpid(child, &status, 0);
        EXPECT_TRUE(book->verify()->faults.empty());
    }
    refresh();
    const auto again = book->readings(first.recordingId);
    ASSERT_EQ(again->size(), good->size());
    for (std::size_t k = 0; k < good->size(); ++k) EXPECT_EQ((*again)[k].value, (*good)[k].value);
}

TEST_F(History, ACancelledRefreshKeepsWhatIsDoneAndTheUserWritesMeanwhile) {
    const TakenIn first = take(cycle());
    for (int k = 0; k < 7; ++k) take(cycle(), first.batteryId, "log " + std::to_string(k));
    SQLite::Database(path().string(), SQLite::OPEN_READWRITE)
        .exec("UPDATE study SET fingerprint='old'");
    std::stop_source stop;
    int renamed = 0;
    const auto report = refreshBook(path(), stop.get_token(), [&](std::size_t, std::size_t) {
        renamed += book->renameRecording(first.recordingId, "meanwhile").has_value();
        stop.request_stop();
    });
    ASSERT_TRUE(report);
    EXPECT_GT(renamed, 0);
    EXPECT_EQ(stale().size(), 8 - report->stored);
    EXPECT_EQ(*book->undoLabel(), "rename to meanwhile") << "no step of undo by the program itself";
}

TEST_F(History, ADamagedLogIsLeftOutByNameAndHoldsNobodyUp) {
    const TakenIn first = take(cycle());
    const TakenIn broken = take(cycle(), first.batteryId, "the broken one");
    {
        SQLite::Database db(path().string(), SQLite::OPEN_READWRITE);
        db.exec("DELETE FROM sample_chunk WHERE recording_id=" +
                std::to_string(broken.recordingId));
        db.exec("UPDATE study SET fingerprint='old'");
    }
    const auto report = refreshBook(path());
    ASSERT_TRUE(report);
    EXPECT_EQ(report->stored, 2u);
    EXPECT_EQ(report->broken, 1u);
    EXPECT_THAT(stale(), IsEmpty()) << "it is not tried again and again";
    const auto history = batteryHistory(*book, first.batteryId);
    ASSERT_TRUE(history);
    EXPECT_THAT(history->leftOut, ElementsAre(HasSubstr("the broken one")));
    EXPECT_FALSE(history->points.empty());
    const auto opened = openRecording(*book, first.recordingId);
    const auto strength =
        studyBattery(*book, first.batteryId, studyLog(opened->input(), first.recordingId, ""),
                     opened->analysis.battery, opened->accuracy);
    ASSERT_TRUE(strength) << strength.error().text();
    EXPECT_THAT(strength->study->leftOut, ElementsAre(HasSubstr("the broken one")));
    EXPECT_EQ(strength->study->logs.size(), 1u);
}

TEST_F(History, WhatIsStoredForTheStudyOfStrengthIsWhatTheLogTells) {
    std::vector<const char*> names = {"flash-pack-rate-10c", "flash-pack-pulses",
                                      "mount-pack-b-weak-cell"};
    for (const auto& [name, json] : scenarioFiles()) {
        if (std::ranges::find(names, name) == names.end()) continue;
        const auto log = test::logged(std::string(json));
        const Analysis a = analyse(*log.imported.recording, log.scenario.battery);
        const AnalysisInput in{*log.imported.recording, a.steps, a.battery, {}, a.memo};
        const StudiedLog whole = studyLog(in, 5, "x");
        const auto back = unpackStrength(packStrength(whole), 5, "x");
        ASSERT_TRUE(back) << name;
        ASSERT_EQ(back->steps.size(), whole.steps.size()) << name;
        for (std::size_t k = 0; k < whole.steps.size(); ++k) {
            EXPECT_EQ(std::isnan(back->steps[k].resistance_ohm),
                      std::isnan(whole.steps[k].resistance_ohm));
            if (std::isnan(whole.steps[k].resistance_ohm)) continue;
            EXPECT_EQ(back->steps[k].resistance_ohm, whole.steps[k].resistance_ohm);
        }
        ASSERT_EQ(back->curves.size(), whole.curves.size());
        for (std::size_t k = 0; k < whole.curves.size(); ++k)
            for (std::size_t n = 0; n < whole.curves[k].voltage_V.size(); ++n)
                EXPECT_NEAR(back->curves[k].voltage_V[n], whole.curves[k].voltage_V[n], 2e-6);
        ASSERT_EQ(back->pack.size(), whole.pack.size());
        const StrengthStudy live = studyStrength({whole}, a.battery, {});
        const StrengthStudy stored = studyStrength({*back}, a.battery, {});
        ASSERT_EQ(live.rating.has_value(), stored.rating.has_value());
        if (!live.rating || std::isnan(live.rating->trueC)) continue;
        EXPECT_NEAR(stored.rating->trueC, live.rating->trueC, 1e-3 * live.rating->trueC);
    }
    EXPECT_FALSE(unpackStrength("", 1, ""));
    EXPECT_FALSE(unpackStrength(std::string(200, '\xff'), 1, ""));
    std::string packed = packStrength({});
    for (std::size_t k = 0; k < packed.size(); ++k) {
        std::string bent = packed;
        bent[k] = static_cast<char>(bent[k] ^ 0x55);
        (void)unpackStrength(bent, 1, "");  // never a crash
    }
}

TEST_F(History, PointsHaveTheirConditionsAndComparableOnesShareAGroup) {
    const TakenIn first = take(cycle(), 0, "first", 1.7e9);
    take(cycle(), first.batteryId, "second", 1.71e9);
    SpotReading spot;
    spot.batteryId = first.batteryId, spot.kind = "charge", spot.value = 2.2;
    spot.resolution = 0.01, spot.atEpoch_s = 1.72e9;
    ASSERT_TRUE(book->addSpotReading(spot));
    const auto history = batteryHistory(*book, first.batteryId);
    ASSERT_TRUE(history);
    std::vector<const HistoryPoint*> capacities;
    for (const HistoryPoint& p : history->points)
        if (p.reading.name == "delivered_capacity") capacities.push_back(&p);
    ASSERT_THAT(capacities, SizeIs(3));
    const ReadingConditions& c = capacities[0]->reading.conditions;
    const Scenario& truth = cycle().scenario;
    EXPECT_NEAR(c.set_V_per_cell, 4.2, 0.005);
    EXPECT_EQ(c.beganFull, std::optional<bool>(true));
    EXPECT_GT(c.cRate, 0);
    EXPECT_GT(c.restBefore_s, 0);
    EXPECT_FALSE(capacities[0]->comparable.empty());
    EXPECT_EQ(capacities[0]->comparable, capacities[1]->comparable);
    EXPECT_TRUE(capacities[2]->comparable.empty());
    EXPECT_TRUE(capacities[2]->byHand());
    EXPECT_FALSE(capacities[2]->apart.empty());
    // One cycle of this log is what it moved, over twice the rating.
    EXPECT_NEAR(capacities[1]->efc - capacities[0]->efc,
                book->recordings()->front().summary.moved_Ah / (2 * truth.battery.rated_Ah), 1e-6);
    const auto json = nlohmann::json::parse(historyJson(*history));
    EXPECT_EQ(json["schema"], "narrow-knee/history/1");
    EXPECT_EQ(json["points"].size(), history->points.size());
    EXPECT_EQ(json["points"].back()["source"], "hand");
    EXPECT_EQ(json["points"].back()["at"], "2024-07-03T09:46:40Z");
    for (const auto& p : json["points"])
        for (const char* key : {"c_rate", "floor_V_per_cell", "set_V_per_cell", "cutoff_c",
                                "began_full", "soc", "delay_s", "temperature_C", "rest_before_s"})
            EXPECT_TRUE(p["conditions"].contains(key)) << key;
    const std::string csv = historyCsv(*history);
    EXPECT_EQ(static_cast<std::size_t>(std::ranges::count(csv, '\n')), history->points.size() + 1);
}

TEST_F(History, ToleranceOfAGroupCountsFromItsFirstPoint) {
    const auto point = [](double rate, double floor, double temperature, double set,
                          std::optional<bool> full = true) {
        HistoryPoint p;
        p.reading.recordingId = 1;
        p.reading.name = "delivered_capacity";
        p.reading.conditions.cRate = rate;
        p.reading.conditions.floor_V_per_cell = floor;
        p.reading.conditions.temperature_C = temperature;
        p.reading.conditions.set_V_per_cell = set;
        p.reading.conditions.cutoff_C = 0.05;
        p.reading.conditions.beganFull = full;
        p.at_s = 1e9;
        return p;
    };
    std::vector<HistoryPoint> points = {
        point(0.2, 3.0, 20, 4.2),        point(0.22, 3.01, 22, 4.19),
        point(0.24, 3.0, 20, 4.2),       point(0.2, 2.9, 20, 4.2),
        point(0.2, 3.0, 24, 4.2),        point(0.2, 3.0, 20, 4.1),
        point(0.2, 3.0, 20, 4.2, false), point(0.2, 3.0, 20, 4.2, std::nullopt),
        point(0.229, 3.0, 17.1, 4.215)};
    groupComparable(card(), points);
    EXPECT_EQ(points[1].comparable, points[0].comparable);
    EXPECT_EQ(points[8].comparable, points[0].comparable);
    for (const std::size_t k : {2, 3, 4, 5}) EXPECT_NE(points[k].comparable, points[0].comparable);
    for (const std::size_t k : {6, 7}) EXPECT_TRUE(points[k].comparable.empty());
    EXPECT_NE(points[6].apart, points[7].apart);
}

TEST_F(History, ResistancesAreNormalisedTo25Degrees) {
    const Battery b = card();
    const double activation = b.chemistryData()->activation_J_mol;
    HistoryPoint p;
    p.reading.recordingId = 1;
    p.reading.name = "resistance_10s", p.reading.value = 0.05;
    p.reading.conditions.delay_s = 10;
    p.at_s = 1e9;
    std::vector<HistoryPoint> points = {p, p, p};
    points[0].reading.conditions.temperature_C = 25;
    points[1].reading.conditions.temperature_C = 5;
    groupComparable(b, points);
    EXPECT_NEAR(points[0].normalised, 0.05, 1e-12);
    // Arrhenius by hand: k = exp(−Ea/R·(1/T − 1/298.15)).
    EXPECT_NEAR(points[1].normalised,
                0.05 * std::exp(-activation / 8.314462618 * (1 / 278.15 - 1 / 298.15)), 1e-9);
    EXPECT_TRUE(std::isnan(points[2].normalised));
    EXPECT_EQ(points[0].comparable, points[1].comparable);
    EXPECT_NE(points[0].comparable, points[2].comparable);
}

TEST_F(History, AChargerIsToldByAllItsCharges) {
    NewLog n;
    const auto& log = cycle();
    n.title = "one", n.fileName = "one.csv", n.bytes = log.text, n.imported = &log.imported;
    n.newBattery = card();
    n.newCharger = Charger{"Old grey one", ""};
    const auto first = takeIn(*book, n);
    ASSERT_TRUE(first);
    n.newCharger.reset(), n.newBattery.reset();
    n.batteryId = first->batteryId, n.chargerId = first->chargerId;
    ASSERT_TRUE(takeIn(*book, n));
    n.chargerId = 0;
    ASSERT_TRUE(takeIn(*book, n)) << "charged by another";
    const auto audit = auditCharger(*book, first->chargerId);
    ASSERT_TRUE(audit);
    EXPECT_EQ(audit->charges, 2u);
    std::vector<std::string> words;
    for (const ChargerHabit& h : audit->habits) words.push_back(h.words);
    EXPECT_THAT(words, Contains("In 2 of 2 charges it held 4.20 V a cell."));
    EXPECT_FALSE(auditCharger(*book, 99));
}

TEST_F(History, ABatteryIsHandedOnWholeAndTakenInElsewhere) {
    const TakenIn mine = take(cycle());
    take(cycle(), *book->addBattery(card("Other")), "not this one");
    const auto file = folder.path() / "lamp.nkbook";
    const auto report = handOnBattery(*book, mine.batteryId, file);
    ASSERT_TRUE(report) << report.error().text();
    EXPECT_FALSE(handOnBattery(*book, mine.batteryId, file)) << "never over a file";
    auto handed = BenchBook::open(file, false);
    ASSERT_TRUE(handed);
    ASSERT_EQ((*handed)->batteries()->size(), 1u);
    ASSERT_EQ((*handed)->recordings()->size(), 1u);
    EXPECT_EQ(*(*handed)->original(1), cycle().text);
    EXPECT_EQ(*(*handed)->undoLabel(), "");
    EXPECT_TRUE((*handed)->verify()->faults.empty());
    EXPECT_FALSE((*handed)->recordings()->front().fingerprint.empty());
    const auto there = (*handed)->readings(1);
    const auto here = book->readings(mine.recordingId);
    ASSERT_EQ(there->size(), here->size());
    for (std::size_t k = 0; k < here->size(); ++k) EXPECT_EQ((*there)[k].value, (*here)[k].value);
}

TEST_F(History, ABatteryOrALogIsFoundByItsNumberOrItsExactName) {
    const TakenIn a = take(cycle());
    Battery twin = card();
    const auto b = *book->addBattery(twin);
    EXPECT_EQ(findBattery(*book, std::to_string(a.batteryId))->id, a.batteryId);
    const auto both = findBattery(*book, "Lamp");
    ASSERT_FALSE(both);
    EXPECT_THAT(both.error().accepted, HasSubstr(std::to_string(b)));
    EXPECT_FALSE(findBattery(*book, "lamp"));
    EXPECT_FALSE(findBattery(*book, ""));
    EXPECT_EQ(findRecording(*book, "cycle")->id, a.recordingId);
    EXPECT_EQ(findRecording(*book, "nothing").error().kind, ErrorKind::NotFound);
}

TEST_F(History, ChecksOfAnInstrumentHoldFromTheirDayOn) {
    const auto check = [](double at_s, Correction::Kind kind, double value) {
        MeterCheck m;
        m.at_s = at_s;
        m.correction.kind = kind;
        m.correction.value = value;
        return m;
    };
    using Kind = Correction::Kind;
    const std::vector<MeterCheck> all = {check(10, Kind::VoltageOffset, 1),
                                         check(20, Kind::LeadResistance, 2),
                                         check(30, Kind::VoltageOffset, 3)};
    EXPECT_THAT(checksFor(all, 5), IsEmpty());
    ASSERT_THAT(checksFor(all, 25), SizeIs(2));
    EXPECT_EQ(checksFor(all, 25)[0].correction.value, 1);
    EXPECT_EQ(checksFor(all, 35)[0].correction.value, 3);
}

}  // namespace
