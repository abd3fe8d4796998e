// Logs from outside: an independent circuit simulator (ngspice 39, Debian package) ran a cell whose
// every number is known. The netlists lie beside the logs. The simulator samples as it likes:
// densely at every edge, up to ten seconds apart elsewhere, with seven decimals and no noise.
#include <gtest/gtest.h>

#include <cmath>

#include "analysis/analysis.h"
#include "formats/importer.h"

namespace nk {
namespace {

constexpr double kR0 = 0.05, kR1 = 0.03, kTau_s = 30, kCapacity_As = 7200;

double ocv_V(double soc) {
    return 3.0 + 1.6 * soc - 0.4 * soc * soc;
}
double ocvSlope_V(double soc) {
    return 1.6 - 0.8 * soc;
}

Analysis analysed(const char* file) {
    const auto log = readLogFile(std::string(NK_SOURCE_DIR) + "/tests/reference/" + file);
    EXPECT_TRUE(log) << log.error().text();
    Battery b;
    b.chemistry = "nmc";
    b.series = 1;
    b.rated_Ah = 2;
    return analyse(*log->recording, b);
}

std::vector<StepKind> kinds(const Analysis& a) {
    std::vector<StepKind> out;
    for (const Step& s : a.steps.list) out.push_back(s.kind);
    return out;
}

/// The readings of one name, in the order of the log; only those that are measurable.
std::vector<Reading> all(const Analysis& a, const char* name) {
    std::vector<Reading> out;
    for (const Reading& r : a.readings)
        if (r.name == name && r.measurable()) out.push_back(r);
    return out;
}

TEST(Circuit, AChargeARestADischarge) {
    const Analysis a = analysed("charge.txt.gz");
    EXPECT_EQ(kinds(a), (std::vector{StepKind::Rest, StepKind::CcCharge, StepKind::CvCharge,
                                     StepKind::Rest, StepKind::CcDischarge, StepKind::Rest}));
    // 1 A until the terminal reaches 4.198 V: 4.118 V open, 70.2 % of 7200 C after the start.
    const double kneeSoc = (1.6 - std::sqrt(1.6 * 1.6 - 1.6 * 1.118)) / 0.8;
    ASSERT_EQ(all(a, "knee_time").size(), 1u);
    const Reading knee = all(a, "knee_time").front();
    EXPECT_NEAR(knee.value, 600 + (kneeSoc - 0.2) * kCapacity_As, knee.expanded());
    EXPECT_LT(knee.expanded(), 15) << "ten seconds between samples";
    EXPECT_NEAR(a.reading("delivered_capacity")->value, 1.8, 1e-4) << "1 A for 6480 s";
    // What the simulator's own integral says was in the cell: 99.30074 % from 20 %.
    EXPECT_NEAR(a.reading("charge_in")->value, 0.7930074 * 2, 2e-4);
    EXPECT_NEAR(all(a, "rested_voltage").front().value, ocv_V(0.9930074), 2e-4);
    EXPECT_NEAR(all(a, "rested_voltage").back().value, ocv_V(0.09300741), 2e-4);
    // The taper dies away with (R0 + R1 + 2 milliohm of charger) C / slope.
    const double tau_s = kCapacity_As * (kR0 + kR1 + 0.002) / ocvSlope_V(0.9930074);
    const Reading* tau = a.reading("taper_time_constant");
    ASSERT_NE(tau, nullptr);
    EXPECT_NEAR(tau->value, tau_s, tau->expanded());
    const Reading* missing = a.reading("charge_left_at_stop");
    ASSERT_NE(missing, nullptr);
    // Down to a thousandth of the rated 2 Ah.
    EXPECT_NEAR(missing->value, (0.06633 - 0.002) * tau_s / 3600, missing->expanded());
    for (const Reading& r : all(a, "resistance_ohmic")) EXPECT_NEAR(r.value, kR0, 1e-4);
}

TEST(Circuit, TheKneeOfASoftCharger) {
    // 1 A until the terminal reaches 4.19 V, then 1 A less for every 10 mV: 0.03 + 0.01 ohm inside.
    const Analysis a = analysed("soft_charger.txt.gz");
    const double kneeSoc = (1.6 - std::sqrt(1.6 * 1.6 - 1.6 * (4.15 - 3))) / 0.8;
    ASSERT_EQ(all(a, "knee_time").size(), 1u);
    const Reading knee = all(a, "knee_time").front();
    EXPECT_NEAR(knee.value, 600 + (kneeSoc - 0.2) * kCapacity_As, knee.expanded());
    EXPECT_LT(knee.expanded(), 5) << "three seconds between samples";
    EXPECT_NEAR(a.reading("delivered_capacity")->value, 1, 1e-4);
}

TEST(Circuit, AResistorAPowerAndTheStandardsTwoLevels) {
    const Analysis a = analysed("loads.txt.gz");
    EXPECT_EQ(kinds(a), (std::vector{StepKind::Rest, StepKind::CrDischarge, StepKind::Rest,
                                     StepKind::CpDischarge, StepKind::Rest, StepKind::Pulse,
                                     StepKind::Pulse, StepKind::Rest}));
    const auto moved = [&](std::size_t step) { return -a.steps.list[step].sum.charge_Ah * 3600; };
    const double soc = 0.95 - (moved(1) + moved(3)) / kCapacity_As;
    for (const Reading& r : all(a, "resistance_ohmic")) EXPECT_NEAR(r.value, kR0, 1e-4);
    // 0.4 A for 10 s out of rest.
    const double v1 = 0.4 * kR1 * (1 - std::exp(-10 / kTau_s));
    const double slope = ocvSlope_V(soc) / kCapacity_As;
    ASSERT_FALSE(all(a, "resistance_10s").empty());
    const Reading ten = all(a, "resistance_10s").back();
    EXPECT_NEAR(ten.value, kR0 + v1 / 0.4 + slope * 10, ten.expanded());
    EXPECT_LT(ten.expanded(), 0.01 * ten.value) << "half a per cent of meter, and little more";
    // Then 2 A: what the second level adds within its second.
    const double more = (2 * kR1 - v1) * (1 - std::exp(-1 / kTau_s)) + slope * 2;
    const Reading* standard = a.reading("resistance_iec61960");
    ASSERT_NE(standard, nullptr);
    EXPECT_NEAR(standard->value, kR0 + more / 1.6, 5e-5);
    ASSERT_EQ(all(a, "resistance_1s").size(), 4u) << "read between the rows, too";
    const Reading second = all(a, "resistance_1s").back();
    EXPECT_NEAR(second.value, kR0 + more / 1.6, second.expanded());
    const Reading rested = all(a, "resistance_1s")[2];
    EXPECT_NEAR(rested.value, kR0 + kR1 * (1 - std::exp(-1 / kTau_s)) + slope, rested.expanded());
}

}  // namespace
}  // namespace nk
