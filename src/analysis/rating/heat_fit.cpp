#include "heat_fit.h"

#include <algorithm>
#include <cmath>

namespace nk {

double HeatFit::endTemperature_C(double current_A, double charge_Ah, double start_C,
                                 double ambient) const {
    const double duration = 3600 * charge_Ah / current_A;
    const double source = heating_K_sA2 * current_A * current_A;
    if (cooling_1_s * duration < 1e-9) return start_C + source * duration;
    const double settled = ambient + source / cooling_1_s;
    return settled + (start_C - settled) * std::exp(-cooling_1_s * duration);
}

std::optional<HeatFit> fitHeat(std::span<const HeatTrace> traces, double noise_C) {
    struct Row {
        double heat, cool, rise;
    };
    std::vector<std::vector<Row>> all;
    double saa = 0, sab = 0, sbb = 0, say = 0, sby = 0;
    double warmest = 0;
    double ambientSum = 0;
    std::size_t n = 0;
    for (const HeatTrace& trace : traces) {
        if (trace.time_s.size() < 10) continue;
        // The mean of the first few points is the start, freed of noise.
        double start = 0;
        for (std::size_t k = 0; k < 3; ++k) start += trace.temperature_C[k] / 3;
        const double ambient = std::isfinite(trace.ambient_C) ? trace.ambient_C : start;
        ambientSum += ambient;
        std::vector<Row> rows;
        double heat = 0;
        double cool = 0;
        for (std::size_t k = 1; k < trace.time_s.size(); ++k) {
            const double dt = trace.time_s[k] - trace.time_s[k - 1];
            const double i0 = trace.current_A[k - 1];
            const double i1 = trace.current_A[k];
            heat += 0.5 * (i0 * i0 + i1 * i1) * dt;
            cool += (0.5 * (trace.temperature_C[k] + trace.temperature_C[k - 1]) - ambient) * dt;
            const Row row{heat, -cool, trace.temperature_C[k] - start};
            rows.push_back(row);
            saa += row.heat * row.heat, sab += row.heat * row.cool, sbb += row.cool * row.cool;
            say += row.heat * row.rise, sby += row.cool * row.rise;
            warmest = std::max(warmest, row.rise);
            ++n;
        }
        all.push_back(std::move(rows));
    }
    if (n < 10 || warmest < std::max(2.0, 3 * noise_C) || saa <= 0) return std::nullopt;
    HeatFit fit;
    fit.ambient_C = ambientSum / static_cast<double>(all.size());
    const double det = saa * sbb - sab * sab;
    const bool both = det > 1e-9 * saa * sbb;
    if (both) {
        fit.heating_K_sA2 = (sbb * say - sab * sby) / det;
        fit.cooling_1_s = (saa * sby - sab * say) / det;
    }
    fit.coolingSeen = both && fit.cooling_1_s > 0 && fit.heating_K_sA2 > 0;
    if (!fit.coolingSeen) {
        fit.cooling_1_s = 0;
        fit.heating_K_sA2 = say / saa;
    }
    if (fit.heating_K_sA2 <= 0) return std::nullopt;
    double misfit = 0;
    for (const auto& rows : all) {
        std::vector<double> residual;
        for (const Row& r : rows) {
            residual.push_back(r.rise - fit.heating_K_sA2 * r.heat - fit.cooling_1_s * r.cool);
            misfit += residual.back() * residual.back();
        }
        fit.residuals_C.push_back(std::move(residual));
    }
    fit.residual_C = std::sqrt(misfit / static_cast<double>(n));
    // Residuals of a thermal model hang together over minutes: about ten independent ones a trace.
    const double independent =
        std::max(3.0, std::min(static_cast<double>(n), 10.0 * static_cast<double>(all.size())));
    const double variance = std::max(fit.residual_C, noise_C / 3) *
                            std::max(fit.residual_C, noise_C / 3) * static_cast<double>(n) /
                            independent;
    if (fit.coolingSeen) {
        fit.heatingUncertainty = std::sqrt(variance * sbb / det);
        fit.coolingUncertainty = std::sqrt(variance * saa / det);
    } else {
        fit.heatingUncertainty = std::sqrt(variance / saa);
    }
    return fit;
}

}  // namespace nk
