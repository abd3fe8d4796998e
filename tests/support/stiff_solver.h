// An independent solver of differential equations: CVODE of SUNDIALS.
#pragma once

#include <cvode/cvode.h>
#include <gtest/gtest.h>
#include <nvector/nvector_serial.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunmatrix/sunmatrix_dense.h>

#include <functional>
#include <vector>

namespace nk::test {

/// y' = f(t, y) by CVODE's stiff method, to 1e-9; stops where `done` says so.
inline void solve(std::vector<double>& y, const std::function<void(const double*, double*)>& slope,
                  double until_s, double step_s,
                  const std::function<bool(double, const double*)>& done) {
    SUNContext context = nullptr;
    SUNContext_Create(nullptr, &context);
    const auto n = static_cast<sunindextype>(y.size());
    N_Vector state = N_VNew_Serial(n, context);
    for (sunindextype k = 0; k < n; ++k) NV_Ith_S(state, k) = y[static_cast<std::size_t>(k)];
    void* solver = CVodeCreate(CV_BDF, context);
    CVodeInit(
        solver,
        [](realtype, N_Vector now, N_Vector out, void* given) {
            (*static_cast<const std::function<void(const double*, double*)>*>(given))(
                NV_DATA_S(now), NV_DATA_S(out));
            return 0;
        },
        0, state);
    auto copy = slope;
    CVodeSetUserData(solver, &copy);
    CVodeSStolerances(solver, 1e-9, 1e-10);
    CVodeSetMaxNumSteps(solver, 1000000);
    SUNMatrix matrix = SUNDenseMatrix(n, n, context);
    SUNLinearSolver linear = SUNLinSol_Dense(state, matrix, context);
    CVodeSetLinearSolver(solver, linear, matrix);
    double t = 0;
    for (double next = step_s; next <= until_s; next += step_s) {
        ASSERT_GE(CVode(solver, next, state, &t, CV_NORMAL), 0);
        if (done(t, NV_DATA_S(state))) break;
    }
    for (sunindextype k = 0; k < n; ++k) y[static_cast<std::size_t>(k)] = NV_Ith_S(state, k);
    N_VDestroy(state);
    SUNMatDestroy(matrix);
    SUNLinSolFree(linear);
    CVodeFree(&solver);
    SUNContext_Free(&context);
}

}  // namespace nk::test
