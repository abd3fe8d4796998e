// Joins of packs: first currents and their decay against an independent solver, and who may join.
#include <gtest/gtest.h>

#include <cmath>

#include "quantity/reading.h"
#include "report/plan_json.h"
#include "tests/support/stiff_solver.h"

using namespace nk;

namespace {

std::vector<JoinPack> two(double a, double b) {
    return {{"a", "nmc", 6, a, 5, 0.06, 1, kNaN}, {"b", "nmc", 6, b, 5, 0.06, 1, kNaN}};
}

TEST(Joins, FirstCurrentsAndTheirDecayAreThoseOfTheCircuit) {
    const std::vector<JoinPack> packs = {{"a", "nmc", 4, 15.2, 5, 0.05, 2, kNaN},
                                         {"b", "nmc", 4, 15.5, 3, 0.09, 2, kNaN},
                                         {"c", "nmc", 4, 15.35, 8, 0.03, 2, kNaN}};
    const auto answer = planJoin(packs);
    ASSERT_TRUE(answer);
    // Kirchhoff, by hand: V = Σ(Vi/Ri)/Σ(1/Ri).
    const double v = (15.2 / 0.05 + 15.5 / 0.09 + 15.35 / 0.03) / (1 / 0.05 + 1 / 0.09 + 1 / 0.03);
    EXPECT_NEAR(answer->common_V, v, 1e-9);
    double sum = 0;
    for (std::size_t k = 0; k < 3; ++k) {
        EXPECT_NEAR(answer->currents[k].first_A, (v - packs[k].voltage_V) / packs[k].resistance_ohm,
                    1e-9);
        sum += answer->currents[k].first_A;
        EXPECT_LT(std::abs(answer->currents[k].firstLow_A), std::abs(answer->currents[k].first_A));
    }
    EXPECT_NEAR(sum, 0, 1e-9);
    // The decay against CVODE on the charges of the three.
    const Chemistry& nmc = **findChemistry("nmc");
    std::vector<double> soc, offset;
    for (const JoinPack& p : packs) {
        soc.push_back(nmc.ocv.soc(p.voltage_V / 4));
        offset.push_back(p.voltage_V - 4 * nmc.ocv.voltage_V(soc.back()));
    }
    const auto flows = [&](const double* y, double* amps) {
        double top = 0;
        double bottom = 0;
        double ocv[3];
        for (int k = 0; k < 3; ++k) {
            const auto i = static_cast<std::size_t>(k);
            ocv[k] = 4 * nmc.ocv.voltage_V(y[k]) + offset[i];
            top += ocv[k] / packs[i].resistance_ohm;
            bottom += 1 / packs[i].resistance_ohm;
        }
        for (int k = 0; k < 3; ++k)
            amps[k] = (top / bottom - ocv[k]) / packs[static_cast<std::size_t>(k)].resistance_ohm;
    };
    std::vector<double> y = soc;
    test::solve(
        y,
        [&](const double* now, double* out) {
            flows(now, out);
            for (int k = 0; k < 3; ++k)
                out[k] /= 3600 * packs[static_cast<std::size_t>(k)].rated_Ah;
        },
        60, 60, [](double, const double*) { return false; });
    double amps[3];
    flows(y.data(), amps);
    for (std::size_t k = 0; k < 3; ++k)
        EXPECT_NEAR(answer->currents[k].after60_A, amps[k], 0.02 * std::abs(amps[k]) + 0.01);
}

TEST(Joins, WhoMayJoinWhom) {
    EXPECT_TRUE(planJoin(two(22.2, 22.5))->allowed);
    // Common practice: 0.1 V a cell apart on one board some amperes, full with empty tens.
    const auto near = planJoin(two(22.2, 22.8));
    EXPECT_NEAR(std::abs(near->currents[0].first_A), 5, 0.01);
    const auto far = planJoin(two(18.6, 25.2));
    EXPECT_FALSE(far->allowed);
    EXPECT_GT(std::abs(far->currents[0].first_A), 20);
    const auto no = [](std::vector<JoinPack> packs) {
        const auto answer = planJoin(packs);
        EXPECT_TRUE(answer);
        EXPECT_FALSE(answer->reasons.empty());
        return answer && !answer->allowed;
    };
    auto p = two(22.2, 22.2);
    p[1].chemistry = "lco";
    EXPECT_TRUE(no(p));
    p = two(22.2, 22.2);
    p[1].series = 5;
    EXPECT_TRUE(no(p));
    p = two(22.2, -22.2);
    EXPECT_TRUE(no(p));
    p = two(22.2, 22.2);
    p[1].rated_Ah = 0.4;
    EXPECT_TRUE(no(p));
    // Close in volts, too much in amperes.
    p = two(22.2, 22.7);
    for (JoinPack& x : p) x.resistance_ohm = 0.005, x.rated_Ah = 1;
    EXPECT_TRUE(no(p));
    // The flat curve proves nothing, a known level does.
    p = two(19.8, 19.8);
    for (JoinPack& x : p) x.chemistry = "lfp";
    EXPECT_TRUE(no(p));
    for (JoinPack& x : p) x.soc = 0.95;
    EXPECT_TRUE(planJoin(p)->allowed);
    EXPECT_FALSE(planJoin({p[0]}));
    EXPECT_FALSE(planJoin(std::vector<JoinPack>(9, p[0])));
}

}  // namespace
