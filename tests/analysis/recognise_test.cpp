// The kind of a battery from its curve: on every demo log, and never a wrong family.
#include "analysis/log/recognise.h"

#include <gtest/gtest.h>

#include "cellmodel/scenario.h"
#include "tests/support/sim.h"

using namespace nk;

namespace {

TEST(Recognise, NoDemoLogIsTakenForAnotherFamilyAndNickelIsSeen) {
    int told = 0;
    for (const auto& [name, json] : scenarioFiles()) {
        const auto log = test::logged(std::string(json));
        const Recognised seen = recogniseFromCurve(*log.imported.recording);
        const Battery& truth = log.scenario.battery;
        if (seen.chemistry.empty()) continue;
        ++told;
        EXPECT_FALSE(seen.because.empty());
        EXPECT_EQ((*findChemistry(seen.chemistry))->nickel(), truth.chemistryData()->nickel())
            << name << ": " << seen.because;
        const bool faulty = name == "camera-flash-overvoltage";  // a charger of another kind
        if (faulty) continue;
        EXPECT_EQ(seen.series, truth.series) << name << ": " << seen.because;
    }
    EXPECT_GE(told, 6);
}

TEST(Recognise, ACurveThatTellsNothingIsNotGuessedAt) {
    std::vector<double> t, v, i;
    for (int k = 0; k < 2000; ++k) {
        t.push_back(k);
        v.push_back(11.1 - 0.001 * k);
        i.push_back(-1);
    }
    EXPECT_TRUE(recogniseFromCurve(*test::recording(t, v, i)).chemistry.empty());
    EXPECT_TRUE(recogniseFromCurve(*test::recording({0, 1}, {3.7, 3.7}, {0, 0})).chemistry.empty());
}

}  // namespace
