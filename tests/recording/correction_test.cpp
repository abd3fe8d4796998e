// Corrections against what their formulas say, on a recording of two levels.
#include "recording/correction.h"

#include <gtest/gtest.h>

#include <cmath>

#include "tests/support/sim.h"

namespace nk {
namespace {

using Kind = Correction::Kind;

/// 10 V, 2 A for 100 s, then 8 V, −4 A for 100 s.
RecordingPtr twoLevels() {
    std::vector<double> t, v, i;
    for (int k = 0; k < 200; ++k)
        t.push_back(k), v.push_back(k < 100 ? 10 : 8), i.push_back(k < 100 ? 2 : -4);
    return test::recording(t, v, i);
}

struct Case {
    Kind kind;
    double value;
    double voltage_V[2], current_A[2];  ///< after the correction, at the two levels
};

class EveryCorrection : public testing::TestWithParam<Case> {};

TEST_P(EveryCorrection, DoesWhatItsFormulaSays) {
    const Case& c = GetParam();
    const RecordingPtr logged = twoLevels();
    Correction correction;
    correction.kind = c.kind, correction.value = c.value;
    const RecordingPtr corrected = applyCorrections(logged, {{correction}});
    for (int level = 0; level < 2; ++level) {
        const auto k = static_cast<std::size_t>(50 + 100 * level);
        EXPECT_NEAR(corrected->voltage_V()[k], c.voltage_V[level], 1e-12);
        EXPECT_NEAR(corrected->current_A()[k], c.current_A[level], 1e-12);
        EXPECT_EQ(logged->voltage_V()[k], level == 0 ? 10 : 8) << "the log itself stays";
    }
    // Only inside its interval.
    correction.from_s = 0, correction.to_s = 60;
    const RecordingPtr partly = applyCorrections(logged, {{correction}});
    EXPECT_NEAR(partly->voltage_V()[50], c.voltage_V[0], 1e-12);
    EXPECT_EQ(partly->voltage_V()[61], 10);
    EXPECT_EQ(partly->current_A()[150], -4);
    Kind back{};
    ASSERT_TRUE(correctionKindFrom(toString(c.kind), back));
    EXPECT_EQ(back, c.kind);
    EXPECT_FALSE(correctionUnit(c.kind).empty());
}

// Ohm's law and P = V·I, worked by hand.
INSTANTIATE_TEST_SUITE_P(Corrections, EveryCorrection,
                         testing::Values(Case{Kind::VoltageOffset, 0.05, {10.05, 8.05}, {2, -4}},
                                         Case{Kind::LeadResistance, 0.1, {9.8, 8.4}, {2, -4}},
                                         Case{Kind::UnseenCurrent, -0.5, {10, 8}, {1.5, -4.5}},
                                         Case{Kind::UnseenPower, -4, {10, 8}, {1.6, -4.5}},
                                         Case{Kind::UnseenResistance, 20, {10, 8}, {1.5, -4.4}}));

TEST(Corrections, WhatMakesNoSenseChangesNothing) {
    const RecordingPtr logged = twoLevels();
    for (const Case& c :
         {Case{Kind::LeadResistance, -1, {}, {}}, Case{Kind::UnseenResistance, 0, {}, {}},
          Case{Kind::VoltageOffset, std::nan(""), {}, {}}}) {
        Correction correction;
        correction.kind = c.kind, correction.value = c.value;
        const RecordingPtr r = applyCorrections(logged, {{correction}});
        EXPECT_EQ(r->voltage_V()[50], 10);
        EXPECT_EQ(r->current_A()[50], 2);
    }
    EXPECT_EQ(applyCorrections(logged, {}), logged) << "none: the same recording, no copy";
    Kind kind{};
    EXPECT_FALSE(correctionKindFrom("of_a_later_version", kind));
}

TEST(Corrections, AreAppliedInOrder) {
    Correction offset, lead;
    offset.kind = Kind::VoltageOffset, offset.value = 0.2;
    lead.kind = Kind::LeadResistance, lead.value = 0.1;
    const RecordingPtr r = applyCorrections(twoLevels(), {{offset, lead}});
    EXPECT_NEAR(r->voltage_V()[50], 10 + 0.2 - 0.1 * 2, 1e-12);
}

}  // namespace
}  // namespace nk
