// What must hold for any log whatever: no step is lost or counted twice, every number carries an
// uncertainty and its place on the curve, every sentence can be read.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>

#include "analysis/analysis.h"
#include "analysis/log/current_zero.h"
#include "report/cards.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

void checkSteps(const Recording& r, const Steps& steps) {
    if (r.empty()) {
        EXPECT_TRUE(steps.list.empty());
        return;
    }
    ASSERT_FALSE(steps.list.empty());
    EXPECT_EQ(steps.list.front().first, 0u);
    EXPECT_EQ(steps.list.back().last, r.size() - 1);
    double charge_Ah = 0;
    for (std::size_t k = 0; k < steps.list.size(); ++k) {
        const Step& s = steps.list[k];
        EXPECT_LE(s.first, s.last) << k;
        EXPECT_LE(s.start_s, s.end_s) << k;
        if (k > 0) {
            EXPECT_EQ(s.first, steps.list[k - 1].last + 1) << "no sample between, none twice";
            EXPECT_EQ(s.countFrom, steps.list[k - 1].countTo) << "no charge between, none twice";
        }
        charge_Ah += s.sum.charge_Ah;
    }
    const Integral whole = integrate(r, 0, r.size() - 1);
    EXPECT_NEAR(charge_Ah, whole.charge_Ah, 1e-9 * (1 + whole.absCharge_Ah));
}

void checkSentence(const std::string& text) {
    EXPECT_EQ(text.find("nan"), std::string::npos) << text;
    EXPECT_EQ(text.find("inf "), std::string::npos) << text;
    EXPECT_EQ(text.find("  "), std::string::npos) << text;
}

void checkEvidence(const Recording& r, const Steps& steps, const Evidence& e,
                   const std::string& of) {
    EXPECT_LT(e.step, static_cast<int>(steps.list.size())) << of;
    EXPECT_EQ(std::isfinite(e.from_s), std::isfinite(e.to_s)) << of;
    if (!std::isfinite(e.from_s)) return;
    EXPECT_LE(e.from_s, e.to_s) << of;
    EXPECT_GE(e.from_s, r.time_s().front() - 1e-9) << of;
    EXPECT_LE(e.from_s, r.time_s().back() + 1e-9) << of;
}

void checkAnalysis(const Recording& r, const Analysis& a) {
    // What the display shows at rest was taken off before anything was counted.
    const RecordingPtr without = a.zero ? withoutZero(r, *a.zero) : nullptr;
    checkSteps(without ? *without : r, a.steps);
    for (const Reading& x : a.readings) {
        checkEvidence(r, a.steps, x.evidence, x.name);
        EXPECT_FALSE(x.method.empty()) << x.name;
        if (x.measurable() && (x.name == "delivered_capacity" || x.name == "charge_in" ||
                               x.name == "delivered_energy")) {
            EXPECT_GT(x.value, x.expanded()) << x.name << " could as well be nothing";
        }
        if (x.measurable())
            EXPECT_GE(x.uncertainty, 0) << x.name << " has no uncertainty";
        else
            EXPECT_FALSE(x.caveats.empty()) << x.name << " does not say why it is missing";
        for (const std::string& c : x.caveats) checkSentence(c);
    }
    for (const Finding& f : a.findings) {
        checkEvidence(r, a.steps, f.evidence, f.code);
        EXPECT_FALSE(f.text.empty()) << f.code;
        checkSentence(f.text);
        checkSentence(f.advice);
    }
    for (std::size_t k = 1; k < a.findings.size(); ++k)
        EXPECT_GE(static_cast<int>(a.findings[k].severity),
                  static_cast<int>(a.findings[k - 1].severity))
            << "hazards come first";
}

/// A program of rests, charges and loads by chance, for a battery by chance.
std::string randomScenario(std::mt19937& random) {
    const auto pick = [&](std::initializer_list<const char*> of) {
        return std::string(*(of.begin() + random() % of.size()));
    };
    const auto number = [&](double low, double high) {
        return std::to_string(low + (high - low) * (random() % 1000) / 1000.0);
    };
    const std::string chemistry = pick({"nmc", "lfp", "lipo", "lto", "nimh", "nicd"});
    const bool nickel = chemistry.front() == 'n' && chemistry != "nmc";
    const int series = 1 + static_cast<int>(random() % 6);
    const Chemistry& c = **findChemistry(chemistry);
    const auto pack = [&](double cell_V) { return std::to_string(series * cell_V); };
    std::string program;
    const int n = 2 + static_cast<int>(random() % 6);
    for (int k = 0; k < n; ++k) {
        if (k > 0) program += ", ";
        switch (random() % 5) {
            case 0:
                program += R"({"do": "rest", "longest_s": )" + number(1, 3000) + "}";
                break;
            case 1:
                program += R"({"do": "charge", "current_A": )" + number(0.2, 3);
                program +=
                    nickel ? std::string(R"(, "longest_s": 6000, "peakDrop_V": 0.005)")
                           : R"(, "longest_s": 9000, "cutoff_A": 0.1, "set_V": )" + pack(c.set_V);
                program += "}";
                break;
            case 2:
                program += R"({"do": "power", "power_W": )" + number(0.5, 6) +
                           R"(, "longest_s": 2500, "floor_V": )" + pack(c.dischargeFloor_V) + "}";
                break;
            case 3:
                program += R"({"do": "resistor", "resistance_ohm": )" + number(2, 40) +
                           R"(, "longest_s": 2500, "floor_V": )" + pack(c.dischargeFloor_V) + "}";
                break;
            default:
                program += R"({"do": "discharge", "current_A": )" + number(0.1, 4) +
                           R"(, "longest_s": 4000, "floor_V": )" + pack(c.dischargeFloor_V) + "}";
        }
    }
    return R"({"ambient_C": )" + number(-5, 40) + R"(, "battery": {"chemistry": ")" + chemistry +
           R"(", "series": )" + std::to_string(series) +
           R"(, "rated_Ah": 1.5, "r0_ohm": 0.03, "soc": )" + number(0.1, 1) + R"(}, "program": [)" +
           program + R"(], "logger": {"interval_s": )" + pick({"0.5", "1", "5", "30"}) +
           R"(, "noise_V": 0.001, "noise_A": )" + pick({"0", "0.002", "0.02"}) + "}}";
}

class AnyProgram : public testing::TestWithParam<int> {};

TEST_P(AnyProgram, LosesNothingAndSaysWhy) {
    std::mt19937 random(static_cast<unsigned>(GetParam()));
    for (int k = 0; k < 4; ++k) {
        const std::string json = randomScenario(random);
        SCOPED_TRACE(json);
        const auto log = test::logged(json);
        const Recording& r = *log.imported.recording;
        // Told everything, and told nothing.
        checkAnalysis(r, analyse(r, log.scenario.battery));
        checkAnalysis(r, analyse(r, {}));
        if (testing::Test::HasFailure()) return;
    }
}
INSTANTIATE_TEST_SUITE_P(Properties, AnyProgram, testing::Range(1, 13));

/// Columns that no battery made.
RecordingPtr nonsense(std::mt19937& random) {
    const std::size_t sizes[] = {1, 2, 3, 4, 7, 50, 1000};
    const std::size_t n = sizes[random() % 7];
    const auto column = [&](double scale) {
        std::vector<double> x(n);
        const auto kind = random() % 6;
        for (std::size_t k = 0; k < n; ++k) {
            const double r = static_cast<double>(random() % 10'000) / 10'000;
            x[k] = kind == 0   ? 0
                   : kind == 1 ? scale
                   : kind == 2 ? scale * r
                   : kind == 3 ? scale * (2 * r - 1)
                   : kind == 4 ? (k < n / 2 ? scale : -scale)
                               : scale * 1e6 * (r - 0.5);
        }
        return x;
    };
    std::vector<double> t(n);
    double now = 0;
    const auto kind = random() % 4;
    for (std::size_t k = 0; k < n; ++k) {
        t[k] = now;
        const double r = static_cast<double>(random() % 10'000);
        now += kind == 0 ? 1 : kind == 1 ? 0 : kind == 2 ? r : 1e-4 * r;
    }
    RecordingData d;
    d.time_s = t;
    d.voltage_V = column(8);
    d.current_A = column(2);
    if (random() % 2 == 0) {
        d.temperature_C = column(30);
        if (random() % 2 == 0) d.temperature_C[random() % n] = kNaN;
    }
    if (random() % 3 == 0) d.cells_V = {column(4), column(4)};
    if (random() % 3 == 0) d.counter_Ah = column(1);
    return Recording::make(std::move(d));
}

class Nonsense : public testing::TestWithParam<int> {};

TEST_P(Nonsense, IsSurvivedAndSaidPlainly) {
    std::mt19937 random(static_cast<unsigned>(1000 + GetParam()));
    for (int k = 0; k < 60; ++k) {
        const RecordingPtr r = nonsense(random);
        SCOPED_TRACE(k);
        Battery b;
        b.chemistry = chemistries()[random() % chemistries().size()].id;
        b.series = 2;
        b.rated_Ah = random() % 2 == 0 ? 2 : 0;
        const Analysis a = analyse(*r, b);
        checkAnalysis(*r, a);
        if (testing::Test::HasFailure()) return;
    }
}
INSTANTIATE_TEST_SUITE_P(Properties, Nonsense, testing::Range(1, 11));

TEST(Properties, AnEmptyRecordingHasNoStepsAndNoNumbers) {
    const Analysis a = analyse(*Recording::make({}), {});
    checkAnalysis(*Recording::make({}), a);
    for (const Reading& r : a.readings) EXPECT_FALSE(r.measurable()) << r.name;
    EXPECT_FALSE(a.hasHazard());
}

// Metamorphic relations: a change of the log whose effect on the answer is known without a truth.
class Metamorphic : public testing::Test {
  protected:
    Metamorphic()
        : log_(test::logged(
              test::lithiumCycle(R"({"noise_V": 0.001, "noise_A": 0.002})", "{}", 3))) {}
    const Recording& r() const { return *log_.imported.recording; }
    const Battery& battery() const { return log_.scenario.battery; }
    static double value(const Analysis& a, const char* name) {
        const Reading* x = a.reading(name);
        return x != nullptr ? x->value : kNaN;
    }
    test::Logged log_;
};

TEST_F(Metamorphic, ALaterStartMovesTimesOnly) {
    RecordingData d = r().data();
    for (double& t : d.time_s) t += 86'400;
    const Analysis before = analyse(r(), battery());
    const Analysis after = analyse(*Recording::make(std::move(d)), battery());
    ASSERT_EQ(after.steps.list.size(), before.steps.list.size());
    for (std::size_t k = 0; k < before.steps.list.size(); ++k) {
        EXPECT_NEAR(after.steps.list[k].start_s, before.steps.list[k].start_s + 86'400, 1e-6);
        EXPECT_EQ(after.steps.list[k].kind, before.steps.list[k].kind);
    }
    ASSERT_EQ(after.readings.size(), before.readings.size());
    for (std::size_t k = 0; k < before.readings.size(); ++k) {
        const Reading& a = after.readings[k];
        const Reading& b = before.readings[k];
        if (!b.measurable() || b.name.find("time") != std::string::npos) continue;
        if (a.unit == "s") continue;
        EXPECT_NEAR(a.value, b.value, 1e-6 * (1 + std::abs(b.value))) << b.name;
    }
}

TEST_F(Metamorphic, TwoInParallelCarryTwice) {
    RecordingData d = r().data();
    for (double& i : d.current_A) i *= 2;
    d.textStep_A *= 2;
    Battery twice = battery();
    twice.rated_Ah *= 2;
    const Analysis one = analyse(r(), battery());
    const Analysis two = analyse(*Recording::make(std::move(d)), twice);
    EXPECT_NEAR(value(two, "delivered_capacity"), 2 * value(one, "delivered_capacity"), 1e-6);
    EXPECT_NEAR(value(two, "mean_voltage"), value(one, "mean_voltage"), 1e-9);
    EXPECT_NEAR(value(two, "health_capacity"), value(one, "health_capacity"), 1e-6);
    EXPECT_EQ(two.steps.list.size(), one.steps.list.size());
}

TEST_F(Metamorphic, SlowerClockMeansMoreCharge) {
    RecordingData d = r().data();
    for (double& t : d.time_s) t *= 1.01;
    const Analysis one = analyse(r(), battery());
    const Analysis slow = analyse(*Recording::make(std::move(d)), battery());
    EXPECT_NEAR(value(slow, "delivered_capacity"), 1.01 * value(one, "delivered_capacity"), 1e-6);
    EXPECT_NEAR(value(slow, "mean_voltage"), value(one, "mean_voltage"), 1e-9);
}

TEST_F(Metamorphic, AWorseMeterNeverMakesASmallerUncertainty) {
    InstrumentAccuracy worse;
    worse.voltageGain *= 4;
    worse.currentGain *= 4;
    worse.voltageOffsetSteps *= 4;
    worse.currentOffsetSteps *= 4;
    const Integral sum = integrate(r(), 0, r().size() - 1);
    EXPECT_GT(chargeUncertainty_Ah(r(), sum, worse), chargeUncertainty_Ah(r(), sum, {}));
    EXPECT_GT(energyUncertainty_Wh(r(), sum, worse), energyUncertainty_Wh(r(), sum, {}));
}

}  // namespace
}  // namespace nk
