// What a rested voltage tells of the charge: the width is the spread between cells of a kind, and
// the curve is flat where it is flat.
#include <gtest/gtest.h>

#include <cmath>

#include "chemistry/chemistry.h"

using namespace nk;

namespace {

Battery of(const std::string& chemistry) {
    Battery b;
    b.chemistry = chemistry;
    b.series = 1;
    return b;
}

TEST(RestedCharge, HoldsTheTruthForEveryCellWithinTheSpreadOfItsKind) {
    for (const Chemistry& c : chemistries()) {
        const double spread_V = c.nickel() ? 0.030 : c.id == "lfp" || c.id == "lto" ? 0.010 : 0.040;
        double last = -1;
        for (int k = 0; k <= 20; ++k) {
            const double soc = k / 20.0;
            for (const double off : {-spread_V, 0.0, spread_V}) {
                const auto told = restedCharge(of(c.id), c.ocv.voltage_V(soc) + 0.999 * off, 0);
                ASSERT_TRUE(told) << c.id;
                EXPECT_LE(told->low, soc + 1e-6) << c.id << ' ' << soc << ' ' << off;
                EXPECT_GE(told->high, soc - 1e-6) << c.id << ' ' << soc << ' ' << off;
                EXPECT_GE(told->low, 0);
                EXPECT_LE(told->high, 1);
            }
            const auto told = restedCharge(of(c.id), c.ocv.voltage_V(soc), 0);
            EXPECT_GE(told->low, last - 1e-9) << "more volts never tell less charge";
            last = told->low;
        }
    }
}

TEST(RestedCharge, AFlatCurveTellsLittleAndACoarseDisplayLess) {
    const auto flat = restedCharge(of("lfp"), 3.29, 0);
    EXPECT_GT(flat->high - flat->low, 0.2);
    const auto fine = restedCharge(of("nmc"), 3.70, 0.0003);
    const auto coarse = restedCharge(of("nmc"), 3.70, 0.03);
    EXPECT_GT(coarse->high - coarse->low, fine->high - fine->low + 0.05);
    // An LFP cell rested at 3.338 V is not known to be full.
    EXPECT_LT(restedCharge(of("lfp"), 3.338, 0.001)->low, 0.99);
}

TEST(RestedCharge, ItsOwnCurveIsNarrowerAndWithoutACurveThereIsNothing) {
    Battery own = of("nmc");
    const auto usual = restedCharge(own, 3.70, 0);
    OwnCurve curve;
    for (int k = 0; k <= 10; ++k) {
        curve.soc.push_back(k / 10.0);
        curve.voltage_V.push_back(3.2 + 0.1 * k);
    }
    curve.uncertainty_V = 0.005;
    own.setOwnCurve(curve);
    const auto narrow = restedCharge(own, 3.70, 0);
    EXPECT_NEAR(narrow->low, 0.49, 1e-3);
    EXPECT_NEAR(narrow->high, 0.51, 1e-3) << "1 %, never less";
    EXPECT_LT(narrow->high - narrow->low, usual->high - usual->low);
    EXPECT_FALSE(restedCharge(of(""), 3.7, 0));
    EXPECT_FALSE(restedCharge(of("nmc"), std::nan(""), 0));
}

}  // namespace
