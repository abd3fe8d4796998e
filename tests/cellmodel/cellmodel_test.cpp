#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cvode/cvode.h>
#include <nvector/nvector_serial.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunmatrix/sunmatrix_dense.h>

#include "tests/support/sim.h"

using namespace nk;

namespace {

CellParameters lithium() {
    CellParameters p;
    p.chemistry = *findChemistry("nmc");
    p.capacity_Ah = 2.5;
    return p;
}

struct Reference {
    const CellParameters* p;
    double current_A, ambient_C;
};

/// The model's equations again, from docs/methods.md, for SUNDIALS: soc, v1, v2, temperature.
int rhs(realtype, N_Vector y, N_Vector dy, void* user) {
    const auto& r = *static_cast<Reference*>(user);
    const CellParameters& p = *r.p;
    const double soc = NV_Ith_S(y, 0), v1 = NV_Ith_S(y, 1), v2 = NV_Ith_S(y, 2), T = NV_Ith_S(y, 3);
    const double warm =
        std::exp(p.chemistry->activation_J_mol / 8.314462618 * (1 / (T + 273.15) - 1 / 298.15));
    const double R = p.r0_ohm * warm * (1 + 1.5 * std::exp(-soc / 0.05));
    NV_Ith_S(dy, 0) = r.current_A / 3600 / p.capacity_Ah;
    NV_Ith_S(dy, 1) = (p.r1_ohm * r.current_A - v1) / p.tau1_s;
    NV_Ith_S(dy, 2) = (p.r2_ohm * r.current_A - v2) / p.tau2_s;
    const double heat = r.current_A * r.current_A * R + v1 * v1 / p.r1_ohm + v2 * v2 / p.r2_ohm;
    NV_Ith_S(dy, 3) = (heat - p.heatLoss_W_K * (T - r.ambient_C)) / p.heatCapacity_J_K;
    return 0;
}

}  // namespace

// Outside check: SUNDIALS CVODE (Hindmarsh et al., ACM TOMS 31 (2005) 363–396), an independent
// stiff ODE solver, on the same equations.
TEST(CellModel, AgreesWithAnIndependentOdeSolver) {
    const CellParameters p = lithium();
    Cell cell(p, {0.9, 0, 0, 25});
    Reference ref{&p, -3.0, 15};
    sundials::Context context;
    N_Vector y = N_VNew_Serial(4, context);
    NV_Ith_S(y, 0) = 0.9, NV_Ith_S(y, 1) = 0, NV_Ith_S(y, 2) = 0, NV_Ith_S(y, 3) = 25;
    void* memory = CVodeCreate(CV_BDF, context);
    CVodeInit(memory, rhs, 0, y);
    CVodeSStolerances(memory, 1e-9, 1e-11);
    SUNMatrix A = SUNDenseMatrix(4, 4, context);
    SUNLinearSolver solver = SUNLinSol_Dense(y, A, context);
    CVodeSetLinearSolver(memory, solver, A);
    CVodeSetUserData(memory, &ref);
    CVodeSetMaxNumSteps(memory, 100000);
    for (int second = 1; second <= 2400; ++second) {
        cell.step(-3.0, 1.0, 15);
        if (second % 300 != 0) continue;
        realtype reached = 0;
        ASSERT_EQ(CVode(memory, second, y, &reached, CV_NORMAL), CV_SUCCESS);
        EXPECT_NEAR(cell.state().soc, NV_Ith_S(y, 0), 1e-7) << second;
        EXPECT_NEAR(cell.state().v1_V, NV_Ith_S(y, 1), 1e-6) << second;
        EXPECT_NEAR(cell.state().v2_V, NV_Ith_S(y, 2), 1e-6) << second;
        EXPECT_NEAR(cell.state().temperature_C, NV_Ith_S(y, 3), 0.01) << second;
    }
    N_VDestroy(y);
    SUNLinSolFree(solver);
    SUNMatDestroy(A);
    CVodeFree(&memory);
}

TEST(CellModel, SameSeedSameLogOtherSeedOther) {
    const auto a = nk::test::logged(nk::test::lithiumCycle(R"({"noise_V": 0.002})", "{}", 5));
    const auto b = nk::test::logged(nk::test::lithiumCycle(R"({"noise_V": 0.002})", "{}", 5));
    const auto c = nk::test::logged(nk::test::lithiumCycle(R"({"noise_V": 0.002})", "{}", 6));
    EXPECT_EQ(a.text, b.text);
    EXPECT_NE(a.text, c.text);
}

TEST(CellModel, ChargeIsConserved) {
    const auto log = nk::test::logged(nk::test::lithiumCycle(R"({"resolution_A": 1e-6})"));
    double truth = 0;
    for (const TruePhase& p : log.simulation.truth) truth += p.charge_Ah;
    const Recording& r = *log.imported.recording;
    double seen = 0;
    for (std::size_t k = 1; k < r.size(); ++k)
        seen += 0.5 * (r.current_A()[k] + r.current_A()[k - 1]) *
                (r.time_s()[k] - r.time_s()[k - 1]) / 3600;
    EXPECT_NEAR(seen, truth, 0.001);
}

TEST(CellModel, ShippedScenariosAllRead) {
    EXPECT_GE(scenarioFiles().size(), 3u);
    for (const auto& [name, json] : scenarioFiles()) {
        const auto s = parseScenario(json, std::string(name));
        ASSERT_TRUE(s) << s.error().text();
        const auto log = readTextTable(writeLog(*s, simulate(*s)), std::string(name));
        ASSERT_TRUE(log) << log.error().text();
        EXPECT_EQ(log->rowsSkipped, 0) << name;
    }
}

TEST(CellModel, BadScenariosSayWhatIsWrong) {
    for (
        const char* text :
        {"", "{", "{}",
         R"({"battery": {"chemistry": "nmc", "rated_Ah": 1}, "program": [{"do": "dance"}]})",
         R"({"battery": {"chemistry": "mud", "rated_Ah": 1}, "program": []})",
         R"({"battery": {"chemistry": "nmc", "rated_Ah": 1}, "program": [{"do": "discharge", "current_A": 1}]})",
         R"({"battery": {"chemistry": "nmc", "rated_Ah": 1}, "program": [], "logger": {"interval_s": 0}})"}) {
        const auto s = parseScenario(text, "bad.json");
        ASSERT_FALSE(s) << text;
        EXPECT_THAT(s.error().text(), testing::HasSubstr("bad.json"));
    }
}

TEST(Chemistry, CurvesAreMonotoneAndInvertible) {
    for (const Chemistry& c : chemistries()) {
        double last = -1;
        for (double soc = 0; soc <= 1.0001; soc += 0.005) {
            const double v = c.ocv.voltage_V(soc);
            EXPECT_GE(v, last) << c.id << " at " << soc;
            last = v;
            EXPECT_GE(c.ocv.slope_V(soc), -1e-9) << c.id;
            if (soc > 0.01 && soc < 0.99) {
                EXPECT_NEAR(c.ocv.soc(v), soc, 1e-6) << c.id;
            }
        }
        EXPECT_FALSE(c.sources.empty()) << "every figure names its source";
        if (!c.nickel()) {
            EXPECT_GT(c.fault_V, c.set_V);
        }
    }
    EXPECT_TRUE(std::isnan(OpenCircuitCurve().voltage_V(0.5)));
}
