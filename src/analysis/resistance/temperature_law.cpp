#include "temperature_law.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "quantity/format.h"

namespace nk {

namespace {
constexpr double kGas_J_molK = 8.314462618;  // CODATA 2018, exact
constexpr double kReference_K = 298.15;

double inverse(double temperature_C) {
    return 1 / (temperature_C + 273.15) - 1 / kReference_K;
}

double medianOf(std::vector<double> x) {
    std::sort(x.begin(), x.end());
    const std::size_t n = x.size();
    return n % 2 == 1 ? x[n / 2] : 0.5 * (x[n / 2 - 1] + x[n / 2]);
}
}  // namespace

double TemperatureLaw::resistance_ohm(double temperature_C) const {
    return r25_ohm * std::exp(activation_J_mol / kGas_J_molK * inverse(temperature_C));
}

std::optional<TemperatureLaw> fitTemperatureLaw(std::span<const ResistanceAt> readings,
                                                double defaultActivation_J_mol) {
    double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
    double coldest = 1e9;
    double warmest = -1e9;
    std::size_t n = 0;
    for (const ResistanceAt& r : readings) {
        if (!(r.resistance_ohm > 0) || !std::isfinite(r.temperature_C) || r.temperature_C < -200)
            continue;
        // Relative uncertainty, with a floor so that one lucky reading does not rule alone.
        const double u = std::max(
            std::isfinite(r.uncertainty_ohm) ? r.uncertainty_ohm / r.resistance_ohm : 0.02, 0.002);
        const double w = 1 / (u * u);
        const double x = inverse(r.temperature_C) / kGas_J_molK;
        const double y = std::log(r.resistance_ohm);
        sw += w, sx += w * x, sy += w * y, sxx += w * x * x, sxy += w * x * y;
        coldest = std::min(coldest, r.temperature_C);
        warmest = std::max(warmest, r.temperature_C);
        ++n;
    }
    if (n == 0) return std::nullopt;
    TemperatureLaw law;
    const double det = sw * sxx - sx * sx;
    if (n >= 2 && warmest - coldest >= 5 && det > 0) {
        law.fitted = true;
        law.activation_J_mol = (sw * sxy - sx * sy) / det;
        const double intercept = (sxx * sy - sx * sxy) / det;
        law.r25_ohm = std::exp(intercept);
        double misfit = 0;
        for (const ResistanceAt& r : readings) {
            if (!(r.resistance_ohm > 0) || !std::isfinite(r.temperature_C)) continue;
            const double u = std::max(
                std::isfinite(r.uncertainty_ohm) ? r.uncertainty_ohm / r.resistance_ohm : 0.02,
                0.002);
            const double d = std::log(r.resistance_ohm) - intercept -
                             law.activation_J_mol * inverse(r.temperature_C) / kGas_J_molK;
            misfit += d * d / (u * u);
        }
        // Readings that scatter more than they say widen the result.
        const double scale = n > 2 ? std::max(1.0, misfit / static_cast<double>(n - 2)) : 1.0;
        law.activationUncertainty_J_mol = std::sqrt(scale * sw / det);
        law.r25Uncertainty_ohm = law.r25_ohm * std::sqrt(scale * sxx / det);
    } else {
        law.activation_J_mol = defaultActivation_J_mol;
        law.r25_ohm = std::exp((sy - defaultActivation_J_mol * sx) / sw);
        // A default activation energy is known to a third (common practice, no source).
        const double shift = std::abs(sx / sw) * defaultActivation_J_mol / 3;
        law.r25Uncertainty_ohm = law.r25_ohm * std::hypot(1 / std::sqrt(sw), shift);
        law.activationUncertainty_J_mol = defaultActivation_J_mol / 3;
    }
    return law;
}

Expected<RepeatedReading> summariseRepeats(std::span<const double> readings) {
    if (readings.empty() || std::any_of(readings.begin(), readings.end(),
                                        [](double x) { return !(x > 0) || !std::isfinite(x); }))
        return fail(ErrorKind::InvalidArgument, phrase("These are no resistances."), "readings",
                    phrase("one or more numbers above 0, in milliohms or ohms."));
    RepeatedReading out;
    std::vector<double> used(readings.begin(), readings.end());
    if (used.size() >= 3) {
        const double others = medianOf({used.begin() + 1, used.end()});
        if (used.front() > 1.1 * others) {
            out.firstDropped = true;
            used.erase(used.begin());
        }
    }
    out.used = used.size();
    out.median = medianOf(used);
    const auto [low, high] = std::minmax_element(used.begin(), used.end());
    out.spread = *high - *low;
    if (used.size() >= 2) {
        double mean = 0;
        double squares = 0;
        for (const double x : used) mean += x / static_cast<double>(used.size());
        for (const double x : used) squares += (x - mean) * (x - mean);
        const double s = std::sqrt(squares / static_cast<double>(used.size() - 1));
        // Standard error of a median of normal readings: √(π/2) times that of the mean.
        out.uncertainty = 1.2533 * s / std::sqrt(static_cast<double>(used.size()));
    }
    out.words = phrase("median of {} readings, {} apart", out.used, shortValue(out.spread, "ohm"));
    if (out.firstDropped)
        out.words += phrase("; the first ({}) was contact and is dropped",
                            shortValue(readings.front(), "ohm"));
    return out;
}

}  // namespace nk
