#include "load_regression.h"

#include <fmt/format.h>
#include <gsl/gsl_errno.h>
#include <gsl/gsl_multifit.h>

#include <cmath>
#include <memory>

#include "quantity/format.h"
#include "quantity/spread_index.h"
#include "recording/smoothing.h"

namespace nk {

namespace {

/// Bisquare fit of at most about `most` samples, spread over a load. What is left of both channels
/// when their means over `window_s` are taken away is compared.
std::optional<LoadResistance> fitSwing(std::span<const double> t, std::span<const double> v,
                                       std::span<const double> i, double window_s, std::size_t most,
                                       const ChannelQuality& quality) {
    const std::size_t stride = std::max<std::size_t>(1, i.size() / most);
    // One of every `stride`: a load that repeats itself is seen whole.
    std::vector<std::size_t> at;
    for (std::size_t k = 0; k * stride < i.size(); ++k)
        at.push_back(std::min(k * stride + spreadIndex(k, stride), i.size() - 1));
    const auto slowV = centredMeanAt(t, v, window_s, at);
    const auto slowI = centredMeanAt(t, i, window_s, at);
    std::vector<double> di, dv;
    for (std::size_t k = 0; k < at.size(); ++k) {
        const double x = i[at[k]] - slowI[k], y = v[at[k]] - slowV[k];
        if (!std::isfinite(x) || !std::isfinite(y)) continue;
        di.push_back(x), dv.push_back(y);
    }
    const std::size_t count = di.size();
    if (count < 30) return std::nullopt;
    double spread = 0;
    for (const double x : di) spread += x * x / static_cast<double>(count);
    spread = std::sqrt(spread);
    if (spread < std::max(5 * quality.sigma(), 2 * quality.resolution)) return std::nullopt;
    const auto freeMatrix = [](gsl_matrix* m) { gsl_matrix_free(m); };
    const auto freeVector = [](gsl_vector* x) { gsl_vector_free(x); };
    using Matrix = std::unique_ptr<gsl_matrix, decltype(freeMatrix)>;
    using Vector = std::unique_ptr<gsl_vector, decltype(freeVector)>;
    const Matrix x(gsl_matrix_alloc(count, 2), freeMatrix);
    for (std::size_t k = 0; k < count; ++k) {
        gsl_matrix_set(x.get(), k, 0, 1);
        gsl_matrix_set(x.get(), k, 1, di[k]);
    }
    const gsl_vector_const_view y = gsl_vector_const_view_array(dv.data(), count);
    const Vector c(gsl_vector_alloc(2), freeVector);
    const Matrix cov(gsl_matrix_alloc(2, 2), freeMatrix);
    const auto freeWork = [](gsl_multifit_robust_workspace* w) { gsl_multifit_robust_free(w); };
    const std::unique_ptr<gsl_multifit_robust_workspace, decltype(freeWork)> work(
        gsl_multifit_robust_alloc(gsl_multifit_robust_bisquare, count, 2), freeWork);
    // The library's default is to end the program on an error; here an error is an answer. Once for
    // the whole program: the handler belongs to all threads.
    static const bool quiet = (gsl_set_error_handler_off(), true);
    (void)quiet;
    const int status = gsl_multifit_robust(x.get(), &y.vector, c.get(), cov.get(), work.get());
    if (status != GSL_SUCCESS && status != GSL_EMAXITER) return std::nullopt;
    LoadResistance out;
    out.resistance_ohm = gsl_vector_get(c.get(), 1);
    out.uncertainty_ohm = std::sqrt(std::max(0.0, gsl_matrix_get(cov.get(), 1, 1)));
    out.samples = count;
    out.spread_A = spread;
    return out;
}

}  // namespace

std::optional<LoadResistance> regressLoad(const Recording& recording, std::size_t first,
                                          std::size_t last, double window_s) {
    if (last < first + 30) return std::nullopt;
    const std::size_t n = last - first + 1;
    const auto t = recording.time_s().subspan(first, n);
    const auto v = recording.voltage_V().subspan(first, n);
    const auto i = recording.current_A().subspan(first, n);
    // Where chance is a thousandth of the value, under the error of any instrument's range, more
    // samples tell nothing new; where it is more, they do, up to a bound.
    auto out = fitSwing(t, v, i, window_s, 4000, recording.currentQuality());
    if (out && n > 4000 && !(out->uncertainty_ohm < 1e-3 * out->resistance_ohm))
        out = fitSwing(t, v, i, window_s, 20000, recording.currentQuality());
    if (!out || !(out->resistance_ohm > 0) || out->uncertainty_ohm > out->resistance_ohm)
        return std::nullopt;
    return out;
}

void computeResistanceLoad(const AnalysisInput& in, std::vector<Reading>& out) {
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (s.kind != StepKind::Variable || s.powerLimited) continue;
        const auto fit = regressLoad(in.recording, s.first, s.last);
        Reading r;
        r.name = "resistance_load";
        r.unit = "ohm";
        r.method = "robust_regression_bisquare";
        r.evidence = {s.start_s, s.end_s, static_cast<int>(k)};
        if (!fit) {
            r.caveats.push_back(phrase(
                "Not measurable from this load: the current varies too little, or the voltage does "
                "not answer it."));
        } else {
            r.value = fit->resistance_ohm;
            r.uncertainty =
                quadrature({fit->uncertainty_ohm, r.value * rectangle(in.accuracy.voltageGain),
                            r.value * rectangle(in.accuracy.currentGain)});
            r.caveats.push_back(
                phrase("From {} samples of a load that swings by {} about its mean over a minute.",
                       fit->samples, shortValue(fit->spread_A, "A")));
        }
        out.push_back(std::move(r));
    }
}

}  // namespace nk
