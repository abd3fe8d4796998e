// Undo and redo over random changes: every state on the way is there again, forwards and backwards,
// and across a restart.
#include <gtest/gtest.h>

#include <random>

#include "tests/support/book_state.h"
#include "tests/support/folder.h"

namespace nk {
namespace {

class RandomHistory : public testing::TestWithParam<unsigned> {
  protected:
    void SetUp() override { reopen(); }
    void reopen() {
        book.reset();
        auto opened = BenchBook::open(folder.path() / "b.nkbook");
        ASSERT_TRUE(opened) << opened.error().text();
        book = std::move(*opened);
    }
    std::string state() const {
        // What undo would do next is no part of the state: it differs by direction.
        const std::string all = test::stateOf(*book);
        return all.substr(0, all.rfind("|undo"));
    }
    /// One random change; false when there is nothing to change, or it was refused.
    bool change(std::mt19937& random) {
        const auto one = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
        const auto batteries = book->batteries();
        const auto recordings = book->recordings();
        const std::string name = "n" + std::to_string(random() % 1000);
        const std::size_t what = one(22);
        if (what == 0 || batteries->empty()) {
            Battery b;
            b.name = name, b.chemistry = "nmc", b.rated_Ah = 2;
            return book->addBattery(b).has_value();
        }
        const BatteryEntry& battery = (*batteries)[one(batteries->size())];
        if (what == 1 || recordings->empty()) {
            NewRecording n;
            const std::string bytes = "bytes of " + name;
            n.batteryId = battery.id, n.title = name, n.fileName = name + ".csv";
            n.originalBytes = bytes, n.imported = &test::smallLog();
            return book->addRecording(n).has_value();
        }
        const RecordingEntry& recording = (*recordings)[one(recordings->size())];
        return changeOf(what, random, battery, recording, name);
    }
    bool asOne(const std::string& name, const std::function<Expected<void>()>& work) {
        return book->change({"card", {name}}, work).has_value();
    }
    bool changeOf(std::size_t what, std::mt19937& random, const BatteryEntry& battery,
                  const RecordingEntry& recording, const std::string& name) {
        const auto one = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
        const auto small = [&] { return 0.001 * static_cast<double>(1 + one(99)); };
        switch (what) {
            case 2: {
                Battery b = battery.battery;
                b.name = name, b.mass_kg = 0.1 + static_cast<double>(one(9));
                b.series = static_cast<int>(1 + one(6)), b.label_C = static_cast<double>(one(50));
                b.charger.current_A = small(), b.rules = {"timer:2h", "input:110%"};
                return book->updateBattery(battery.id, battery.revision, b).has_value();
            }
            case 3:
                return book->renameRecording(recording.id, name).has_value();
            case 4: {
                std::vector<StepEdit> edits(1 + one(3),
                                            {StepEdit::Action::Split, 100, StepKind::Rest});
                edits.back() = {StepEdit::Action::Rename,
                                small(),
                                StepKind::Pulse,
                                {{0, small(), StepKind::Rest}, {1, 2, StepKind::Variable}}};
                return book->setEdits(recording.id, edits).has_value();
            }
            case 5: {
                Correction c;
                c.kind = Correction::Kind::VoltageOffset, c.value = small(), c.name = name;
                c.uncertainty = small(), c.from_s = 5, c.to_s = 50 + small();
                return book->addCorrection(recording.id, c).has_value();
            }
            case 6: {
                SpotReading s;
                s.batteryId = battery.id, s.kind = "resistance", s.value = small();
                s.method = "ac_1khz", s.temperature_C = 20 + small(), s.note = name;
                s.repeats = {small(), small()};
                return book->addSpotReading(s).has_value();
            }
            case 7:
                return book->assignBattery(recording.id, battery.id).has_value();
            case 8: {
                BatteryLife life;
                life.serial = name, life.tags = {"field", name}, life.notes = "of " + name;
                life.worth = 10 + small(), life.worthUnit = "km", life.inUseSince_s = 1.7e9;
                if (one(3) == 0) life.outOfUse = "it " + name;
                return book->setLife(battery.id, life).has_value();
            }
            case 9:
                return book->addTaskDone({0, battery.id, "check_" + name, 1.7e9 + small()})
                    .has_value();
            case 10:
                return book->setSetting(one(2) == 0 ? "shelf.columns" : "due.periods", name)
                    .has_value();
            case 11: {
                Instrument instrument;
                instrument.name = name, instrument.note = "note " + name;
                instrument.accuracy.voltageGain = small();
                return asOne(name, [&]() -> Expected<void> {
                    const auto id = book->addInstrument(instrument);
                    if (!id) return tl::unexpected<Error>(id.error());
                    return book->setInstrument(recording.id, *id);
                });
            }
            case 12: {
                return asOne(name, [&]() -> Expected<void> {
                    const auto id = book->addCharger({name, "note " + name});
                    if (!id) return tl::unexpected<Error>(id.error());
                    return book->setCharger(recording.id, *id);
                });
            }
            case 13: {
                const auto instruments = book->instruments();
                if (!instruments || instruments->empty()) return false;
                MeterCheck check;
                check.instrumentId = instruments->back().id, check.at_s = 1.7e9;
                check.correction.value = small(), check.correction.name = name;
                return book->addMeterCheck(check).has_value();
            }
            case 14: {
                const auto spots = book->spotReadings(battery.id);
                if (!spots || spots->empty()) return false;
                SpotReading s = spots->at(one(spots->size()));
                s.value = small(), s.note = "again " + name;
                return book->updateSpotReading(s).has_value();
            }
            case 15: {
                const auto spots = book->spotReadings(battery.id);
                return spots && !spots->empty() &&
                       book->removeSpotReading(spots->at(one(spots->size())).id).has_value();
            }
            case 16: {
                const auto corrections = book->corrections(recording.id);
                return corrections && !corrections->empty() &&
                       book->removeCorrection(corrections->front().id).has_value();
            }
            case 17: {
                Battery b;
                b.name = "new " + name, b.chemistry = "nimh", b.series = 6;
                return book->assignNewBattery(recording.id, b).has_value();
            }
            case 18: {
                InstrumentAccuracy accuracy;
                accuracy.currentGain = small(), accuracy.temperature_C = 1 + small();
                return book->setUsualAccuracy(accuracy).has_value();
            }
            case 19:  // several things as one act
                return asOne(name, [&]() -> Expected<void> {
                    if (auto ok = book->renameRecording(recording.id, name); !ok) return ok;
                    BatteryLife life;
                    life.usedIn = name;
                    return book->setLife(battery.id, life);
                });
            case 20:  // refused while it has logs, and then nothing of it may stay
                return book->removeBattery(battery.id).has_value();
            default:
                return book->removeRecording(recording.id).has_value();
        }
    }
    test::Folder folder;
    std::unique_ptr<BenchBook> book;
};

TEST_P(RandomHistory, EveryStateIsThereAgain) {
    std::mt19937 random(GetParam());
    std::vector<std::string> states = {state()};
    std::size_t at = 0;  // where in `states` the book is
    for (int n = 0; n < 90; ++n) {
        SCOPED_TRACE("step " + std::to_string(n));
        const unsigned dice = random() % 10;
        if (dice < 5) {
            const std::string before = state();
            if (!change(random)) {
                ASSERT_EQ(state(), before) << "what is refused leaves nothing";
                continue;
            }
            // A new change cuts off what could have been made again.
            states.resize(at + 1);
            states.push_back(state());
            ++at;
            EXPECT_EQ(book->redoLabel().value_or("?"), "");
        } else if (dice < 8) {
            const auto label = book->undo();
            ASSERT_TRUE(label) << label.error().text();
            if (at == 0) {
                EXPECT_EQ(*label, "") << "there is nothing to take back";
            } else {
                EXPECT_NE(*label, "");
                --at;
            }
        } else if (dice < 9) {
            const auto label = book->redo();
            ASSERT_TRUE(label) << label.error().text();
            if (at + 1 < states.size()) ++at;
        } else {
            reopen();
        }
        ASSERT_EQ(state(), states[at]);
    }
    while (at > 0) {
        const auto undone = book->undo();
        ASSERT_TRUE(undone) << undone.error().text();
        ASSERT_EQ(state(), states[--at]);
    }
    EXPECT_EQ(book->undoLabel().value_or("?"), "");
    while (at + 1 < states.size()) {
        ASSERT_TRUE(book->redo());
        ASSERT_EQ(state(), states[++at]);
    }
    const auto report = book->verify();
    ASSERT_TRUE(report);
    EXPECT_TRUE(report->faults.empty());
}
INSTANTIATE_TEST_SUITE_P(Undo, RandomHistory, testing::Range(1U, 11U));

}  // namespace
}  // namespace nk
