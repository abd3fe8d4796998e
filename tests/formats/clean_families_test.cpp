// What a logger does wrong by itself, in families: spikes and drop-outs of every size and place,
// clocks that jump, currents without or with the wrong sign. What is wrong is put right and kept;
// what only looks odd is left alone.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <random>
#include <set>

#include "formats/clean.h"
#include "formats/text_table.h"

namespace nk {
namespace {

const LineOf kLine = [](std::size_t row) { return static_cast<std::int64_t>(row) + 2; };

/// A charge that slowly rises, a rest, a discharge: with noise and the last digit of a display.
RecordingData plainLog(std::size_t rows, unsigned seed = 1) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0, 1);
    RecordingData d;
    d.textStep_V = 1e-3, d.textStep_A = 1e-3, d.textStep_C = 0.1;
    for (std::size_t k = 0; k < rows; ++k) {
        const double part = static_cast<double>(k) / static_cast<double>(rows);
        const double current = part < 0.45 ? 1.5 : part < 0.55 ? 0.0 : -2.0;
        const double rest = part < 0.45 ? 3.6 + part : part < 0.55 ? 4.02 : 4.02 - (part - 0.55);
        d.time_s.push_back(static_cast<double>(k));
        d.voltage_V.push_back(std::round((rest + 0.05 * current + 1e-3 * noise(random)) * 1e3) /
                              1e3);
        d.current_A.push_back(std::round((current + 1e-3 * noise(random)) * 1e3) / 1e3);
        d.temperature_C.push_back(std::round((22 + 5 * part + 0.05 * noise(random)) * 10) / 10);
    }
    return d;
}

RecordingData repaired(RecordingData d) {
    repairOutliers(d, estimateQualities(d), kLine);
    return d;
}

std::set<std::size_t> rowsOf(const RecordingData& d, Channel channel) {
    std::set<std::size_t> out;
    for (const Repair& r : d.repairs)
        if (r.channel == channel) out.insert(r.index);
    return out;
}

/// With at least one second thread, and on one.
class OfEverySize : public testing::TestWithParam<std::size_t> {};
INSTANTIATE_TEST_SUITE_P(Rows, OfEverySize, testing::Values(600, 5000, 130'000));

TEST_P(OfEverySize, AGoodLogIsLeftAlone) {
    for (unsigned seed = 1; seed <= 4; ++seed) {
        const RecordingData before = plainLog(GetParam(), seed);
        const RecordingData after = repaired(before);
        EXPECT_TRUE(after.repairs.empty()) << "seed " << seed;
        EXPECT_EQ(after.voltage_V, before.voltage_V);
        EXPECT_EQ(after.current_A, before.current_A);
        EXPECT_EQ(after.temperature_C, before.temperature_C);
    }
}

TEST_P(OfEverySize, SpikesAreFoundWhereverTheyStandAndNothingElse) {
    std::mt19937 random(static_cast<unsigned>(GetParam()));
    RecordingData d = plainLog(GetParam());
    const RecordingData truth = d;
    std::set<std::size_t> spikes;
    while (spikes.size() < 12) {
        const std::size_t at = 1 + random() % (GetParam() - 2);
        // Not on one of the two edges, where a change is real.
        const double part = static_cast<double>(at) / static_cast<double>(GetParam());
        if (std::abs(part - 0.45) < 0.01 || std::abs(part - 0.55) < 0.01) continue;
        // Not beside another: two in a row are no single sample.
        bool near = false;
        for (const std::size_t other : spikes) near |= at + 3 > other && other + 3 > at;
        if (!near) spikes.insert(at);
    }
    for (const std::size_t at : spikes) d.voltage_V[at] += at % 2 ? 2.5 : -1.7;
    const RecordingData after = repaired(d);
    EXPECT_EQ(rowsOf(after, Channel::Voltage), spikes);
    EXPECT_TRUE(rowsOf(after, Channel::Current).empty());
    for (const std::size_t at : spikes) EXPECT_NEAR(after.voltage_V[at], truth.voltage_V[at], 0.02);
    // The originals are kept, each with its line.
    ASSERT_EQ(after.problems.size(), spikes.size());
    for (const Repair& r : after.repairs) EXPECT_EQ(r.original, d.voltage_V[r.index]);
    std::set<std::int64_t> lines;
    for (const Problem& p : after.problems) lines.insert(p.line);
    for (const std::size_t at : spikes) EXPECT_TRUE(lines.contains(kLine(at)));
}

TEST_P(OfEverySize, ADropOutOfTheWholeRowIsOneOfBoth) {
    RecordingData d = plainLog(GetParam());
    const std::size_t at = GetParam() / 5;
    d.voltage_V[at] = d.current_A[at] = 0;
    const RecordingData after = repaired(d);
    EXPECT_EQ(rowsOf(after, Channel::Voltage), std::set<std::size_t>{at});
    EXPECT_EQ(rowsOf(after, Channel::Current), std::set<std::size_t>{at});
    EXPECT_NEAR(after.current_A[at], 1.5, 0.02);
    for (const Repair& r : after.repairs) EXPECT_EQ(r.kind, "drop_out");
}

TEST_P(OfEverySize, ACurrentThatTheVoltageAnswersIsReal) {
    // A load that lets go for one sample: the voltage shows it.
    RecordingData d = plainLog(GetParam());
    for (std::size_t at = GetParam() * 6 / 10; at < GetParam() * 9 / 10;
         at += std::max<std::size_t>(20, GetParam() / 40)) {
        d.current_A[at] = 0;
        d.voltage_V[at] += 0.1;  // 50 mΩ at 2 A
    }
    const RecordingData after = repaired(d);
    EXPECT_TRUE(rowsOf(after, Channel::Current).empty());
    EXPECT_TRUE(rowsOf(after, Channel::Voltage).empty());
}

TEST_P(OfEverySize, ACurrentThatEndsTheBatteryIsAnsweredAtOneEdge) {
    // One sample of 24 A that falls when it comes and does not rise when it goes: it took the last
    // of the charge. Nothing contradicts it.
    RecordingData d = plainLog(GetParam());
    const std::size_t at = GetParam() * 8 / 10;
    d.current_A[at] = -24;
    d.voltage_V[at] -= 0.05 * 22;
    for (std::size_t k = at + 1; k < GetParam(); ++k) {
        d.current_A[k] = 0;
        d.voltage_V[k] -= 2.2;
    }
    EXPECT_TRUE(rowsOf(repaired(d), Channel::Current).empty());
    // The voltage that does not move at either edge knows of no such current.
    RecordingData none = plainLog(GetParam());
    for (std::size_t k = GetParam() / 10; k < GetParam() / 5; ++k)
        none.current_A[k] = 0.5, none.voltage_V[k] -= 0.05;
    none.current_A[at] = -24;
    EXPECT_EQ(rowsOf(repaired(none), Channel::Current), std::set<std::size_t>{at});
}

TEST_P(OfEverySize, ACurrentThatTheVoltageDoesNotAnswerIsNone) {
    RecordingData d = plainLog(GetParam());
    // Real edges tell the resistance.
    std::set<std::size_t> lost;
    for (std::size_t at = GetParam() * 6 / 10; at < GetParam() * 9 / 10; at += GetParam() / 25) {
        d.current_A[at] = 0;
        lost.insert(at);
    }
    for (std::size_t at = GetParam() / 10; at < GetParam() * 4 / 10; at += GetParam() / 30)
        for (std::size_t k = at; k < at + 5; ++k) d.current_A[k] = 0.5, d.voltage_V[k] -= 0.05;
    const RecordingData after = repaired(d);
    EXPECT_EQ(rowsOf(after, Channel::Current), lost);
    for (const std::size_t at : lost) EXPECT_NEAR(after.current_A[at], -2, 0.02);
}

TEST_P(OfEverySize, AThermometerThatSlipsForOneSample) {
    RecordingData d = plainLog(GetParam());
    d.temperature_C[GetParam() / 3] = 0;
    d.temperature_C[GetParam() / 2] = 85;
    d.temperature_C[GetParam() / 4] = kNaN;  // blank is no spike
    const RecordingData after = repaired(d);
    EXPECT_EQ(rowsOf(after, Channel::Temperature),
              (std::set<std::size_t>{GetParam() / 3, GetParam() / 2}));
    EXPECT_NEAR(after.temperature_C[GetParam() / 3], 23.7, 0.5);
    EXPECT_TRUE(std::isnan(after.temperature_C[GetParam() / 4]));
}

TEST(Spikes, TwoInTheSameDirectionAreASignalAndAtTheEndsNobodyKnows) {
    RecordingData d = plainLog(600);
    d.voltage_V[100] += 1, d.voltage_V[101] += 1;
    d.voltage_V[0] += 1, d.voltage_V[599] += 1;
    EXPECT_TRUE(repaired(d).repairs.empty());
}

TEST(Spikes, ALogOfThatSizeOrBesideALongOneIsRepairedAlike) {
    // The same 2,000 rows alone and before 200,000 others, which are looked at by two threads.
    RecordingData few = plainLog(2000, 3);
    std::mt19937 random(9);
    for (int n = 0; n < 30; ++n) {
        const std::size_t at = 50 + random() % 800;
        few.voltage_V[at] += 1.2 * (n % 3 - 1);
        few.current_A[50 + random() % 800] += 3.0 * (n % 2);
    }
    RecordingData many = few;
    const RecordingData more = plainLog(200'000, 4);
    for (std::size_t k = 110'000; k < 200'000 - 2000; ++k) {
        many.time_s.push_back(many.time_s.back() + 1);
        many.voltage_V.push_back(more.voltage_V[k]);
        many.current_A.push_back(more.current_A[k]);
        many.temperature_C.push_back(more.temperature_C[k]);
    }
    for (std::size_t k = 0; k < 60'000; ++k) {
        many.time_s.push_back(many.time_s.back() + 1);
        many.voltage_V.push_back(more.voltage_V.back());
        many.current_A.push_back(more.current_A.back());
        many.temperature_C.push_back(more.temperature_C.back());
    }
    ASSERT_GT(many.time_s.size(), 100'000U);
    const ChannelQualities same = estimateQualities(few);
    repairOutliers(few, same, kLine);
    repairOutliers(many, same, kLine);
    ASSERT_FALSE(few.repairs.empty());
    ASSERT_GE(many.repairs.size(), few.repairs.size());
    std::map<std::pair<std::size_t, Channel>, double> there;
    for (const Repair& r : many.repairs) there[{r.index, r.channel}] = r.original;
    for (const Repair& r : few.repairs) {
        if (r.index + 10 > 2000) continue;
        ASSERT_TRUE((there.contains({r.index, r.channel}))) << r.index;
        EXPECT_EQ((there[{r.index, r.channel}]), r.original);
    }
}

TEST(Qualities, OfALogAreThoseOfItsColumnsWhateverItsSign) {
    for (const std::size_t rows : {20UL, 3000UL, 90'000UL}) {
        RecordingData d = plainLog(rows);
        const ChannelQualities both = estimateQualities(d);
        EXPECT_EQ(both.voltage.noise, estimateQuality(d.voltage_V, d.textStep_V).noise);
        EXPECT_EQ(both.current.resolution, estimateQuality(d.current_A, d.textStep_A).resolution);
        EXPECT_EQ(both.temperature.noise, estimateQuality(d.temperature_C, d.textStep_C).noise);
        for (double& x : d.current_A) x = -x;
        const ChannelQualities turned = estimateQualities(d);
        EXPECT_EQ(turned.current.noise, both.current.noise);
        EXPECT_EQ(turned.current.resolution, both.current.resolution);
        EXPECT_EQ(turned.current.follow, both.current.follow);
        const auto made = Recording::make(d);
        const auto known = Recording::make(d, turned);
        EXPECT_EQ(made->voltageQuality().noise, known->voltageQuality().noise);
        EXPECT_EQ(made->currentQuality().noise, known->currentQuality().noise);
        EXPECT_EQ(made->temperatureQuality().resolution, known->temperatureQuality().resolution);
        EXPECT_EQ(made->usualInterval_s(), known->usualInterval_s());
    }
}

TEST(Signs, AreFoundFromTheVoltageAlone) {
    for (const std::size_t rows : {300UL, 4000UL, 120'000UL})
        for (unsigned seed = 1; seed <= 3; ++seed) {
            RecordingData d = plainLog(rows, seed);
            EXPECT_EQ(findSign(d, estimateQualities(d)), 1) << rows;
            for (double& x : d.current_A) x = -x;
            EXPECT_EQ(findSign(d, estimateQualities(d)), -1) << rows;
            for (double& x : d.current_A) x = std::abs(x);
            ASSERT_TRUE(signByVoltage(d, estimateQualities(d))) << rows;
            EXPECT_NEAR(d.current_A[rows / 10], 1.5, 0.02);
            EXPECT_NEAR(d.current_A[rows * 9 / 10], -2, 0.02);
        }
}

TEST(Signs, OfALogThatTellsNothingAreNotGuessed) {
    RecordingData d;
    for (int k = 0; k < 200; ++k)
        d.time_s.push_back(k), d.voltage_V.push_back(3.7), d.current_A.push_back(1.0);
    EXPECT_EQ(findSign(d, estimateQualities(d)), 0);
    const RecordingData before = d;
    EXPECT_FALSE(signByVoltage(d, estimateQualities(d)));
    EXPECT_EQ(d.current_A, before.current_A) << "what is not told is not changed";
}

TEST(Signs, ALoadThatNeverRestsTellsThemByItsManySmallJumps) {
    // A flat cell under a changing load, every four minutes to 10 mV, whose end falls into one row
    // in which the load was already gone: that one jump points the other way.
    const double level[] = {0,     0,     0,     0,     -0.65, -0.65, -0.65, -0.65, -0.65,
                            -0.65, -0.07, -0.07, -0.07, -0.65, -0.65, -0.33, -0.33, -0.07,
                            -0.07, -0.33, -0.33, -1.3,  -1.3,  -0.65, -0.65, 0.2,   -0.65,
                            -0.65, -0.65, -1.3,  0.2,   0,     0,     0};
    for (const int sign : {1, -1}) {
        RecordingData d;
        d.textStep_V = 0.01, d.textStep_A = 0.01;
        double soc = 1;
        for (std::size_t k = 0; k < std::size(level); ++k) {
            soc += level[k] * 240 / 3600 / 1.3;
            const bool over = k >= 30;
            const double v =
                over ? 2.38 + 0.1 * (k > 30) : 3.36 + 0.06 * (soc - 0.5) + 0.1 * level[k];
            d.time_s.push_back(240.0 * static_cast<double>(k));
            d.voltage_V.push_back(std::round(v * 100) / 100);
            d.current_A.push_back(sign * level[k]);
        }
        EXPECT_EQ(findSign(d, estimateQualities(d)), sign);
    }
}

TEST(Signs, OnlyOneDirectionIsNoReasonToTurnAnything) {
    // A charge alone, its current without a sign: it rises, so it is a charge as it stands.
    RecordingData d = plainLog(1000);
    for (std::vector<double>* column : {&d.time_s, &d.voltage_V, &d.current_A, &d.temperature_C})
        column->resize(440);
    const auto before = d.current_A;
    EXPECT_FALSE(signByVoltage(d, estimateQualities(d)));
    EXPECT_EQ(d.current_A, before);
    EXPECT_EQ(findSign(d, estimateQualities(d)), 1);
}

// ---------------------------------------------------------------------------------------- clocks

struct ClockCase {
    std::vector<double> stamps;
    std::vector<double> expected;
    const char* problem;
};

TEST(Clocks, AreBroughtToOneRisingAxis) {
    const ClockCase cases[] = {
        {{100, 101, 102, 103}, {0, 1, 2, 3}, ""},
        {{0, 1, 2, 0, 1, 2}, {0, 1, 2, 3, 4, 5}, "logger_restart"},
        {{50, 51, 52, 10, 11, 12}, {0, 1, 2, 3, 4, 5}, "logger_restart"},
        {{0, 1, 3, 2, 4, 5}, {0, 1, 2, 3, 4, 5}, "out_of_order"},
        {{0, 0, 2, 2, 4, 4}, {0, 1, 2, 3, 4, 5}, "repeat"},
    };
    for (const ClockCase& c : cases) {
        RecordingData d;
        d.time_s = c.stamps;
        d.voltage_V.assign(c.stamps.size(), 3.7);
        d.current_A.assign(c.stamps.size(), 1);
        straightenTime(d, Dialect{}, {}, kLine);
        ASSERT_EQ(d.time_s.size(), c.expected.size());
        for (std::size_t k = 0; k < c.expected.size(); ++k)
            EXPECT_NEAR(d.time_s[k], c.expected[k], 1e-9) << c.problem << " " << k;
        if (*c.problem == 0) {
            EXPECT_TRUE(d.problems.empty());
        } else {
            ASSERT_FALSE(d.problems.empty()) << c.problem;
            EXPECT_EQ(d.problems.front().kind, c.problem);
        }
    }
}

TEST(Clocks, ASilenceIsAGapAndTimeGoesOn) {
    RecordingData d;
    for (int k = 0; k < 100; ++k) d.time_s.push_back(k < 60 ? k : k + 5000);
    d.voltage_V.assign(100, 3.7);
    d.current_A.assign(100, 1);
    straightenTime(d, Dialect{}, {}, kLine);
    ASSERT_EQ(d.gaps.size(), 1U);
    EXPECT_EQ(d.gaps[0].before, 59U);
    EXPECT_EQ(d.gaps[0].duration_s, 5001);
    EXPECT_FALSE(d.gaps[0].restart);
    EXPECT_EQ(d.time_s.back(), 5099);
    ASSERT_EQ(d.problems.size(), 1U);
    EXPECT_EQ(d.problems[0].kind, "gap");
    EXPECT_EQ(d.problems[0].line, kLine(60));
}

TEST(Clocks, RowsThatAreMovedTakeAllTheirValuesWithThem) {
    std::mt19937 random(21);
    for (int round = 0; round < 50; ++round) {
        RecordingData d;
        const std::size_t rows = 40;
        for (std::size_t k = 0; k < rows; ++k) d.time_s.push_back(static_cast<double>(k));
        // A single row written late: swapped with its neighbour.
        const std::size_t at = 3 + random() % (rows - 8);
        std::swap(d.time_s[at], d.time_s[at + 1]);
        for (const double t : d.time_s) {
            d.voltage_V.push_back(3 + 0.01 * t), d.current_A.push_back(1 + t);
            d.temperature_C.push_back(20 + t), d.counter_Ah.push_back(t);
        }
        d.cells_V = {d.voltage_V, d.current_A};
        straightenTime(d, Dialect{}, {}, kLine);
        for (std::size_t k = 0; k < rows; ++k) {
            const double t = d.time_s[k];
            EXPECT_EQ(t, static_cast<double>(k));
            EXPECT_NEAR(d.voltage_V[k], 3 + 0.01 * t, 1e-12);
            EXPECT_NEAR(d.current_A[k], 1 + t, 1e-12);
            EXPECT_NEAR(d.temperature_C[k], 20 + t, 1e-12);
            EXPECT_NEAR(d.counter_Ah[k], t, 1e-12);
            EXPECT_NEAR(d.cells_V[1][k], 1 + t, 1e-12);
        }
    }
}

TEST(Clocks, NeverGoBackWhateverTheStampsAre) {
    std::mt19937 random(31);
    for (int round = 0; round < 300; ++round) {
        RecordingData d;
        const std::size_t rows = 2 + random() % 60;
        double t = 0;
        for (std::size_t k = 0; k < rows; ++k) {
            switch (random() % 12) {
                case 0:
                    t = static_cast<double>(random() % 100);
                    break;
                case 1:
                    break;
                case 2:
                    t -= static_cast<double>(random() % 5);
                    break;
                case 3:
                    t += static_cast<double>(random() % 5000);
                    break;
                default:
                    t += 1;
            }
            d.time_s.push_back(t);
        }
        d.voltage_V.assign(rows, 3.7);
        d.current_A.assign(rows, 1);
        straightenTime(d, Dialect{}, {}, kLine);
        EXPECT_EQ(d.time_s.front(), 0);
        EXPECT_TRUE(std::is_sorted(d.time_s.begin(), d.time_s.end())) << round;
        for (const double x : d.time_s) EXPECT_TRUE(std::isfinite(x));
        for (const Gap& gap : d.gaps) {
            EXPECT_LT(gap.before + 1, rows);
            EXPECT_GT(gap.duration_s, 0);
        }
        EXPECT_TRUE(std::is_sorted(d.gaps.begin(), d.gaps.end(),
                                   [](const Gap& a, const Gap& b) { return a.before < b.before; }));
    }
}

// ------------------------------------------------------------------------- through the whole
// reader

TEST(CleanLogs, ManyPiecesAndFewGiveTheSameRows) {
    // Lines of every length, blank lines, bad rows and a last line without its end, over the border
    // of the pieces in which a large file is read.
    std::mt19937 random(77);
    std::string text = "time,voltage,current,note\n";
    std::size_t rows = 0;
    std::size_t bad = 0;
    while (text.size() < 9'000'000) {
        if (random() % 997 == 0) {
            text += "\n";
        } else if (random() % 1999 == 0) {
            text += "not,a,row,at all\n";
            ++bad;
        } else {
            text += fmt::format(
                "{},{:.4f},{},{}\n", rows, 3.7 + 1e-4 * static_cast<double>(random() % 9),
                rows % 5000 < 2500 ? "1.5" : "-1.5", std::string(random() % 30, 'x'));
            ++rows;
        }
    }
    text.pop_back();
    ReadOptions one;
    one.threads = 1;
    ReadOptions four;
    four.threads = 4;
    const auto a = readTextTable(text, "big.csv", one);
    const auto b = readTextTable(text, "big.csv", four);
    ASSERT_TRUE(a && b);
    EXPECT_EQ(a->rowsRead, static_cast<std::int64_t>(rows));
    EXPECT_EQ(a->rowsSkipped, static_cast<std::int64_t>(bad));
    EXPECT_TRUE(std::ranges::equal(a->recording->time_s(), b->recording->time_s()));
    EXPECT_TRUE(std::ranges::equal(a->recording->voltage_V(), b->recording->voltage_V()));
    EXPECT_TRUE(std::ranges::equal(a->recording->current_A(), b->recording->current_A()));
    for (std::size_t k = 1; k < rows; k += 1009)
        EXPECT_EQ(a->recording->time_s()[k], static_cast<double>(k));
    ASSERT_EQ(a->recording->problems().size(), b->recording->problems().size());
    for (std::size_t k = 0; k < a->recording->problems().size(); ++k)
        EXPECT_EQ(a->recording->problems()[k].line, b->recording->problems()[k].line);
}

TEST(Clean, RestartsSilencesAndRowsOutOfOrderMakeEachGapOnce) {
    for (unsigned seed = 1; seed <= 400; ++seed) {
        std::mt19937 random(seed);
        const auto draw = [&](int low, int high) {
            return std::uniform_int_distribution<int>(low, high)(random);
        };
        std::vector<std::pair<int, double>> rows;
        int t = 0;
        for (int k = 0; k < 300; ++k) {
            rows.emplace_back(t, 3.6 + 0.001 * k);
            t += 10;
            if (draw(1, 60) == 1) t += draw(200, 4000);  // silence
            if (draw(1, 80) == 1) t = draw(0, 30);       // the clock starts again
        }
        for (int n = draw(0, 3); n > 0; --n) {
            const auto at = static_cast<std::size_t>(draw(5, 290));
            std::swap(rows[at], rows[at + static_cast<std::size_t>(draw(1, 3))]);
        }
        std::string text = "Time [s],Voltage [V],Current [A]\n";
        for (const auto& [at, volts] : rows) text += fmt::format("{},{:.3f},1.000\n", at, volts);
        const auto log = readTextTable(text, "x.csv");
        if (!log) continue;
        const RecordingData& d = log->recording->data();
        for (std::size_t k = 1; k < d.time_s.size(); ++k)
            ASSERT_LE(d.time_s[k - 1], d.time_s[k]) << seed;
        for (std::size_t k = 0; k < d.gaps.size(); ++k) {
            EXPECT_LT(d.gaps[k].before + 1, d.time_s.size()) << seed;
            if (k > 0) {
                EXPECT_LT(d.gaps[k - 1].before, d.gaps[k].before) << seed;
            }
        }
    }
}

}  // namespace
}  // namespace nk
