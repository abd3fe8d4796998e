// Loads and displays as other benches have them, in closed form: what the steps are called, and
// where they begin and end. Seeded families, not single cases.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "analysis/analysis.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

using ::testing::ElementsAre;

/// Rows of a simple cell: open-circuit voltage falls with charge, plus current times resistance.
class Rows {
  public:
    Rows(unsigned seed, double interval_s, double stepV, double stepA)
        : random_(seed), interval_s_(interval_s), stepV_(stepV), stepA_(stepA) {}
    double between(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random_);
    }
    double volts(double current) const { return 3.3 + 0.8 * soc_ + 0.04 * current; }
    /// One row of this current.
    void add(double current) {
        t_.push_back(static_cast<double>(t_.size()) * interval_s_);
        v_.push_back(std::round(volts(current) / stepV_) * stepV_);
        i_.push_back(std::round((current + offset_A) / stepA_) * stepA_);
        soc_ += current * interval_s_ / 3600 / 2.5;
        out_Ah += current * interval_s_ / 3600;
    }
    void hold(double current, double seconds) {
        for (double s = 0; s < seconds; s += interval_s_) add(current);
    }
    RecordingPtr recording() const {
        RecordingData d;
        d.time_s = t_, d.voltage_V = v_, d.current_A = i_;
        d.textStep_V = stepV_, d.textStep_A = stepA_;
        return Recording::make(std::move(d));
    }
    double offset_A = 0;
    double out_Ah = 0;
    double interval_s() const { return interval_s_; }

  private:
    std::mt19937 random_;
    double interval_s_, stepV_, stepA_;
    double soc_ = 0.95;
    std::vector<double> t_, v_, i_;
};

Battery cell() {
    Battery b;
    b.chemistry = "nmc", b.series = 1, b.rated_Ah = 2.5;
    return b;
}

std::vector<StepKind> kindsOf(const Steps& steps) {
    std::vector<StepKind> out;
    for (const Step& s : steps.list) out.push_back(s.kind);
    return out;
}

TEST(ForeignLoads, ADriveWithRegenerationIsOneVariableLoad) {
    for (unsigned seed = 1; seed <= 24; ++seed) {
        const double intervals[] = {0.5, 1, 2, 5};
        Rows rows(seed, intervals[seed % 4], seed % 2 ? 0.001 : 0.005, 0.01);
        rows.hold(0, 120);
        const double from = 120;
        double current = 0;
        double last = 0;
        for (int k = 0; k < 200; ++k) {
            // Wandering, sometimes standing, now and then feeding back.
            current = 0.7 * current + rows.between(-2.5, 1.6);
            if (k % 37 == 30) current = 0;
            rows.hold(current, rows.interval_s() * (seed % 3 == 0 ? 3 : 1));
            last = current;
        }
        if (std::abs(last) < 0.1) rows.add(-1);
        const double charge = rows.out_Ah;
        rows.hold(0, 120);
        const auto r = rows.recording();
        const Steps steps = findSteps(*r, cell());
        ASSERT_THAT(kindsOf(steps), ElementsAre(StepKind::Rest, StepKind::Variable, StepKind::Rest))
            << seed;
        EXPECT_NEAR(steps.list[1].start_s, from, 2.1 * rows.interval_s()) << seed;
        EXPECT_NEAR(steps.list[1].sum.charge_Ah, charge, 0.03 * std::abs(charge) + 1e-3) << seed;
    }
}

TEST(ForeignLoads, PulsesOfSeveralLevelsAreNoDrive) {
    Rows rows(3, 1, 0.001, 0.001);
    rows.hold(0, 120);
    for (int k = 0; k < 12; ++k) {
        rows.hold(-0.5 - 0.25 * k, 10);
        rows.hold(0, 40);
    }
    int pulses = 0;
    for (const Step& s : findSteps(*rows.recording(), cell()).list) {
        EXPECT_TRUE(s.kind == StepKind::Rest || s.kind == StepKind::Pulse);
        pulses += s.kind == StepKind::Pulse;
    }
    EXPECT_EQ(pulses, 12);
}

TEST(ForeignLoads, AnOffsetOfOneDisplayStepIsRest) {
    for (const double offset : {-1.3, -1.0, 0.7, 1.2}) {
        Rows rows(5, 5, 0.001, 0.05);
        rows.offset_A = 0.05 * offset;
        const auto noisy = [&](double current, double seconds) {
            for (double s = 0; s < seconds; s += 5) rows.add(current + rows.between(-0.03, 0.03));
        };
        noisy(0, 900);
        noisy(-1.25, 900);
        noisy(0, 900);
        const Steps steps = findSteps(*rows.recording(), cell());
        EXPECT_THAT(kindsOf(steps),
                    ElementsAre(StepKind::Rest, StepKind::CcDischarge, StepKind::Rest))
            << offset;
    }
}

TEST(ForeignLoads, PowerLimitThenCurrentLimit) {
    for (const double watts : {6.0, 9.0, 18.0}) {
        Rows rows(7, 1, 0.001, 0.005);
        rows.hold(0, 60);
        const double most = watts / 3.75;
        double changed = 0;
        for (int k = 0; k < 20000; ++k) {
            // P = I·V with V = open − 0.04·I.
            const double open = rows.volts(0);
            const double wanted = (open - std::sqrt(open * open - 4 * 0.04 * watts)) / (2 * 0.04);
            if (wanted >= most && changed == 0) changed = 60 + k;
            rows.add(-std::min(wanted, most));
            if (rows.volts(-most) < 3.3) break;
        }
        rows.hold(0, 60);
        const auto r = rows.recording();
        const Analysis a = analyse(*r, cell());
        ASSERT_THAT(kindsOf(a.steps), ElementsAre(StepKind::Rest, StepKind::CpDischarge,
                                                  StepKind::CcDischarge, StepKind::Rest))
            << watts;
        EXPECT_NEAR(a.steps.list[2].start_s, changed, 0.02 * r->duration_s()) << watts;
        EXPECT_TRUE(std::ranges::any_of(
            a.findings, [](const Finding& f) { return f.code == "power_limited"; }));
    }
}

TEST(ForeignLoads, ATimerIsNoFloorAndNoCutOut) {
    Rows rows(9, 2, 0.001, 0.001);
    rows.hold(0, 120);
    for (int k = 0; k < 4; ++k) {
        rows.hold(-1.25, 300);
        rows.hold(0, 200);
    }
    const Analysis a = analyse(*rows.recording(), cell());
    for (const Step& s : a.steps.list)
        EXPECT_NE(s.endedBy, EndedBy::VoltageFloor) << "lowest " << s.endVoltage_V;
    for (const Finding& f : a.findings) EXPECT_NE(f.code, "low_voltage_cutouts");
}

TEST(ForeignLoads, ChargeOfALoadFasterThanTheLogHoldsTheTruth) {
    // Rows are samples of levels that change several times between them: what is not seen counts.
    int inside = 0;
    constexpr int kRuns = 60;
    for (unsigned seed = 1; seed <= kRuns; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> level(-4, 1);
        std::vector<double> t, v, i;
        double truth = 0;
        double current = 0;
        for (int k = 0; k <= 1500; ++k) {
            if (k > 60 && k < 1440) {
                if (k % 2 == 0) current = level(random);
            } else {
                current = 0;
            }
            if (k % 6 == 0) t.push_back(k), v.push_back(3.9 + 0.03 * current), i.push_back(current);
            truth -= current / 3600;
        }
        const auto r = test::recording(t, v, i);
        const Analysis a = analyse(*r, cell());
        const Reading* out = a.reading("delivered_capacity");
        ASSERT_NE(out, nullptr) << seed;
        inside += std::abs(out->value - truth) <= out->expanded();
    }
    EXPECT_GE(inside, 54) << "of " << kRuns;
}

}  // namespace
}  // namespace nk
