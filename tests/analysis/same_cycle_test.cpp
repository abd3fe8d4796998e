// The same battery and the same day, logged otherwise: more or fewer rows, a longer rest before and
// after, a cut in the middle, the day twice in one file, columns that are not there. What is asked
// of the cycle must not depend on it, or must say that it does.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "analysis/analysis.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

/// A kind of battery with a day of its own.
struct Kind {
    const char* name;
    const char* scenario;  ///< with a place for the logger
};

constexpr Kind kKinds[] = {
    {"layered oxide", R"({"seed": 4, "ambient_C": 22,
      "battery": {"name": "x", "chemistry": "nmc", "series": 3, "rated_Ah": 2.5, "capacity_Ah": 2.4, "soc": 0.1},
      "program": [{"do": "rest", "longest_s": 900},
                  {"do": "charge", "current_A": 1.25, "set_V": 12.6, "cutoff_A": 0.12},
                  {"do": "rest", "longest_s": 1800},
                  {"do": "discharge", "current_A": 1.25, "floor_V": 9.0},
                  {"do": "rest", "longest_s": 1800}],
      "logger": LOGGER})"},
    {"flat curve", R"({"seed": 5, "ambient_C": 25,
      "battery": {"name": "x", "chemistry": "lfp", "series": 4, "rated_Ah": 10, "capacity_Ah": 9.6, "soc": 0.05},
      "program": [{"do": "rest", "longest_s": 900},
                  {"do": "charge", "current_A": 4, "set_V": 14.4, "cutoff_A": 0.5},
                  {"do": "rest", "longest_s": 1800},
                  {"do": "discharge", "current_A": 5, "floor_V": 10.0},
                  {"do": "rest", "longest_s": 1800}],
      "logger": LOGGER})"},
    {"nickel", R"({"seed": 6, "ambient_C": 21,
      "battery": {"name": "x", "chemistry": "nimh", "series": 6, "rated_Ah": 2, "capacity_Ah": 1.9, "soc": 0.1},
      "program": [{"do": "rest", "longest_s": 900},
                  {"do": "charge", "current_A": 2, "peakDrop_V": 0.005, "negative_delta_V": 0.03, "longest_s": 5400},
                  {"do": "rest", "longest_s": 1800},
                  {"do": "discharge", "current_A": 1, "floor_V": 6.0},
                  {"do": "rest", "longest_s": 1800}],
      "logger": LOGGER})"},
};

std::string with(const Kind& kind, const std::string& logger) {
    std::string text = kind.scenario;
    text.replace(text.find("LOGGER"), 6, logger);
    // The simulator's own name of it.
    if (const auto at = text.find("\"peakDrop_V\": 0.005, "); at != std::string::npos)
        text.erase(at, std::string("\"peakDrop_V\": 0.005, ").size());
    return text;
}

class SameCycle : public testing::TestWithParam<Kind> {
  protected:
    static test::Logged logged(
        const std::string& logger = R"({"interval_s": 5, "noise_V": 0.0005})") {
        return test::logged(with(GetParam(), logger));
    }
    static Analysis of(const Recording& r, const Battery& b) { return analyse(r, b); }
    static Analysis of(const test::Logged& log) {
        return analyse(*log.imported.recording, log.scenario.battery);
    }
    /// Readings of the whole discharge and charge, which do not depend on where the log begins.
    static const std::set<std::string>& steady() {
        static const std::set<std::string> names{"delivered_capacity", "delivered_energy",
                                                 "mean_voltage",       "health_capacity",
                                                 "set_voltage",        "current_at_stop"};
        return names;
    }
    static std::vector<StepKind> kindsOf(const Analysis& a) {
        std::vector<StepKind> out;
        for (const Step& s : a.steps.list) out.push_back(s.kind);
        return out;
    }
    static std::vector<const Reading*> steadyOf(const Analysis& a) {
        std::vector<const Reading*> out;
        for (const Reading& r : a.readings)
            if (steady().contains(r.name) && r.measurable()) out.push_back(&r);
        return out;
    }
    static RecordingPtr rows(const Recording& r, std::size_t from, std::size_t to) {
        RecordingData d = r.data();
        const auto cut = [&](std::vector<double>& column) {
            if (column.empty()) return;
            column = {column.begin() + static_cast<std::ptrdiff_t>(from),
                      column.begin() + static_cast<std::ptrdiff_t>(to)};
        };
        cut(d.time_s), cut(d.voltage_V), cut(d.current_A), cut(d.temperature_C);
        for (auto& c : d.cells_V) cut(c);
        d.problems.clear(), d.repairs.clear(), d.gaps.clear();
        const double start = d.time_s.front();
        for (double& t : d.time_s) t -= start;
        return Recording::make(std::move(d));
    }
};

TEST_P(SameCycle, FewerRowsSayTheSameWithinTheirIntervals) {
    const Analysis dense = of(logged(R"({"interval_s": 1, "noise_V": 0.0005})"));
    ASSERT_GE(steadyOf(dense).size(), 3U);
    for (const char* logger :
         {R"({"interval_s": 5, "noise_V": 0.0005})", R"({"interval_s": 20, "noise_V": 0.0005})",
          R"({"interval_s": 60, "noise_V": 0.0005})"}) {
        const Analysis sparse = of(logged(logger));
        for (const Reading* d : steadyOf(dense)) {
            const Reading* s = sparse.reading(d->name);
            ASSERT_NE(s, nullptr) << d->name;
            if (!s->measurable()) {
                EXPECT_FALSE(s->caveats.empty()) << d->name << ": no number without a reason";
                continue;
            }
            EXPECT_NEAR(s->value, d->value, s->expanded() + d->expanded())
                << d->name << " " << logger;
            EXPECT_EQ(s->unit, d->unit);
        }
    }
}

TEST_P(SameCycle, ALongerRestAtEitherEndChangesNothing) {
    const test::Logged log = logged();
    const Recording& r = *log.imported.recording;
    const Analysis before = of(log);
    RecordingData d = r.data();
    const std::size_t more = 200;
    const auto longer = [&](std::vector<double>& column) {
        if (column.empty()) return;
        column.insert(column.begin(), more, column.front());
        column.insert(column.end(), more, column.back());
    };
    longer(d.voltage_V), longer(d.current_A), longer(d.temperature_C);
    for (auto& c : d.cells_V) longer(c);
    const double step = r.usualInterval_s();
    d.time_s.clear();
    for (std::size_t k = 0; k < d.voltage_V.size(); ++k)
        d.time_s.push_back(step * static_cast<double>(k));
    d.gaps.clear();
    const Analysis after = of(*Recording::make(std::move(d)), log.scenario.battery);
    EXPECT_EQ(kindsOf(after), kindsOf(before));
    ASSERT_EQ(steadyOf(after).size(), steadyOf(before).size());
    for (std::size_t k = 0; k < steadyOf(before).size(); ++k) {
        const Reading* a = steadyOf(after)[k];
        const Reading* b = steadyOf(before)[k];
        EXPECT_EQ(a->name, b->name);
        EXPECT_NEAR(a->value, b->value, 0.1 * b->expanded() + 1e-9) << b->name;
    }
}

TEST_P(SameCycle, TheSameDayTwiceGivesEveryReadingTwice) {
    const test::Logged log = logged();
    const Recording& r = *log.imported.recording;
    const Analysis once = of(log);
    RecordingData d = r.data();
    const auto twice = [&](std::vector<double>& column) {
        const std::vector<double> copy = column;
        column.insert(column.end(), copy.begin(), copy.end());
    };
    twice(d.voltage_V), twice(d.current_A), twice(d.temperature_C);
    for (auto& c : d.cells_V) twice(c);
    const double day = r.time_s().back() + r.usualInterval_s();
    const std::size_t n = r.size();
    for (std::size_t k = 0; k < n; ++k) d.time_s.push_back(r.time_s()[k] + day);
    const Analysis both = of(*Recording::make(std::move(d)), log.scenario.battery);
    for (const char* name : {"delivered_capacity", "delivered_energy", "mean_voltage"}) {
        std::vector<const Reading*> found;
        for (const Reading& x : both.readings)
            if (x.name == name && x.measurable()) found.push_back(&x);
        ASSERT_EQ(found.size(), 2U) << name;
        const Reading* alone = once.reading(name);
        ASSERT_NE(alone, nullptr);
        for (const Reading* x : found) {
            EXPECT_NEAR(x->value, alone->value, 0.05 * alone->expanded() + 1e-9) << name;
            EXPECT_NEAR(x->uncertainty, alone->uncertainty, 0.2 * alone->uncertainty) << name;
        }
        EXPECT_NEAR(found[1]->evidence.from_s - found[0]->evidence.from_s, day,
                    3 * r.usualInterval_s())
            << name;
    }
}

TEST_P(SameCycle, CutShortTheEarlierStepsStayAsTheyWere) {
    const test::Logged log = logged();
    const Recording& r = *log.imported.recording;
    const Analysis whole = of(log);
    const auto& list = whole.steps.list;
    ASSERT_GE(list.size(), 4U);
    // In the middle of each step but the first two.
    for (std::size_t k = 2; k < list.size(); ++k) {
        const std::size_t middle = (list[k].first + list[k].last) / 2;
        const Analysis part = of(*rows(r, 0, middle), log.scenario.battery);
        ASSERT_GE(part.steps.list.size(), k) << k;
        // All but the one that was cut, and the one before, whose end it may have told.
        for (std::size_t s = 0; s + 1 < k; ++s) {
            EXPECT_EQ(part.steps.list[s].kind, list[s].kind) << k << " " << s;
            EXPECT_EQ(part.steps.list[s].first, list[s].first) << k << " " << s;
            EXPECT_NEAR(part.steps.list[s].sum.charge_Ah, list[s].sum.charge_Ah,
                        1e-3 * std::abs(list[s].sum.charge_Ah) + 1e-4)
                << k << " " << s;
        }
        EXPECT_FALSE(part.hasHazard() && !whole.hasHazard()) << "a cut log is no hazard";
    }
}

TEST_P(SameCycle, WithoutItsThermometerOnlyWhatNeedsItIsMissing) {
    const test::Logged log = logged();
    RecordingData d = log.imported.recording->data();
    ASSERT_FALSE(d.temperature_C.empty());
    d.temperature_C.clear();
    const Analysis before = of(log);
    const Analysis after = of(*Recording::make(std::move(d)), log.scenario.battery);
    EXPECT_EQ(kindsOf(after), kindsOf(before));
    for (const Reading* b : steadyOf(before)) {
        const Reading* a = after.reading(b->name);
        ASSERT_NE(a, nullptr) << b->name;
        EXPECT_EQ(a->value, b->value) << b->name;
    }
    for (const Reading& x : after.readings)
        if (x.name.find("temperature") != std::string::npos) {
            EXPECT_FALSE(x.measurable()) << x.name;
        }
    for (const Finding& f : after.findings)
        EXPECT_EQ(f.code.find("charged_hot"), std::string::npos) << f.code;
}

TEST_P(SameCycle, ACoarserDisplayNeverMakesItMoreCertain) {
    const Analysis fine =
        of(logged(R"({"interval_s": 5, "resolution_V": 0.001, "resolution_A": 0.001})"));
    const Analysis coarse =
        of(logged(R"({"interval_s": 5, "resolution_V": 0.01, "resolution_A": 0.05})"));
    std::size_t compared = 0;
    for (const Reading* f : steadyOf(fine)) {
        const Reading* c = coarse.reading(f->name);
        if (c == nullptr || !c->measurable()) continue;
        EXPECT_GE(c->uncertainty, 0.98 * f->uncertainty) << f->name;
        EXPECT_NEAR(c->value, f->value, c->expanded() + f->expanded()) << f->name;
        ++compared;
    }
    EXPECT_GE(compared, 3U);
}

TEST_P(SameCycle, WithCellsBesideItThePackIsTheSame) {
    const test::Logged plain = logged();
    const test::Logged cells = logged(R"({"interval_s": 5, "noise_V": 0.0005, "cells": true})");
    const Analysis a = of(plain);
    const Analysis b = of(cells);
    EXPECT_EQ(kindsOf(a), kindsOf(b));
    for (const Reading* x : steadyOf(a)) {
        const Reading* y = b.reading(x->name);
        ASSERT_NE(y, nullptr) << x->name;
        EXPECT_NEAR(y->value, x->value, x->expanded()) << x->name;
    }
}

std::string nameOf(const testing::TestParamInfo<Kind>& kind) {
    std::string name = kind.param.name;
    std::replace(name.begin(), name.end(), ' ', '_');
    return name;
}
INSTANTIATE_TEST_SUITE_P(Kinds, SameCycle, testing::ValuesIn(kKinds), nameOf);

}  // namespace
}  // namespace nk
