// What the program believes of each chemistry, and what it makes of a battery it is told about.
#include "chemistry/chemistry.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>
#include <set>

namespace nk {
namespace {

using testing::Contains;
using testing::HasSubstr;

TEST(Chemistries, LimitsStandInTheOnlySafeOrder) {
    std::set<std::string> ids;
    for (const Chemistry& c : chemistries()) {
        SCOPED_TRACE(c.id);
        EXPECT_TRUE(ids.insert(c.id).second);
        EXPECT_FALSE(c.label.empty());
        EXPECT_FALSE(c.sources.empty()) << "every figure names where it comes from";
        EXPECT_LE(c.overdrained_V, c.dischargeFloor_V);
        EXPECT_LT(c.dischargeFloor_V, c.nominal_V);
        EXPECT_LT(c.chargeMin_C, c.chargeMax_C);
        EXPECT_LE(c.chargeMax_C, c.dischargeMax_C);
        EXPECT_GT(c.chargeC, 0);
        if (c.nickel()) {
            EXPECT_TRUE(std::isnan(c.set_V)) << "nickel is not charged to a voltage";
            EXPECT_GT(c.peakDrop_V, 0);
        } else {
            EXPECT_LT(c.nominal_V, c.set_V);
            EXPECT_LT(c.set_V, c.fault_V) << "a charge at the set voltage is no hazard";
            EXPECT_LE(c.outOfUse_V, c.overdrained_V);
            EXPECT_LE(c.ocv.voltage_V(1.0), c.set_V) << "full is not above the set voltage";
        }
    }
    EXPECT_EQ(ids, (std::set<std::string>{"nmc", "nca", "lco", "lmo", "lipo", "lihv", "lfp", "lto",
                                          "naion", "nimh", "nicd"}));
}

TEST(Chemistries, DefaultsNeverExceedTheLimitsOfMethods) {
    // docs/methods.md §5, set and fault voltage per cell (from memory; a maker's figure wins).
    const struct {
        const char* id;
        double set_V, fault_V;
    } limits[] = {{"nmc", 4.20, 4.25}, {"nca", 4.20, 4.25},  {"lco", 4.20, 4.25},
                  {"lmo", 4.20, 4.25}, {"lipo", 4.20, 4.25}, {"lihv", 4.35, 4.40},
                  {"lfp", 3.65, 3.70}, {"lto", 2.80, 2.85}};
    for (const auto& l : limits) {
        const auto c = findChemistry(l.id);
        ASSERT_TRUE(c);
        EXPECT_DOUBLE_EQ((*c)->set_V, l.set_V) << l.id;
        EXPECT_DOUBLE_EQ((*c)->fault_V, l.fault_V) << l.id;
    }
}

TEST(Chemistries, AnUnknownOneIsAnErrorThatListsTheKnown) {
    const auto none = findChemistry("unobtainium");
    ASSERT_FALSE(none);
    for (const Chemistry& c : chemistries()) EXPECT_THAT(none.error().text(), HasSubstr(c.id));
}

TEST(OpenCircuit, RisesAndIsItsOwnInverseForEveryChemistry) {
    for (const Chemistry& c : chemistries()) {
        SCOPED_TRACE(c.id);
        ASSERT_FALSE(c.ocv.empty());
        double last = -1;
        for (int k = 0; k <= 1000; ++k) {
            const double soc = k / 1000.0;
            const double v = c.ocv.voltage_V(soc);
            EXPECT_GE(v, last) << soc;
            last = v;
            EXPECT_GE(c.ocv.slope_V(soc), 0) << soc;
            // Where the curve is flat the inverse is vague; what it gives back must lie on it.
            EXPECT_NEAR(c.ocv.voltage_V(c.ocv.soc(v)), v, 1e-6) << soc;
        }
        EXPECT_EQ(c.ocv.soc(0), 0);
        EXPECT_EQ(c.ocv.soc(10), 1);
        EXPECT_EQ(c.ocv.voltage_V(-1), c.ocv.voltage_V(0));
        EXPECT_EQ(c.ocv.voltage_V(2), c.ocv.voltage_V(1));
    }
}

TEST(OpenCircuit, SlopeIsTheDerivative) {
    for (const Chemistry& c : chemistries())
        for (double soc = 0.013; soc < 0.99; soc += 0.0371) {
            const double h = 1e-6;
            const double difference =
                (c.ocv.voltage_V(soc + h) - c.ocv.voltage_V(soc - h)) / (2 * h);
            EXPECT_NEAR(c.ocv.slope_V(soc), difference, 1e-3 * (1 + std::abs(difference)))
                << c.id << " " << soc;
        }
}

TEST(OpenCircuit, KeepsTheShapeOfThePublishedHardCase) {
    // RPN 14 of F. N. Fritsch and R. E. Carlson, SIAM J. Numer. Anal. 17 (1980), 238–246, the data
    // on which an ordinary cubic overshoots (figures from memory), over 0 … 1 and 0 … 4 V.
    const std::vector<double> x = {7.99, 8.09, 8.19, 8.7, 9.2, 10, 12, 15, 20};
    const std::vector<double> y = {0,        2.76429e-5, 4.37498e-2, 0.169183, 0.469428,
                                   0.943740, 0.998636,   0.999919,   0.999994};
    std::vector<double> soc, v;
    for (std::size_t k = 0; k < x.size(); ++k) {
        soc.push_back((x[k] - x.front()) / (x.back() - x.front()));
        v.push_back(4 * y[k]);
    }
    const OpenCircuitCurve curve(soc, v);
    for (std::size_t k = 0; k < x.size(); ++k) EXPECT_NEAR(curve.voltage_V(soc[k]), v[k], 1e-12);
    double last = 0;
    for (int k = 0; k <= 20'000; ++k) {
        const double now = curve.voltage_V(k / 20'000.0);
        ASSERT_GE(now, last - 1e-12) << k;
        ASSERT_LE(now, v.back() + 1e-12) << k;
        last = now;
    }
}

TEST(BatteryCheck, SaysWhatIsOutOfRangeAndWhatWouldBeAccepted) {
    Battery good;
    good.chemistry = "nmc";
    good.series = 3;
    good.rated_Ah = 2.5;
    EXPECT_TRUE(good.check());
    EXPECT_TRUE(Battery().check()) << "nothing known is allowed";
    const auto refused = [&](auto&& change) {
        Battery b = good;
        change(b);
        const auto r = b.check();
        EXPECT_FALSE(r);
        return r ? std::string() : r.error().accepted;
    };
    EXPECT_NE(refused([](Battery& b) { b.chemistry = "nope"; }), "");
    EXPECT_NE(refused([](Battery& b) { b.series = -1; }), "");
    EXPECT_NE(refused([](Battery& b) { b.series = 100'000; }), "");
    EXPECT_NE(refused([](Battery& b) { b.parallel = -1; }), "");
    EXPECT_NE(refused([](Battery& b) { b.rated_Ah = -2; }), "");
    EXPECT_NE(refused([](Battery& b) { b.rated_Ah = std::nan(""); }), "");
    EXPECT_NE(refused([](Battery& b) { b.mass_kg = -0.1; }), "");
}

TEST(MakersFigures, ReplaceTheUsualOnesAndNothingElse) {
    Battery b;
    b.chemistry = "nmc";
    const Chemistry usual = *b.chemistryData();
    MakerLimits limits;
    EXPECT_FALSE(limits.any());
    limits.set_V = 4.1;
    limits.chargeC = 0.5;
    EXPECT_TRUE(limits.any());
    b.setLimits(limits);
    EXPECT_EQ(b.chemistryData()->set_V, 4.1);
    EXPECT_EQ(b.chemistryData()->chargeC, 0.5);
    EXPECT_EQ(b.chemistryData()->dischargeFloor_V, usual.dischargeFloor_V);
    EXPECT_EQ(b.chemistryData()->chargeMax_C, usual.chargeMax_C);
    EXPECT_EQ((*findChemistry("nmc"))->set_V, usual.set_V) << "other batteries keep theirs";
    b.setLimits({});
    EXPECT_EQ(b.chemistryData()->set_V, usual.set_V) << "taken away, the usual one is back";
}

TEST(MakersFigures, TheBatterysOwnCurveTakesThePlaceOfTheUsual) {
    Battery b;
    b.chemistry = "lfp";
    OwnCurve own;
    EXPECT_TRUE(own.empty());
    own.soc = {0, 0.5, 1};
    own.voltage_V = {3.0, 3.25, 3.4};
    b.setOwnCurve(own);
    EXPECT_NEAR(b.chemistryData()->ocv.voltage_V(0.5), 3.25, 1e-12);
    b.setOwnCurve({});
    EXPECT_EQ(b.chemistryData()->ocv.voltage_V(0.5), (*findChemistry("lfp"))->ocv.voltage_V(0.5));
}

/// Voltages of a discharge of `series` cells from full to the floor, along the chemistry's curve.
std::pair<std::vector<double>, std::vector<double>> discharge(const Chemistry& c, int series) {
    std::vector<double> v, i;
    for (int k = 0; k <= 500; ++k) {
        v.push_back(series * std::max(c.dischargeFloor_V, c.ocv.voltage_V(1 - k / 500.0) - 0.03));
        i.push_back(-1);
    }
    return {v, i};
}

TEST(Recognition, WithItsChemistryKnownTheSeriesCountOfAPackIsFound) {
    // Up to 8 cells voltages of neighbouring counts do not overlap over a whole discharge.
    for (const char* id : {"nmc", "lfp", "lipo", "lto"})
        for (int series = 1; series <= 8; ++series) {
            const Chemistry& c = **findChemistry(id);
            const auto [v, i] = discharge(c, series);
            Battery known;
            known.chemistry = id;
            const Battery full = completeBattery(known, v, i, 0);
            EXPECT_EQ(full.series, series) << id;
            EXPECT_THAT(full.assumed, Contains("series")) << id;
            EXPECT_THAT(full.assumed, testing::Not(Contains("chemistry"))) << id;
        }
}

TEST(Recognition, WhatIsKnownIsNeverGuessedOver) {
    const auto [v, i] = discharge(**findChemistry("nmc"), 3);
    Battery known;
    known.chemistry = "lfp";
    known.series = 4;
    const Battery full = completeBattery(known, v, i, 0);
    EXPECT_EQ(full.chemistry, "lfp");
    EXPECT_EQ(full.series, 4);
    EXPECT_TRUE(full.assumed.empty());
    EXPECT_EQ(completeBattery({}, v, i, 6).series, 6) << "logged cells are counted, not guessed";
    const Battery nothing = completeBattery({}, {}, {}, 0);
    EXPECT_TRUE(nothing.check()) << "an empty log makes a battery that can still be corrected";
}

}  // namespace
}  // namespace nk
