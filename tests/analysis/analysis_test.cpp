#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "analysis/analysis.h"
#include "analysis/safety/safety.h"
#include "report/cards.h"
#include "report/sheet.h"
#include "tests/support/sim.h"

using namespace nk;
using nk::test::lithiumCycle;
using nk::test::logged;

namespace {

Battery nmc3() {
    Battery b;
    b.chemistry = "nmc";
    b.series = 3;
    b.rated_Ah = 2.5;
    return b;
}

bool has(const Analysis& a, const char* code) {
    return std::any_of(a.findings.begin(), a.findings.end(),
                       [&](const Finding& f) { return f.code == code; });
}

Analysis ofProgram(const std::string& chemistry, int series, double soc, double ambient,
                   const std::string& steps,
                   const std::string& logger = R"({"noise_V": 0.001, "noise_A": 0.001})") {
    const auto log =
        logged(R"({"ambient_C": )" + std::to_string(ambient) + R"(, "battery": {"chemistry": ")" +
               chemistry + R"(", "series": )" + std::to_string(series) +
               R"(, "rated_Ah": 2.5, "r0_ohm": 0.03, "soc": )" + std::to_string(soc) +
               R"(}, "program": [)" + steps + R"(], "logger": )" + logger + "}");
    Battery b;
    b.chemistry = chemistry;
    b.series = series;
    b.rated_Ah = 2.5;
    return analyse(*log.imported.recording, b);
}

}  // namespace

TEST(Capacity, AnalyticCase) {
    // 1.25 A for 7200 s at 3.6 V: 2.5 Ah, 9 Wh, mean 3.6 V.
    std::vector<double> t, v, i;
    for (int k = 0; k < 60; ++k) t.push_back(k), v.push_back(4.18), i.push_back(0);
    for (int k = 0; k <= 7200; ++k) t.push_back(60 + k), v.push_back(3.6), i.push_back(-1.25);
    for (int k = 1; k <= 60; ++k) t.push_back(7260 + k), v.push_back(3.7), i.push_back(0);
    Battery b = nmc3();
    b.series = 1;
    const Analysis a = analyse(*nk::test::recording(t, v, i), b);
    ASSERT_NE(a.reading("delivered_capacity"), nullptr);
    EXPECT_NEAR(a.reading("delivered_capacity")->value, 2.5 + 1.25 / 3600, 1e-9)
        << "with half an interval at either end";
    EXPECT_NEAR(a.reading("mean_voltage")->value, 3.6, 0.01);
}

// Common practice, no source: the worked figures of people's notebooks (methods.md §4).
TEST(Capacity, NotebookFigures) {
    EXPECT_NEAR(486.51 / 12.78, 38.07, 0.005);
    const auto constant = [](double ah, double rated) {
        std::vector<double> t, v, i;
        t.push_back(0), v.push_back(4.15), i.push_back(0);
        for (int k = 0; k <= 3600; ++k)
            t.push_back(k + 40), v.push_back(4.15 - 1.15 * k / 3600), i.push_back(-ah);
        t.push_back(3641), v.push_back(3.3), i.push_back(0);
        Battery b;
        b.chemistry = "nmc";
        b.series = 1;
        b.rated_Ah = rated;
        const Analysis a = analyse(*nk::test::recording(t, v, i), b);
        const Reading* r = a.reading("health_capacity");
        return r != nullptr ? r->value : kNaN;
    };
    EXPECT_NEAR(constant(48.9, 60), 81.5, 0.5);
    EXPECT_NEAR(constant(0.288, 1.0), 28.8, 0.2);
}

TEST(Capacity, SeriesCountScalesVoltageAndNothingElse) {
    const auto one = ofProgram(
        "nmc", 1, 1.0, 22,
        R"({"do": "rest", "longest_s": 300}, {"do": "discharge", "current_A": 1.25, "floor_V": 3.0}, {"do": "rest", "longest_s": 300})",
        R"({"resolution_V": 1e-6})");
    const auto four = ofProgram(
        "nmc", 4, 1.0, 22,
        R"({"do": "rest", "longest_s": 300}, {"do": "discharge", "current_A": 1.25, "floor_V": 12.0}, {"do": "rest", "longest_s": 300})",
        R"({"resolution_V": 1e-6})");
    EXPECT_NEAR(one.reading("delivered_capacity")->value, four.reading("delivered_capacity")->value,
                1e-6);
    EXPECT_NEAR(4 * one.reading("mean_voltage")->value, four.reading("mean_voltage")->value, 1e-4);
    EXPECT_NEAR(one.reading("health_capacity")->value, four.reading("health_capacity")->value,
                1e-4);
}

TEST(Capacity, IntervalsHoldTheTruth) {
    // 600 instruments, each off by a gain and an offset from the stated rectangles: 95 % intervals
    // hold the truth 93 to 97 % of the time. Gain, offset and the coarse time step (50 s) count
    // about alike here; where one rectangle is alone, k = 2 covers it wholly (docs/methods.md).
    std::mt19937_64 random(42);
    std::uniform_real_distribution<double> uniform(-1, 1);
    std::normal_distribution<double> normal;
    int held = 0;
    const int runs = 600;
    for (int run = 0; run < runs; ++run) {
        const double gain = 1 + 0.005 * uniform(random);
        const double offset = 0.001 * uniform(random);
        const double phase = 0.5 * (uniform(random) + 1) * 50;
        const double lasts = 7200 + 50 * uniform(random);
        const double truth = 0.25 * lasts / 3600;
        std::vector<double> t, v, i;
        for (int k = 0; k < 156; ++k) {
            const double time = 50.0 * k;
            const bool on = time >= 300 + phase && time < 300 + phase + lasts;
            t.push_back(time);
            v.push_back(std::round((on ? 3.8 - (time - 300) / 10000 : 4.18) * 1000) / 1000);
            i.push_back(
                std::round(((on ? -0.25 : 0.0) * gain + offset + 0.0007 * normal(random)) * 1000) /
                1000);
        }
        RecordingData d;
        d.time_s = t, d.voltage_V = v, d.current_A = i, d.textStep_A = 0.001, d.textStep_V = 0.001;
        Battery b;
        b.chemistry = "nmc", b.series = 1, b.rated_Ah = 0.5;
        const Analysis a = analyse(*Recording::make(d), b);
        const Reading* r = a.reading("delivered_capacity");
        ASSERT_NE(r, nullptr);
        held += std::abs(r->value - truth) <= r->expanded();
    }
    EXPECT_GE(held, runs * 93 / 100);
    EXPECT_LE(held, runs * 97 / 100);
}

TEST(Capacity, OfASingleRowIsNotTold) {
    // Rows every four minutes; one of them holds 0.2 A into the battery between two loads: by the
    // trapezoid the charge of that step is negative, and nobody knows when the current turned.
    std::vector<double> t, v, i;
    for (int k = 0; k < 40; ++k) {
        t.push_back(240.0 * k);
        i.push_back(k < 5 || k > 34 ? 0 : k == 20 ? 0.2 : -0.65);
        v.push_back(3.4 - 0.005 * k + 0.1 * i.back());
    }
    const auto log = test::recording(std::move(t), std::move(v), std::move(i));
    Battery cell;
    cell.chemistry = "lfp", cell.series = cell.parallel = 1, cell.rated_Ah = 1.3;
    const Analysis a = analyse(*log, cell);
    int in = 0;
    for (const Reading& r : a.readings) {
        if (r.name == "charge_in") {
            ++in;
            EXPECT_FALSE(r.measurable()) << r.value;
            ASSERT_FALSE(r.caveats.empty());
            EXPECT_NE(r.caveats.front().find("rows 4"), std::string::npos) << r.caveats.front();
        }
        if (r.name == "delivered_capacity") {
            EXPECT_NEAR(r.value, 1.24, 0.03);
        }
    }
    EXPECT_EQ(in, 1);
}

TEST(Capacity, OfALogWithoutVoltageHasNoEnergyAndSaysSo) {
    std::vector<double> t, v, i;
    for (int k = 0; k < 600; ++k) {
        t.push_back(k);
        v.push_back(kNaN);
        i.push_back(k < 20 || k > 580 ? 0 : -2);
    }
    const Analysis a = analyse(*test::recording(std::move(t), std::move(v), std::move(i)), {});
    int told = 0;
    for (const Reading& r : a.readings) {
        if (r.name == "delivered_capacity") {
            EXPECT_NEAR(r.value, 2 * 561 / 3600.0, 0.005);
        }
        if (r.name != "delivered_energy" && r.name != "mean_voltage") continue;
        ++told;
        EXPECT_FALSE(r.measurable());
        ASSERT_FALSE(r.caveats.empty());
        EXPECT_NE(r.caveats.front().find("no voltage"), std::string::npos) << r.caveats.front();
    }
    EXPECT_EQ(told, 2);
}

TEST(Health, IsNotStateOfCharge) {
    const std::string discharge =
        R"({"do": "rest", "longest_s": 900}, {"do": "discharge", "current_A": 0.5, "floor_V": 3.0}, {"do": "rest", "longest_s": 300})";
    const auto part = ofProgram("nmc", 1, 0.5, 22, discharge);
    EXPECT_EQ(part.reading("health_capacity"), nullptr);
    EXPECT_TRUE(has(part, "part_charged_start"));
    const auto full = ofProgram("nmc", 1, 1.0, 22, discharge);
    ASSERT_NE(full.reading("health_capacity"), nullptr);
    EXPECT_NEAR(full.reading("health_capacity")->value, 100, 2);
    EXPECT_FALSE(has(full, "part_charged_start"));
    const auto stopped = ofProgram(
        "nmc", 1, 1.0, 22,
        R"({"do": "rest", "longest_s": 900}, {"do": "discharge", "current_A": 0.5, "longest_s": 5000}, {"do": "rest", "longest_s": 300})");
    EXPECT_EQ(stopped.reading("health_capacity"), nullptr) << "stopped above the floor";
    Battery unrated = nmc3();
    unrated.rated_Ah = 0;
    const auto log = logged(lithiumCycle());
    const Analysis a = analyse(*log.imported.recording, unrated);
    EXPECT_EQ(a.reading("health_capacity"), nullptr);
    const auto it = std::find_if(a.readings.begin(), a.readings.end(),
                                 [](const Reading& r) { return r.name == "health_capacity"; });
    ASSERT_NE(it, a.readings.end());
    EXPECT_THAT(it->caveats.front(), testing::HasSubstr("rated capacity"));
}

TEST(Efficiency, ClosedCycleAndOpenOne) {
    const std::string empty =
        R"({"do": "discharge", "current_A": 1.25, "floor_V": 9.0}, {"do": "rest", "longest_s": 900}, )";
    const std::string cycle =
        R"({"do": "charge", "current_A": 1.25, "set_V": 12.6, "cutoff_A": 0.05}, {"do": "rest", "longest_s": 900}, {"do": "discharge", "current_A": 1.25, "floor_V": 9.0}, {"do": "rest", "longest_s": 900})";
    const auto closed = ofProgram("nmc", 3, 0.4, 22, empty + cycle);
    ASSERT_NE(closed.reading("coulombic_efficiency"), nullptr);
    EXPECT_NEAR(closed.reading("coulombic_efficiency")->value, 100, 0.6);
    ASSERT_NE(closed.reading("energy_efficiency"), nullptr);
    EXPECT_LT(closed.reading("energy_efficiency")->value, 99);
    const auto open = ofProgram("nmc", 3, 0.6, 22, cycle);
    EXPECT_EQ(open.reading("coulombic_efficiency"), nullptr) << "more came out than went in";
}

TEST(Hazards, AreFoundAndOnlyThen) {
    const std::string charge =
        R"({"do": "rest", "longest_s": 60}, {"do": "charge", "current_A": 1.25, "set_V": SET, "cutoff_A": 0.12}, {"do": "rest", "longest_s": 300})";
    const auto at = [&](const char* chemistry, const char* set, double ambient) {
        std::string steps = charge;
        steps.replace(steps.find("SET"), 3, set);
        return ofProgram(chemistry, 2, 0.5, ambient, steps);
    };
    EXPECT_FALSE(at("nmc", "8.40", 22).hasHazard());
    EXPECT_TRUE(has(at("nmc", "8.60", 22), "overvoltage"));
    EXPECT_FALSE(has(at("lihv", "8.70", 22), "overvoltage"));
    EXPECT_TRUE(has(at("lfp", "7.60", 22), "overvoltage"));
    EXPECT_TRUE(has(at("nmc", "8.40", -5), "charged_cold"));
    EXPECT_FALSE(has(at("lto", "5.50", -5), "charged_cold"))
        << "LTO charges in the cold: limits come from its data file";
    EXPECT_TRUE(has(at("nmc", "8.40", 50), "charged_hot"));
    const auto deep = ofProgram(
        "nmc", 2, 0.3, 22,
        R"({"do": "discharge", "current_A": 0.5, "floor_V": 4.6}, {"do": "rest", "longest_s": 300})");
    EXPECT_TRUE(has(deep, "overdischarge"));
    EXPECT_TRUE(has(
        ofProgram(
            "nmc", 2, 0.9, 61,
            R"({"do": "discharge", "current_A": 0.5, "longest_s": 900}, {"do": "rest", "longest_s": 60})"),
        "too_hot"));
}

TEST(Hazards, OneNoisySampleIsNoFault) {
    std::vector<double> column(100, 4.20);
    column[50] = 4.40;
    EXPECT_TRUE(excursions(column, 4.25, true, 1).empty());
    for (std::size_t k = 60; k < 66; ++k) column[k] = 4.30;
    const auto found = excursions(column, 4.25, true, 1);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_NEAR(found[0].extreme, 4.30, 1e-9);
    EXPECT_TRUE(excursions({}, 4.25, true, 1).empty());
}

TEST(Hazards, OneCellOverTheLimitIsFoundBehindAGoodMean) {
    std::vector<double> t, v, i;
    std::vector<double> a, b;
    for (int k = 0; k < 200; ++k)
        t.push_back(k), v.push_back(8.38), i.push_back(0.5), a.push_back(4.32), b.push_back(4.06);
    RecordingData d;
    d.time_s = t, d.voltage_V = v, d.current_A = i;
    d.cells_V = {a, b};
    Battery two = nmc3();
    two.series = 2;
    const Analysis found = analyse(*Recording::make(d), two);
    ASSERT_TRUE(has(found, "overvoltage"));
    EXPECT_THAT(found.findings.front().text, testing::HasSubstr("cell 1"));
}

TEST(LogQuality, CounterAgainstIntegral) {
    const auto with = [](double factor) {
        std::vector<double> t, v, i, counter;
        for (int k = 0; k <= 3600; ++k)
            t.push_back(k), v.push_back(4.1 - k / 7200.0), i.push_back(-2),
                counter.push_back(factor * 2.0 * k / 3600);
        RecordingData d;
        d.time_s = t, d.voltage_V = v, d.current_A = i, d.counter_Ah = counter;
        Battery b = nmc3();
        b.series = 1;
        return has(analyse(*Recording::make(d), b), "counter_disagrees");
    };
    EXPECT_FALSE(with(1.01));
    EXPECT_TRUE(with(1.05));
    EXPECT_TRUE(with(0.9));
}

TEST(Battery, IsRecognisedFromVoltagesAndSaysWhatItAssumed) {
    // Common practice: a label of 38.4 V nominal and 43.8 V at most is 12 LFP cells in series.
    std::vector<double> v(1000, 43.8), i(1000, 5.0);
    Battery b;
    b.chemistry = "lfp";
    EXPECT_EQ(completeBattery(b, v, i, 0).series, 12);
    std::vector<double> three(1000, 12.6);
    const Battery guess = completeBattery({}, three, i, 0);
    EXPECT_EQ(guess.chemistry, "nmc");
    EXPECT_EQ(guess.series, 3);
    EXPECT_THAT(guess.assumed, testing::UnorderedElementsAre("chemistry", "series"));
    Battery bad;
    bad.chemistry = "unobtainium";
    ASSERT_FALSE(bad.check());
    EXPECT_THAT(bad.check().error().accepted, testing::HasSubstr("lfp"));
}

TEST(Registry, EveryNameIsOnceAndExplained) {
    std::set<std::string> names;
    for (const Metric& m : metrics()) {
        EXPECT_TRUE(names.insert(m.name).second) << m.name;
        EXPECT_GT(std::string(m.explanation).size(), 20u) << m.name;
        EXPECT_EQ(findMetric(m.name), &m);
    }
    for (const Check& c : checks()) EXPECT_GT(std::string(c.explanation).size(), 20u) << c.code;
    EXPECT_EQ(findMetric("nonsense"), nullptr);
}

TEST(Cards, HazardsComeFirstAndPointAtTheCurve) {
    const auto log = logged(lithiumCycle());
    Battery b = nmc3();
    b.chemistry = "lfp";  // 4.20 V on an LFP cell
    const Analysis a = analyse(*log.imported.recording, b);
    const auto cards = makeCards(*log.imported.recording, a, {});
    ASSERT_FALSE(cards.empty());
    EXPECT_EQ(cards.front().tone, CardTone::Hazard);
    EXPECT_TRUE(cards.front().pointsAtCurve());
    EXPECT_FALSE(cards.front().how.empty());
    EXPECT_THAT(cards.front().plainText(), testing::HasSubstr("HAZARD"));
    const auto empty = makeCards(*nk::test::recording({0, 1}, {3.7, 3.7}, {0, 0}),
                                 analyse(*nk::test::recording({0, 1}, {3.7, 3.7}, {0, 0}), b), {});
    EXPECT_FALSE(empty.empty()) << "an empty panel says what to log";
}

TEST(Sheet, HoldsReadingsAndEscapesText) {
    const auto log = logged(lithiumCycle());
    const Analysis a = analyse(*log.imported.recording, nmc3());
    SheetInput in;
    in.title = "<script>alert(1)</script>";
    in.batteryName = "A & B";
    in.recording = log.imported.recording.get();
    in.analysis = &a;
    const std::string html =
        benchSheetHtml(in, curveSvg(*log.imported.recording, a.steps, 740, 380));
    EXPECT_EQ(html.find("<script>"), std::string::npos);
    EXPECT_THAT(html, testing::HasSubstr("A &amp; B"));
    EXPECT_THAT(html, testing::HasSubstr("Delivered capacity"));
    EXPECT_THAT(html, testing::HasSubstr("<svg"));
    EXPECT_LT(html.size(), 400000u) << "the curve is decimated";
    EXPECT_THAT(curveSvg(*nk::test::recording({}, {}, {}), {}, 100, 100),
                testing::HasSubstr("</svg>"));
}
