// Books that are taken apart and put together again, copied, merged and brought back: what a person
// put into them is the same afterwards, compared field by field and not by names alone.
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <random>
#include <sstream>

#include "history/hand_on.h"
#include "history/refresh.h"
#include "history/take_in.h"
#include "tests/support/book_state.h"
#include "tests/support/folder.h"
#include "tests/support/sim.h"

namespace nk::test {
namespace {

/// What a book answered, as long as it is looked at.
template <class T>
T held(Expected<T> answer) {
    EXPECT_TRUE(answer);
    return answer ? std::move(*answer) : T{};
}

/// What is in a book, without its numbers and orders: things name each other by their names.
std::string contentOf(BenchBook& book) {
    std::map<std::int64_t, std::string> batteryName, instrumentName, chargerName;
    std::vector<std::string> lines;
    for (const BatteryEntry& e : held(book.batteries())) batteryName[e.id] = e.battery.name;
    for (const InstrumentEntry& e : held(book.instruments())) {
        instrumentName[e.id] = e.instrument.name;
        lines.push_back("instrument " + instrumentCard(e.instrument) + e.instrument.name);
    }
    for (const ChargerEntry& e : held(book.chargers())) {
        chargerName[e.id] = e.charger.name;
        lines.push_back("charger " + e.charger.name + e.charger.note);
    }
    const auto lives = *book.lives();
    for (const BatteryEntry& e : held(book.batteries())) {
        StateText t;
        t.add("battery", e.battery.name)
            .add("kind", e.battery.chemistry)
            .add("series", e.battery.series)
            .add("rated", e.battery.rated_Ah)
            .add("mass", e.battery.mass_kg)
            .add("label", e.battery.label_C)
            .add("full", e.battery.limits().set_V);
        for (const std::string& rule : e.battery.rules) t.add("rule", rule);
        if (const auto life = lives.find(e.id); life != lives.end())
            t.add("life", lifeJson(life->second))
                .add("part of", batteryName[life->second.partOf])
                .add("place", life->second.position);
        std::vector<std::string> spots;
        for (const SpotReading& r : held(book.spotReadings(e.id))) {
            StateText s;
            s.add("read", r.kind).add("value", r.value).add("on", r.atEpoch_s).add("note", r.note);
            spots.push_back(s.text());
        }
        std::sort(spots.begin(), spots.end());
        for (const std::string& s : spots) t.add("spot", s);
        lines.push_back(t.text());
    }
    for (const RecordingEntry& e : held(book.recordings())) {
        StateText t;
        t.add("log", e.title)
            .add("of", batteryName[e.batteryId])
            .add("by", instrumentName[e.instrumentId])
            .add("from", chargerName[e.chargerId])
            .add("file", e.fileName)
            .add("hash", e.sha256)
            .add("bytes", static_cast<double>(book.original(e.id)->size()));
        for (const StepEdit& edit : held(book.edits(e.id)))
            t.add("edit", toString(edit.action))
                .add("at", edit.at_s)
                .add("as", toString(edit.kind));
        for (const Correction& c : held(book.corrections(e.id)))
            t.add("correction", toString(c.kind)).add("value", c.value).add("name", c.name);
        const auto samples = *book.load(e.id);
        double sum = 0;
        for (std::size_t k = 0; k < samples->size(); ++k)
            sum += samples->voltage_V()[k] * samples->current_A()[k];
        t.add("sum", sum);
        lines.push_back(t.text());
    }
    for (const MeterCheck& c : held(book.meterChecks())) {
        StateText t;
        t.add("check of", instrumentName[c.instrumentId])
            .add("on", c.at_s)
            .add("kind", toString(c.correction.kind))
            .add("value", c.correction.value);
        lines.push_back(t.text());
    }
    for (const TaskDone& done : held(book.tasksDone())) {
        StateText t;
        t.add("done", done.task).add("of", batteryName[done.batteryId]).add("on", done.at_s);
        lines.push_back(t.text());
    }
    std::sort(lines.begin(), lines.end());
    std::string out;
    for (const std::string& line : lines) out += line + "\n";
    return out;
}

class WholeBooks : public testing::Test {
  protected:
    std::filesystem::path path(const std::string& name) const {
        return folder.path() / (name + ".nkbook");
    }
    std::unique_ptr<BenchBook> open(const std::string& name) {
        auto book = BenchBook::open(path(name));
        EXPECT_TRUE(book) << book.error().text();
        return std::move(*book);
    }
    /// A shelf as it grows: batteries of several kinds with logs, edits, checks and notes.
    void fill(BenchBook& book, unsigned seed, int batteries, const std::string& prefix) {
        std::mt19937 random(seed);
        const auto small = [&] { return 0.001 * static_cast<double>(1 + random() % 900); };
        Instrument instrument;
        instrument.name = "Desk meter", instrument.note = "shared";
        const auto meter = *book.addInstrument(instrument);
        instrument.name = prefix + " own", instrument.accuracy.currentGain = small();
        const auto own = *book.addInstrument(instrument);
        const auto charger = *book.addCharger({prefix + " charger", "old"});
        MeterCheck check;
        check.instrumentId = own, check.at_s = 1.7e9, check.correction.value = small();
        check.correction.name = "against a reference";
        ASSERT_TRUE(book.addMeterCheck(check));
        std::int64_t first = 0;
        for (int n = 0; n < batteries; ++n) {
            Battery b;
            b.name = prefix + " " + std::to_string(n), b.chemistry = n % 2 ? "nmc" : "nimh";
            b.series = 1 + n, b.rated_Ah = 1 + small(), b.mass_kg = small();
            b.label_C = n, b.rules = {"timer:" + std::to_string(60 + n) + "min"};
            const auto id = *book.addBattery(b);
            if (first == 0) first = id;
            BatteryLife life;
            life.serial = std::to_string(random()), life.tags = {"field", prefix};
            life.notes = "line one\nline \"two\"", life.usedIn = "dew heater";
            if (n > 1) life.partOf = first, life.position = n;
            ASSERT_TRUE(book.setLife(id, life));
            SpotReading spot;
            spot.batteryId = id, spot.kind = "resistance", spot.value = small();
            spot.atEpoch_s = 1.7e9 + n, spot.note = "by hand", spot.method = "ac_1khz";
            ASSERT_TRUE(book.addSpotReading(spot));
            ASSERT_TRUE(book.addTaskDone({0, id, "check_" + std::to_string(n), 1.7e9 + small()}));
            for (int k = 0; k < 1 + n % 2; ++k) {
                const std::string bytes =
                    prefix + " bytes " + std::to_string(n) + " " + std::to_string(k);
                NewRecording r;
                r.batteryId = id, r.instrumentId = k ? own : meter, r.chargerId = charger;
                r.title = bytes, r.fileName = bytes + ".csv", r.originalBytes = bytes;
                r.imported = &smallLog(), r.importedAt_s = 1.7e9;
                const auto recording = *book.addRecording(r);
                Correction c;
                c.kind = Correction::Kind::VoltageOffset, c.value = small(), c.name = "meter";
                ASSERT_TRUE(book.addCorrection(recording, c));
                ASSERT_TRUE(book.setEdits(
                    recording, {{StepEdit::Action::Split, 100 + small(), StepKind::Rest}}));
            }
        }
    }
    Folder folder;
};

TEST_F(WholeBooks, ABackupHoldsAllOfIt) {
    auto book = open("a");
    fill(*book, 1, 5, "East");
    ASSERT_TRUE(book->backup(path("copy")));
    auto copy = open("copy");
    EXPECT_EQ(stateOf(*copy), stateOf(*book));
    EXPECT_EQ(contentOf(*copy), contentOf(*book));
    EXPECT_EQ(copy->undoLabel().value_or("?"), book->undoLabel().value_or("!"))
        << "what could be taken back still can";
    const auto undone = copy->undo();
    ASSERT_TRUE(undone);
    EXPECT_NE(stateOf(*copy), stateOf(*book)) << "and the book itself is another";
}

TEST_F(WholeBooks, TakenApartAndPutTogetherItIsTheSame) {
    auto book = open("a");
    fill(*book, 2, 4, "West");
    const std::string before = contentOf(*book);
    const std::string state = stateOf(*book);
    auto other = open("together");
    int n = 0;
    for (const BatteryEntry& e : held(book->batteries())) {
        const std::string name = "part" + std::to_string(n++);
        const auto report = handOnBattery(*book, e.id, path(name));
        ASSERT_TRUE(report) << report.error().text();
        auto part = open(name);
        EXPECT_EQ(part->undoLabel().value_or("?"), "") << "handed on without a past";
        const auto taken = other->takeIn(*part);
        ASSERT_TRUE(taken) << taken.error().text();
    }
    EXPECT_EQ(stateOf(*book), state) << "handing on changes nothing here";
    // A battery alone does not know what it was a part of; all else is there.
    const auto without = [](std::string text) {
        std::string out;
        std::istringstream lines(text);
        for (std::string line; std::getline(lines, line);) {
            const std::size_t part = line.find(" part of=");
            const std::size_t place = line.find(" place=");
            const std::size_t spot = line.find(" spot=");
            if (part != std::string::npos && place != std::string::npos)
                line = line.substr(0, part) +
                       (spot == std::string::npos ? std::string() : line.substr(spot));
            out += line + "\n";
        }
        return out;
    };
    EXPECT_EQ(without(contentOf(*other)), without(before));
}

TEST_F(WholeBooks, MergedTwiceNothingIsDoubledAndBothWaysIsTheSame) {
    auto a = open("a");
    auto b = open("b");
    fill(*a, 3, 3, "North");
    fill(*b, 4, 4, "South");
    auto ab = open("ab");
    auto ba = open("ba");
    ASSERT_TRUE(ab->takeIn(*a));
    ASSERT_TRUE(ab->takeIn(*b));
    ASSERT_TRUE(ba->takeIn(*b));
    ASSERT_TRUE(ba->takeIn(*a));
    EXPECT_EQ(contentOf(*ab), contentOf(*ba));
    const std::string once = contentOf(*ab);
    const auto again = ab->takeIn(*a);
    ASSERT_TRUE(again) << again.error().text();
    EXPECT_EQ(again->recordings, 0);
    EXPECT_EQ(again->batteries, 0);
    EXPECT_EQ(contentOf(*ab), once);
    // What was in each is in both.
    for (BenchBook* from : {a.get(), b.get()})
        for (const RecordingEntry& e : held(from->recordings())) {
            const auto all = *ab->recordings();
            EXPECT_TRUE(std::any_of(all.begin(), all.end(), [&](const RecordingEntry& there) {
                return there.sha256 == e.sha256 && there.title == e.title;
            })) << e.title;
        }
}

TEST_F(WholeBooks, AMergeIsOneStepOfUndoAndLeavesTheBookAsItWas) {
    auto a = open("a");
    auto b = open("b");
    fill(*a, 5, 3, "Hill");
    fill(*b, 6, 3, "Dale");
    const std::string before = stateOf(*a);
    ASSERT_TRUE(a->takeIn(*b));
    const std::string merged = stateOf(*a);
    EXPECT_NE(merged, before);
    ASSERT_TRUE(a->undo());
    EXPECT_EQ(stateOf(*a), before);
    ASSERT_TRUE(a->redo());
    EXPECT_EQ(stateOf(*a), merged);
    const auto report = a->verify();
    ASSERT_TRUE(report);
    EXPECT_TRUE(report->faults.empty());
}

TEST_F(WholeBooks, ReadOnlyItIsTheSameAndStaysTheSame) {
    std::string state;
    {
        auto book = open("a");
        fill(*book, 7, 3, "Lake");
        state = stateOf(*book);
    }
    auto looked = BenchBook::openForReading(path("a"));
    ASSERT_TRUE(looked) << looked.error().text();
    EXPECT_TRUE((*looked)->readOnly());
    EXPECT_EQ(stateOf(**looked), state);
    Battery b;
    b.name = "new", b.chemistry = "nmc";
    EXPECT_FALSE((*looked)->addBattery(b));
    EXPECT_FALSE((*looked)->setSetting("shelf.columns", "x"));
    EXPECT_FALSE((*looked)->undo());
    EXPECT_EQ(stateOf(**looked), state);
    looked->reset();
    EXPECT_EQ(stateOf(*open("a")), state);
}

TEST_F(WholeBooks, KeptReadingsAreNoPartOfWhatAPersonDid) {
    auto book = open("a");
    NewLog n;
    const Logged log = logged(lithiumCycle(R"({"interval_s": 10})"));
    n.title = "night", n.fileName = "night.csv", n.bytes = log.text, n.imported = &log.imported;
    n.at_s = 1.79e9, n.newBattery = log.scenario.battery;
    n.newBattery->name = "Lamp";
    ASSERT_TRUE(takeIn(*book, n));
    const std::string state = stateOf(*book);
    const auto readings = [&] {
        std::string out;
        for (const StoredReading& r : held(book->readings(1)))
            out += r.name + fmt::format("{:.17g};", r.value);
        return out;
    };
    const std::string figures = readings();
    EXPECT_FALSE(figures.empty());
    // Made anew, the same; thrown away, made again; and never a step of undo.
    Battery card = book->batteries()->front().battery;
    card.rated_Ah *= 2;
    ASSERT_TRUE(book->updateBattery(1, book->batteries()->front().revision, card));
    ASSERT_TRUE(refreshBook(path("a")));
    EXPECT_NE(readings(), figures);
    ASSERT_TRUE(book->undo());
    ASSERT_TRUE(refreshBook(path("a")));
    EXPECT_EQ(readings(), figures);
    EXPECT_EQ(stateOf(*book), state);
}

}  // namespace
}  // namespace nk::test
