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
    /// One random change that is known to be accepted; false when there is nothing to change.
    bool change(std::mt19937& random) {
        const auto one = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
        const auto batteries = book->batteries();
        const auto recordings = book->recordings();
        const std::string name = "n" + std::to_string(random() % 1000);
        const std::size_t what = one(9);
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
        switch (what) {
            case 2: {
                Battery b = battery.battery;
                b.name = name, b.mass_kg = 0.1 + static_cast<double>(one(9));
                return book->updateBattery(battery.id, battery.revision, b).has_value();
            }
            case 3:
                return book->renameRecording(recording.id, name).has_value();
            case 4:
                return book
                    ->setEdits(recording.id,
                               std::vector<StepEdit>(
                                   1 + one(3), {StepEdit::Action::Split, 100, StepKind::Rest}))
                    .has_value();
            case 5: {
                Correction c;
                c.kind = Correction::Kind::VoltageOffset, c.value = 0.01, c.name = name;
                return book->addCorrection(recording.id, c).has_value();
            }
            case 6: {
                SpotReading s;
                s.batteryId = battery.id, s.kind = "resistance";
                s.value = 0.001 * static_cast<double>(1 + one(99));
                return book->addSpotReading(s).has_value();
            }
            case 7:
                return book->assignBattery(recording.id, battery.id).has_value();
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
    for (int n = 0; n < 60; ++n) {
        SCOPED_TRACE("step " + std::to_string(n));
        const unsigned dice = random() % 10;
        if (dice < 5) {
            ASSERT_TRUE(change(random));
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
