// A log that grows is judged as it will be judged afterwards: fed in pieces of any size, the steps
// told are those of the whole, rules fire where replay says, alarms sound once.
#include "live/watcher.h"

#include <gtest/gtest.h>

#include <cmath>

#include "tests/support/sim.h"

using namespace nk;

namespace {

/// The first n rows of a recording.
RecordingPtr head(const Recording& r, std::size_t n) {
    RecordingData d;
    const auto cut = [&](std::span<const double> all, std::vector<double>& into) {
        into.assign(all.begin(),
                    all.begin() + static_cast<std::ptrdiff_t>(std::min(n, all.size())));
    };
    cut(r.time_s(), d.time_s);
    cut(r.voltage_V(), d.voltage_V);
    cut(r.current_A(), d.current_A);
    if (r.hasTemperature()) cut(r.temperature_C(), d.temperature_C);
    return Recording::make(std::move(d));
}

std::vector<LiveEvent> fed(const Recording& r, Watcher& watcher, std::size_t piece) {
    std::vector<LiveEvent> out;
    for (std::size_t n = piece; n < r.size(); n += piece) {
        const auto more = watcher.take(*head(r, n));
        out.insert(out.end(), more.begin(), more.end());
    }
    const auto last = watcher.end(r);
    out.insert(out.end(), last.begin(), last.end());
    return out;
}

Battery lithium() {
    Battery b;
    b.chemistry = "nmc";
    b.series = 3;
    b.rated_Ah = 2.5;
    return b;
}

TEST(Watcher, StepsInTheEndAreThoseOfTheWholeLog) {
    const auto log = test::logged(test::lithiumCycle(R"({"interval_s": 10})"));
    const Recording& r = *log.imported.recording;
    const Steps whole = findSteps(r, lithium());
    for (const std::size_t piece : {37U, 150U, 611U}) {
        Watcher watcher(lithium(), {});
        std::map<int, LiveEvent> steps;
        std::size_t samples = 0;
        for (const LiveEvent& e : fed(r, watcher, piece)) {
            if (e.kind == LiveEvent::Kind::Sample) ++samples;
            if (e.kind == LiveEvent::Kind::Step) steps[e.index] = e;
        }
        EXPECT_EQ(samples, r.size());
        ASSERT_EQ(steps.size(), whole.list.size()) << piece;
        for (std::size_t k = 0; k < whole.list.size(); ++k) {
            EXPECT_EQ(steps[static_cast<int>(k)].what, toString(whole.list[k].kind));
            EXPECT_NEAR(steps[static_cast<int>(k)].low_s, whole.list[k].start_s, 1e-9);
        }
    }
}

TEST(Watcher, ARuleFiresWhereReplaySays) {
    const std::string json =
        R"({"seed": 5, "battery": {"name": "x", "chemistry": "nimh", "series": 4, "rated_Ah": 2, "capacity_Ah": 1.9, "soc": 0.1},
            "program": [{"do": "rest", "longest_s": 120}, {"do": "charge", "current_A": 2, "negative_delta_V": 0.02, "longest_s": 5400},
                        {"do": "rest", "longest_s": 600}], "logger": {"interval_s": 2}})";
    const auto log = test::logged(json);
    const Recording& r = *log.imported.recording;
    Battery b;
    b.chemistry = "nimh";
    b.series = 4;
    b.rated_Ah = 2;
    const StopRule rule = *parseRule("input:50%");
    Watcher watcher(b, {rule});
    double fired = kNaN;
    for (const LiveEvent& e : fed(r, watcher, 60))
        if (e.kind == LiveEvent::Kind::Rule) fired = e.t_s;
    const Steps steps = findSteps(r, b);
    const auto replayed = replayAll({r, steps, b, {}}, {rule});
    ASSERT_FALSE(replayed.empty());
    ASSERT_EQ(replayed[0].fired, Fired::Yes);
    EXPECT_NEAR(fired, replayed[0].time_s, 1e-6);
}

TEST(Watcher, AlarmsSoundOnceAndAgainOnlyAfterTheyWereOver) {
    std::vector<double> t, v, i, c;
    for (int k = 0; k < 400; ++k) {
        t.push_back(10.0 * k);
        const bool hot = (k >= 100 && k < 150) || (k >= 300 && k < 320);
        v.push_back(k >= 200 && k < 220 ? 3 * 4.30 : 3 * 3.9);
        i.push_back(1);
        c.push_back(hot ? 55 + (k % 2) : 25);
    }
    Watcher watcher(lithium(), {});
    std::map<std::string, int> count;
    for (const LiveEvent& e : fed(*test::recording(t, v, i, c), watcher, 50))
        if (e.kind == LiveEvent::Kind::Alarm) {
            ++count[e.what];
            EXPECT_FALSE(e.words.empty());
        }
    EXPECT_EQ(count["too_hot"], 2);
    EXPECT_EQ(count["overvoltage"], 1);
    EXPECT_EQ(count.size(), 2U);
}

TEST(Watcher, TheEndIsToldAsAnIntervalOrWithTheReason) {
    const auto log = test::logged(test::lithiumCycle(R"({"interval_s": 10})"));
    const Recording& r = *log.imported.recording;
    const Steps steps = findSteps(r, lithium());
    double end = 0;
    for (const Step& s : steps.list)
        if (s.kind == StepKind::CvCharge) end = s.end_s;
    Watcher watcher(lithium(), {});
    int told = 0;
    int held = 0;
    for (const LiveEvent& e : fed(r, watcher, 20)) {
        if (e.kind != LiveEvent::Kind::Estimate) continue;
        if (!std::isfinite(e.likely_s)) {
            EXPECT_FALSE(e.words.empty());
            continue;
        }
        if (e.t_s > end) continue;
        ++told;
        held += e.low_s <= end && end <= e.high_s ? 1 : 0;
    }
    EXPECT_GT(told, 10);
    EXPECT_GE(held, 0.9 * told) << told;
}

TEST(Watcher, AnotherFileInItsPlaceIsBegunAnew) {
    const auto log = test::logged(test::lithiumCycle(R"({"interval_s": 10})"));
    const Recording& r = *log.imported.recording;
    Watcher watcher(lithium(), {});
    (void)watcher.take(*head(r, 500));
    const auto events = watcher.take(*head(r, 100));
    std::size_t samples = 0;
    for (const LiveEvent& e : events) samples += e.kind == LiveEvent::Kind::Sample ? 1 : 0;
    EXPECT_EQ(samples, 100U);
    EXPECT_TRUE(watcher.take(*Recording::make({})).empty());
}

}  // namespace
