// A recording that grows row by row is the same as one whose rows come at once.
#include <gtest/gtest.h>

#include <random>

#include "analysis/analysis.h"
#include "cellmodel/scenario.h"
#include "recording/live_recording.h"
#include "recording/silence.h"
#include "tests/support/sim.h"

using namespace nk;

namespace {

TEST(Live, APyramidThatGrowsIsThePyramidOfTheWhole) {
    std::mt19937 random(3);
    for (const std::size_t total : {1u, 63u, 64u, 65u, 511u, 4097u, 40000u}) {
        std::vector<double> column;
        Pyramid growing;
        while (column.size() < total) {
            const std::size_t more = 1 + random() % (total / 7 + 1);
            for (std::size_t k = 0; k < more && column.size() < total; ++k)
                column.push_back(random() % 50 == 0 ? kNaN
                                                    : static_cast<double>(random() % 1000) / 7);
            growing.grow(column);
        }
        const Pyramid whole(column);
        EXPECT_EQ(growing.bytes(), whole.bytes()) << total;
        for (int k = 0; k < 200; ++k) {
            const std::size_t a = random() % total;
            const std::size_t b = a + random() % (total - a + 1);
            const MinMax x = growing.range(a, b);
            const MinMax y = whole.range(a, b);
            EXPECT_EQ(std::isnan(x.low), std::isnan(y.low));
            if (std::isnan(y.low)) continue;
            EXPECT_EQ(x.low, y.low);
            EXPECT_EQ(x.high, y.high);
        }
    }
}

TEST(Live, EveryDemoLogRowByRowGivesTheSameStepsAndReadings) {
    for (const auto& [name, json] : scenarioFiles()) {
        const auto log = test::logged(std::string(json));
        const Recording& whole = *log.imported.recording;
        if (!whole.repairs().empty() || !whole.moreTemperatures_C().empty() ||
            !whole.counter_Ah().empty())
            continue;  // what only a reader of files does
        LiveRecording live({whole.hasTemperature(), whole.cells_V().size(), whole.data().textStep_V,
                            whole.data().textStep_A, whole.data().textStep_C});
        for (std::size_t k = 0; k < whole.size(); ++k) {
            LiveRow row{whole.time_s()[k],
                        whole.voltage_V()[k],
                        whole.current_A()[k],
                        whole.hasTemperature() ? whole.temperature_C()[k] : kNaN,
                        {}};
            for (const auto& cell : whole.cells_V()) row.cells_V.push_back(cell[k]);
            ASSERT_TRUE(live.append(row)) << name;
        }
        const RecordingPtr grown = live.snapshot();
        ASSERT_EQ(grown->size(), whole.size()) << name;
        EXPECT_EQ(grown->gaps().size(), whole.gaps().size()) << name;
        EXPECT_EQ(grown->usualInterval_s(), whole.usualInterval_s());
        const Analysis a = analyse(*grown, log.scenario.battery);
        const Analysis b = analyse(whole, log.scenario.battery);
        ASSERT_EQ(a.steps.list.size(), b.steps.list.size()) << name;
        for (std::size_t k = 0; k < a.steps.list.size(); ++k) {
            EXPECT_EQ(a.steps.list[k].kind, b.steps.list[k].kind) << name;
            EXPECT_EQ(a.steps.list[k].start_s, b.steps.list[k].start_s) << name;
        }
        ASSERT_EQ(a.readings.size(), b.readings.size()) << name;
        for (std::size_t k = 0; k < a.readings.size(); ++k) {
            if (!a.readings[k].measurable()) continue;
            EXPECT_EQ(a.readings[k].value, b.readings[k].value) << a.readings[k].name;
        }
    }
}

TEST(Live, ARowThatCannotBeIsRefusedAndListed) {
    LiveRecording live({false, 2});
    EXPECT_TRUE(live.append({0, 7.2, -1, kNaN, {3.6, 3.6}}));
    EXPECT_TRUE(live.append({1, 7.2, -1, kNaN, {3.6, kNaN}})) << "a cell may be blank";
    EXPECT_FALSE(live.append({0.5, 7.2, -1, kNaN, {3.6, 3.6}})) << "back in time";
    EXPECT_FALSE(live.append({2, kNaN, -1, kNaN, {3.6, 3.6}}));
    EXPECT_FALSE(live.append({2, 7.2, -1, kNaN, {3.6}}));
    EXPECT_FALSE(live.append({kNaN, 7.2, -1, kNaN, {3.6, 3.6}}));
    EXPECT_EQ(live.size(), 2u);
    EXPECT_EQ(live.data().problems.size(), 4u);
    EXPECT_EQ(live.data().problems[0].line, 3);
    EXPECT_EQ(live.range(Channel::Voltage, 0, 2).high, 7.2);
    EXPECT_TRUE(std::isnan(live.range(Channel::Temperature, 0, 2).low));
    LiveRecording none({false, 0});
    EXPECT_TRUE(none.snapshot()->empty());
}

TEST(Live, SilencesAreFoundByOneRule) {
    std::vector<double> t;
    for (int k = 0; k < 100; ++k) t.push_back(k < 50 ? k : k + 40);
    EXPECT_EQ(usualStep_s(t), 1);
    ASSERT_EQ(silences(t, 1).size(), 1u);
    EXPECT_EQ(silences(t, 1)[0].before, 49u);
    EXPECT_EQ(silences(t, 1)[0].duration_s, 41);
    EXPECT_TRUE(silences(std::vector<double>{}, 0).empty());
}

}  // namespace
