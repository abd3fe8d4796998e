// What is known of a battery, once (methods.md §16): on families of histories whose truth is known,
// and through a book by every mouth of the command line.
#include "history/standing.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <random>

#include "history/kept_standing.h"
#include "history/known_charge.h"
#include "history/log_day.h"
#include "history/take_in.h"
#include "history/verdict.h"
#include "quantity/iso_time.h"
#include "tests/support/command.h"
#include "tests/support/folder.h"
#include "tests/support/sim.h"

using namespace nk;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

namespace {

constexpr double kDay_s = 86400;
constexpr double kFirst_s = 1.70e9;

struct Draw {
    std::mt19937 random;
    explicit Draw(unsigned seed) : random(seed) {}
    double between(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    }
    double normal(double sigma) { return std::normal_distribution<double>(0, sigma)(random); }
    bool one(int in) { return std::uniform_int_distribution<int>(1, in)(random) == 1; }
};

/// A whole discharge as a book would hold it. `end_V`: where it stopped; below the common floor of
/// 3.0 V the voltage falls by `slope` V/Ah.
void addTest(BatteryHistory& h, double at_s, double value_Ah, double u_Ah, double end_V = 3.0,
             double slope = 1.5, double warmth_C = 22) {
    static std::int64_t id = 0;
    HistoryPoint p;
    p.reading.recordingId = ++id;
    p.reading.name = "delivered_capacity";
    p.reading.method = "coulomb_count_trapezoid";
    p.reading.unit = "Ah";
    p.reading.step = 1;
    p.reading.value = value_Ah;
    p.reading.uncertainty = u_Ah;
    p.reading.low = value_Ah - 2 * u_Ah;
    p.reading.high = value_Ah + 2 * u_Ah;
    ReadingConditions& c = p.reading.conditions;
    c.cRate = 0.3;
    c.temperature_C = warmth_C;
    c.beganFull = true;
    c.floor_V_per_cell = end_V;
    c.endSlope_V_Ah = slope;
    c.endSlopeShare = 0.1;
    c.endDoubt_V = 0.003;
    c.set_V_per_cell = 4.2;
    c.cutoff_C = 0.05;
    p.at_s = at_s;
    p.efc = 5;
    h.points.push_back(p);
    p.reading.name = "health_capacity";
    h.points.push_back(p);
}

BatteryHistory cell(double rated_Ah) {
    BatteryHistory h;
    h.battery.id = 1;
    h.battery.battery.chemistry = "nmc";
    h.battery.battery.series = 1;
    h.battery.battery.rated_Ah = rated_Ah;
    return h;
}

void settle(BatteryHistory& h) {
    std::ranges::stable_sort(h.points, {}, [](const HistoryPoint& p) {
        return std::tuple(!p.dayKnown(), p.dayKnown() ? p.at_s : 0.0, p.reading.value);
    });
    h.floor_V_per_cell = groupComparable(h.battery.battery, h.points);
}

Verdict verdictOf(const BatteryHistory& h, const BatteryLife& life = {}) {
    return judge(h, standingOf(h, {}, life, {}), {});
}

TEST(Standings, HoldTheTruthOfFadingBatteries) {
    int held = 0;
    int all = 0;
    double worst = 0;
    for (unsigned seed = 1; seed <= 300; ++seed) {
        Draw draw(seed);
        BatteryHistory h = cell(5);
        const double first = draw.between(4.2, 5.2);
        const double perYear = draw.between(0.01, 0.12);
        const double bend = draw.between(0.5, 1.3);
        const double gain = draw.normal(0.003);  // of the meter, the same in all of them
        const int tests = 2 + static_cast<int>(draw.between(0, 7));
        double truth = 0;
        double last = -1;
        for (int k = 0; k < tests; ++k) {
            const double days = draw.between(0, 730);
            const double is = first * (1 - perYear * std::pow(days / 365, bend));
            const double noise = draw.normal(0.002);
            addTest(h, kFirst_s + days * kDay_s, is * (1 + gain + noise), 0.0036 * is);
            if (days > last) last = days, truth = is;
        }
        // A log of no known day, as good as new; one in the cold.
        if (draw.one(3)) addTest(h, kNaN, first, 0.01);
        if (draw.one(3)) addTest(h, kFirst_s + 800 * kDay_s, 0.7 * first, 0.01, 3.0, 1.5, -5);
        std::ranges::shuffle(h.points, draw.random);
        settle(h);
        const Standing s = standingOf(h, {}, {}, {});
        ASSERT_TRUE(s.capacity) << seed;
        ++all;
        held += s.capacity->low <= truth && truth <= s.capacity->high;
        worst = std::max(worst, std::abs(s.capacity->value / truth - 1));
        EXPECT_NEAR(s.capacity->at_s, kFirst_s + last * kDay_s, 1) << seed;
        if (s.fade) {
            EXPECT_LT(s.fade->low, s.fade->high);
            EXPECT_LE(s.fade->low, s.fade->percent);
        }
    }
    EXPECT_GE(held, all * 92 / 100) << "95 % intervals";
    EXPECT_LT(worst, 0.03);
}

TEST(Standings, AreTheSameInAnyOrderOfImport) {
    for (unsigned seed = 1; seed <= 60; ++seed) {
        Draw draw(seed);
        BatteryHistory h = cell(5);
        for (int k = 0; k < 6; ++k)
            addTest(h, kFirst_s + std::floor(draw.between(0, 700)) * kDay_s,
                    5 - 0.2 * k + draw.normal(0.01), 0.015, 3.0 + 0.01 * k);
        settle(h);
        const Standing a = standingOf(h, {}, {}, {});
        const std::string verdict = verdictOf(h).verdict;
        for (int n = 0; n < 5; ++n) {
            std::ranges::shuffle(h.points, draw.random);
            settle(h);
            const Standing b = standingOf(h, {}, {}, {});
            EXPECT_EQ(a.capacity->value, b.capacity->value) << seed;
            EXPECT_EQ(a.capacity->recording, b.capacity->recording);
            EXPECT_EQ(verdictOf(h).verdict, verdict);
        }
    }
}

TEST(Standings, AFloorDoesNotHangOnADigit) {
    // One battery, drawn to 3.10 V; where the last row fell is chance.
    for (const double end : {3.0903, 3.0897, 3.0891, 3.101, 3.08}) {
        BatteryHistory h = cell(20);
        const double slope = 0.9;
        addTest(h, kFirst_s, 17.36, 0.05, 3.09, slope);
        addTest(h, kFirst_s + 30 * kDay_s, 17.36 - (end - 3.09) / slope, 0.05, end, slope);
        settle(h);
        EXPECT_NEAR(h.floor_V_per_cell, 0.5 * (3.09 + end), 1e-9);
        const Standing s = standingOf(h, {}, {}, {});
        ASSERT_TRUE(s.capacity) << end;
        EXPECT_NEAR(s.capacity->value, 17.36, 0.02) << end;
        EXPECT_EQ(verdictOf(h).verdict, "keep");
    }
    // What ends far above the floor is no whole discharge, but it says how much there was at least.
    BatteryHistory h = cell(45);
    addTest(h, kFirst_s, 36.4, 0.1, 3.31, 0.06);
    std::erase_if(h.points, [](const auto& p) { return p.reading.name == "health_capacity"; });
    settle(h);
    const Standing s = standingOf(h, {}, {}, {});
    ASSERT_TRUE(s.capacity);
    EXPECT_NEAR(s.capacity->value, 36.4, 1e-9);
    EXPECT_GT(s.capacity->more_Ah, 4);
    EXPECT_THAT(verdictOf(h).reasons.front().text, HasSubstr("where it was stopped"));
}

TEST(Standings, NoiseAloneChangesNoVerdict) {
    for (unsigned seed = 1; seed <= 100; ++seed) {
        Draw draw(seed);
        // Well off a limit, with a logger's noise: the same word every time.
        const double share = draw.one(2) ? 0.84 : 0.76;
        BatteryHistory h = cell(5);
        std::string first;
        for (int k = 0; k < 8; ++k) {
            addTest(h, kFirst_s + k * 20 * kDay_s, 5 * share + draw.normal(0.01), 0.015);
            settle(h);
            const Verdict v = verdictOf(h);
            if (k == 0) first = v.verdict;
            EXPECT_EQ(v.verdict, first) << seed << " " << k;
            EXPECT_FALSE(v.straddles);
        }
        // Upon a limit it straddles, says so, and stays where it began.
        BatteryHistory on = cell(5);
        for (int k = 0; k < 8; ++k) {
            addTest(on, kFirst_s + k * 20 * kDay_s, 4 + draw.normal(0.008), 0.015);
            settle(on);
            const Verdict v = verdictOf(on);
            EXPECT_EQ(v.verdict, "keep") << seed << " " << k;
            EXPECT_TRUE(v.straddles);
            EXPECT_FALSE(v.change.empty());
        }
    }
}

TEST(Standings, OnlyWhatWasBoughtNewIsReturned) {
    BatteryHistory h = cell(5);
    addTest(h, kFirst_s, 3.3, 0.01);
    settle(h);
    EXPECT_EQ(verdictOf(h).verdict, "watch");
    EXPECT_THAT(verdictOf(h).change, HasSubstr("bought as new"));
    BatteryLife life;
    life.boughtNew = 1;
    EXPECT_EQ(verdictOf(h, life).verdict, "return") << "first log within a year of itself";
    life.inUseSince_s = kFirst_s - 3 * 365 * kDay_s;
    EXPECT_EQ(verdictOf(h, life).verdict, "watch") << "three years of use are age";
    life.boughtNew = 0;
    life.inUseSince_s = kNaN;
    EXPECT_EQ(verdictOf(h, life).verdict, "watch");
}

TEST(Standings, AnUnseenLoadIsProposedAndNothingIsConcludedFromIt) {
    BatteryHistory h = cell(6.5);
    const auto test = [&](double at_s, double seen_Ah, double seconds, double amps) {
        addTest(h, at_s, seen_Ah, 0.01, 3.0, 4);
        for (std::size_t k = h.points.size() - 2; k < h.points.size(); ++k) {
            h.points[k].reading.from_s = 0;
            h.points[k].reading.to_s = seconds;
            h.points[k].reading.conditions.mean_A = -amps;
            h.points[k].reading.conditions.cRate = amps / 6.5;
        }
    };
    test(kFirst_s, 4.32, 4300, 3.6);
    test(kFirst_s + kDay_s, 0.71, 4250, 0.6);
    settle(h);
    const Standing s = standingOf(h, {}, {}, {});
    ASSERT_TRUE(s.unseen);
    EXPECT_NEAR(s.unseen->missing_Ah, 3.61, 0.01);
    ASSERT_TRUE(s.capacity);
    EXPECT_NEAR(s.capacity->value, 4.32, 0.01) << "yesterday's figure stands";
    const Verdict v = verdictOf(h);
    EXPECT_EQ(v.verdict, "watch");
    EXPECT_TRUE(
        std::ranges::any_of(v.reasons, [](const auto& r) { return r.rule == "unseen_load"; }));
    // A battery that really lost it gave it in less time.
    BatteryHistory lost = cell(6.5);
    std::swap(h, lost);
    h = cell(6.5);
    test(kFirst_s, 4.32, 4300, 3.6);
    test(kFirst_s + kDay_s, 0.71, 710, 3.6);
    settle(h);
    EXPECT_FALSE(standingOf(h, {}, {}, {}).unseen);
}

TEST(LocalLines, AgreeWithPlainLeastSquaresWhereNothingWalks) {
    // By arithmetic: points on a line exactly, equal weights.
    const std::vector<double> days = {0, 100, 200, 300, 400};
    std::vector<double> values;
    for (const double d : days) values.push_back(5 - 0.001 * d);
    const LocalLine line = localLine(days, values, std::vector<double>(5, 0.01));
    EXPECT_NEAR(line.value, 4.6, 1e-6);
    EXPECT_NEAR(line.pace, -0.001, 1e-8);
    // Ordinary least squares: u of the value at the end 0.01·sqrt(1/5 + 200²/100000) at the least.
    EXPECT_GE(line.uncertainty, 0.01 * std::sqrt(0.2 + 0.4) - 1e-6);
    EXPECT_LT(line.uncertainty, 0.02);
    EXPECT_EQ(localLine({1, 2}, {3, 4}, {0.1, 0.1}).value, 4) << "two points are no line";
    EXPECT_TRUE(std::isnan(localLine({}, {}, {}).value));
}

TEST(LogDays, AreFoundInWordsAndNames) {
    constexpr double kNow = 1.79e9;  // 2026
    EXPECT_THAT(daysIn("Started 2026-05-01 18:00", kNow), ElementsAre("2026-05-01"));
    EXPECT_THAT(daysIn("lamp_20260501.csv", kNow), ElementsAre("2026-05-01"));
    EXPECT_THAT(daysIn("vom 1.5.2026, 31.12.2025", kNow), ElementsAre("2026-05-01", "2025-12-31"));
    EXPECT_THAT(daysIn("2026_05_01 2026/5/2", kNow), ElementsAre("2026-05-01", "2026-05-02"));
    for (const char* none : {"05/01/2026", "1234567890", "2026-13-01", "2026-02-30", "3026-01-01",
                             "1.5.26", "v2.3.2026.1", "120260501", "", "4.20.3.85"})
        EXPECT_THAT(daysIn(none, kNow), IsEmpty()) << none;
}

class StandingBook : public test::Command {
  protected:
    std::string book() const { return (folder_ / "b.nkbook").string(); }
    /// A discharge of a cell from full: 4.15 V at rest, then down a straight line, with a date.
    std::string log(const std::string& name, const std::string& day, double capacity_Ah,
                    double end_V = 3.0) {
        std::string text =
            day.empty() ? "Time [s],Voltage [V],Current [A]\n" : "Time,Voltage [V],Current [A]\n";
        const double amps = 1;
        const double length = capacity_Ah / amps * 3600;
        for (double t = 0; t <= 600 + length; t += 20) {
            const double out = std::max(0.0, t - 600) / length;
            const double curve = 4.15 - 0.75 * out - (out > 0.9 ? 40 * std::pow(out - 0.9, 2) : 0);
            const double end = 4.15 - 0.75 - 40 * 0.01;
            const double v = t < 600 ? 4.17 : end_V + (curve - end) * (4.15 - end_V) / (4.15 - end);
            const std::string at =
                day.empty()
                    ? fmt::format("{:.0f}", t)
                    : fmt::format("{} {:02.0f}:{:02.0f}:{:02.0f}", day, std::floor(8 + t / 3600),
                                  std::floor(std::fmod(t, 3600) / 60), std::fmod(t, 60));
            text += fmt::format("{},{:.3f},{:.3f}\n", at, v, t < 600 ? 0.0 : -amps);
        }
        return write(name, text);
    }
    test::Ran bring(const std::vector<std::string>& files, std::vector<std::string> more = {}) {
        std::vector<std::string> args = {"book", "import", book()};
        args.insert(args.end(), files.begin(), files.end());
        for (const char* w :
             {"--name", "Lamp", "--chemistry", "nmc", "--series", "1", "--rated-ah", "3"})
            args.emplace_back(w);
        args.insert(args.end(), more.begin(), more.end());
        return test::run(args);
    }
    nlohmann::json json(std::vector<std::string> args) {
        args.emplace_back("--json");
        const auto ran = test::run(args);
        EXPECT_EQ(ran.status, 0) << ran.err;
        return nlohmann::json::parse(ran.out, nullptr, false);
    }
};

TEST_F(StandingBook, EveryMouthSaysTheSame) {
    ASSERT_EQ(bring({log("a.csv", "2025-01-10", 2.7), log("b.csv", "2025-06-10", 2.6),
                     log("c.csv", "2025-12-10", 2.5)})
                  .status,
              0);
    const auto standing = json({"standing", book(), "Lamp"});
    EXPECT_EQ(standing["schema"], "narrow-knee/standing/1");
    const double value = standing["capacity"]["value"];
    EXPECT_NEAR(value, 2.5, 0.02);
    EXPECT_EQ(standing["capacity"]["at"], "2025-12-10");
    const auto verdict = json({"verdict", book(), "Lamp"});
    EXPECT_EQ(verdict["verdict"], standing["verdict"]);
    EXPECT_DOUBLE_EQ(verdict["yardsticks"]["latest"].get<double>(), value);
    const auto shelf = test::run({"shelf", book()});
    EXPECT_THAT(shelf.out, HasSubstr("2025-12-10"));
    EXPECT_THAT(shelf.out, HasSubstr(fmt::format("{}", value)));
    const auto plan = json({"plan", "charge", "--book", book(), "Lamp", "--from-soc", "0"});
    EXPECT_THAT(plan["reasons"]["current_A"].get<std::string>(), HasSubstr("holds today"));
    const auto& minutes = standing["charge_time"]["minutes"];
    EXPECT_NEAR(plan["time_s"][1].get<double>() / 60, minutes[1].get<double>(), 1e-6)
        << plan.dump();
    const auto due = test::run({"due", book(), "--at", "2026-12-20"});
    EXPECT_THAT(due.out, HasSubstr("375 days ago")) << due.out;
    // As it stood after the first.
    const auto then = json({"standing", book(), "Lamp", "--at", "2025-02-01"});
    EXPECT_NEAR(then["capacity"]["value"].get<double>(), 2.7, 0.03);
}

TEST_F(StandingBook, ALogWithoutADayStandsApartUntilItIsSaid) {
    ASSERT_EQ(bring({log("a.csv", "2025-01-10", 2.7), log("b.csv", "2025-06-10", 2.3)}).status, 0);
    const auto before = json({"standing", book(), "Lamp"});
    const auto brought = bring({log("old.csv", "", 2.9)});
    EXPECT_EQ(brought.status, 0);
    EXPECT_THAT(brought.err, HasSubstr("of which day"));
    const auto after = json({"standing", book(), "Lamp"});
    EXPECT_EQ(before["capacity"], after["capacity"]);
    EXPECT_EQ(before["verdict"], after["verdict"]);
    EXPECT_EQ(after["days_unknown"], nlohmann::json::array({3}));
    bool seen = false;
    const auto history = json({"history", book(), "Lamp"});
    for (const auto& p : history["points"])
        if (p["recording"] == 3) {
            seen = true;
            EXPECT_TRUE(p["at"].is_null());
            EXPECT_EQ(p["day_known"], false);
            EXPECT_TRUE(p["comparable"].is_null());
        }
    EXPECT_TRUE(seen);
    EXPECT_EQ(test::run({"book", "day", book(), "3", "2024-05-01"}).status, 0);
    const auto said = json({"standing", book(), "Lamp"});
    EXPECT_EQ(said["days_unknown"], nlohmann::json::array());
    EXPECT_NEAR(said["capacity"]["value"].get<double>(), before["capacity"]["value"].get<double>(),
                0.03);
    for (const char* bad : {"yesterday", "2026-02-30", "20260501", ""})
        EXPECT_EQ(test::run({"book", "day", book(), "3", bad}).status, 1) << bad;
    EXPECT_EQ(test::run({"book", "day", book(), "1", "2024-05-01"}).status, 1)
        << "its rows say their own";
    EXPECT_EQ(bring({log("x.csv", "", 2)}, {"--day", "soon"}).status, 2);
    // Found in its name, or said.
    EXPECT_EQ(bring({log("lamp 2023-04-05.csv", "", 2.95)}).err, "");
    EXPECT_EQ(bring({log("y.csv", "", 2.94)}, {"--day", "2023-01-01"}).err, "");
}

TEST_F(StandingBook, CountsOfWhatItHoldsAndNotOfItsLabel) {
    ASSERT_EQ(bring({log("a.csv", "2025-01-10", 2.0), log("b.csv", "2025-06-10", 2.0)}).status, 0);
    const auto history = json({"history", book(), "Lamp"});
    int seen = 0;
    for (const auto& p : history["points"]) {
        if (p["name"] != "delivered_capacity") continue;
        ++seen;
        EXPECT_NEAR(p["conditions"]["c_rate"].get<double>(), 1 / 2.0, 0.01) << "1 A of 2 Ah";
    }
    EXPECT_EQ(seen, 2);
    const auto one = test::run({"analyse", "--book", book(), "1"});
    EXPECT_THAT(one.out, HasSubstr("0.5C")) << one.out;
    const auto analysed = json({"analyse", "--book", book(), "1"});
    for (const auto& r : analysed["readings"])
        if (r["name"] == "health_capacity") {
            EXPECT_NEAR(r["value"].get<double>(), 100 * 2.0 / 3, 1) << "health stands by the label";
        }
    // The same by hand, without a book.
    const auto told = test::run({"analyse", log("c.csv", "2025-07-10", 2.0), "--chemistry", "nmc",
                                 "--series", "1", "--rated-ah", "3", "--capacity-ah", "2"});
    EXPECT_THAT(told.out, HasSubstr("0.5C"));
    for (const char* bad : {"0", "-2", "nan", "1e9", "two"})
        EXPECT_EQ(
            test::run({"analyse", log("c.csv", "2025-07-10", 2.0), "--capacity-ah", bad}).status, 2)
            << bad;
}

/// NK_BOOKS=40 draws more of them.
TEST_F(StandingBook, FamiliesOfBooksSayOneFigureInAnyOrderAndHoldTheTruth) {
    const char* asked = std::getenv("NK_BOOKS");
    const int books = asked != nullptr ? std::atoi(asked) : 4;
    int held = 0;
    int told = 0;
    for (int b = 0; b < books; ++b) {
        SCOPED_TRACE(b);
        Draw draw(static_cast<unsigned>(900 + b));
        const double first = draw.between(2.6, 3.0);
        const double loss = draw.between(0.02, 0.25);  // of it, in two years
        const int logs = 2 + static_cast<int>(draw.between(0, 5));
        std::vector<std::string> files;
        double truth = kNaN;
        for (int k = 0; k < logs; ++k) {
            const double years = 2.0 * k / logs + draw.between(0, 0.2);
            const std::string day = isoTime(kFirst_s + years * 365.25 * kDay_s).substr(0, 10);
            const double holds = first * (1 - loss * years / 2);
            const bool undated = k > 0 && k + 1 < logs && draw.one(4);
            if (!undated) truth = holds;
            files.push_back(log(fmt::format("book{}-log{}.csv", b, k), undated ? "" : day,
                                holds + draw.normal(0.003)));
        }
        const auto shuffled = [&] {
            auto out = files;
            std::ranges::shuffle(out, draw.random);
            return out;
        };
        nlohmann::json before;
        for (int order = 0; order < 2; ++order) {
            std::filesystem::remove(book());
            for (const std::string& f : order == 0 ? files : shuffled())
                ASSERT_EQ(bring({f}).status, 0);
            const auto standing = json({"standing", book(), "Lamp"});
            const auto verdict = json({"verdict", book(), "Lamp"});
            EXPECT_EQ(verdict["verdict"], standing["verdict"]);
            EXPECT_EQ(verdict["yardsticks"]["latest"], standing["capacity"]["value"]);
            const auto fade = test::run({"fade", "--book", book(), "Lamp", "--json"});
            const auto plan = json({"plan", "charge", "--book", book(), "Lamp", "--from-soc", "0"});
            EXPECT_NEAR(plan["time_s"][1].get<double>() / 60,
                        standing["charge_time"]["minutes"][1].get<double>(), 1e-6);
            const double value = standing["capacity"]["value"];
            const auto faded = nlohmann::json::parse(fade.out, nullptr, false);
            if (fade.status == 0 && faded.is_object() && faded.contains("today")) {
                EXPECT_EQ(faded["today"]["value"], standing["capacity"]["value"]);
            }
            EXPECT_THAT(test::run({"shelf", book()}).out,
                        HasSubstr(fmt::format("{:.4g}", value).substr(0, 4)));
            if (order == 0) {
                before = standing;
                ++told;
                held += standing["capacity"]["interval_95"][0].get<double>() <= truth &&
                        truth <= standing["capacity"]["interval_95"][1].get<double>();
            } else {
                EXPECT_EQ(before["capacity"]["value"], standing["capacity"]["value"]);
                EXPECT_EQ(before["capacity"]["at"], standing["capacity"]["at"]);
                EXPECT_EQ(before["fade"], standing["fade"]);
                EXPECT_EQ(before["verdict"], standing["verdict"]);
                EXPECT_EQ(before["charge_time"], standing["charge_time"]);
            }
        }
    }
    EXPECT_GE(held, told - 1 - told / 10) << "of " << told;
}

TEST_F(StandingBook, AKeptStandingGoesStaleWithWhatMadeIt) {
    ASSERT_EQ(bring({log("a.csv", "2025-01-10", 2.7)}).status, 0);
    auto opened = BenchBook::open(book(), false);
    ASSERT_TRUE(opened);
    const auto first = keptStandings(**opened);
    ASSERT_TRUE(first);
    EXPECT_NEAR(first->at(1).capacity_Ah, 2.7, 0.03);
    EXPECT_NE((*opened)->setting("standing:1").value_or(""), "");
    const auto again = keptStandings(**opened);
    EXPECT_EQ(again->at(1).capacity_Ah, first->at(1).capacity_Ah);
    opened->reset();
    ASSERT_EQ(bring({log("b.csv", "2025-03-10", 2.4)}).status, 0);
    opened = BenchBook::open(book(), false);
    EXPECT_NEAR(keptStandings(**opened)->at(1).capacity_Ah, 2.4, 0.03);
    for (const char* bad : {"", "[]", "{}", "{\"fingerprint\": 3}", "{\"fingerprint\": \"x\"}"})
        EXPECT_FALSE(keptStandingIn(bad, "y")) << bad;
    KeptStanding kept;
    kept.capacity_Ah = 1.5;
    const auto back = keptStandingIn(keptStandingText(kept, "f"), "f");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->capacity_Ah, 1.5);
    EXPECT_TRUE(std::isnan(back->resistance_ohm));
}

}  // namespace
