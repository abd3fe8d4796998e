#include "heat_fit.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace nk {

namespace {

constexpr double kGas_J_molK = 8.314462618;  // CODATA 2018
constexpr double kZero_K = 273.15;

double rate_K_s(const HeatFit& f, double current_A, double temperature_C, double ambient_C) {
    const double law = f.activation_J_mol != 0
                           ? std::exp(f.activation_J_mol / kGas_J_molK *
                                      (1 / (std::max(temperature_C, -50.0) + kZero_K) - 1 / 298.15))
                           : 1.0;
    return f.heating_K_sA2 * current_A * current_A * law + f.kinetic_K_sA * current_A -
           f.cooling_1_s * (temperature_C - ambient_C);
}

/// Over dt at constant current: cooling exactly, the heat at the temperature halfway, in parts of
/// at most a minute.
double advance_C(const HeatFit& f, double current_A, double temperature_C, double ambient_C,
                 double dt) {
    const int parts = std::clamp(static_cast<int>(std::ceil(dt / 60)), 1, 8);
    const double h = dt / parts;
    const double bh = f.cooling_1_s * h;
    const double keep = std::exp(-bh);
    const double share_s = bh > 1e-6 ? (1 - keep) / f.cooling_1_s : h;
    for (int k = 0; k < parts; ++k) {
        const double start = temperature_C;
        const auto after = [&](double at_C) {
            const double source = rate_K_s(f, current_A, at_C, at_C);  // no cooling in it
            return std::min(ambient_C + (start - ambient_C) * keep + source * share_s, 400.0);
        };
        temperature_C = after(0.5 * (start + after(start)));
    }
    return temperature_C;
}

double startOf(const HeatTrace& trace) {
    // The mean of the first few points is the start, freed of noise.
    double start = 0;
    for (std::size_t k = 0; k < 3; ++k) start += trace.temperature_C[k] / 3;
    return start;
}

double surroundings_C(const HeatTrace& trace, double start_C) {
    return std::isfinite(trace.ambient_C) ? trace.ambient_C : start_C;
}

std::vector<double> residualsOf(const HeatFit& f, const HeatTrace& trace) {
    const double start = startOf(trace);
    const double ambient = surroundings_C(trace, start);
    double temperature = start;
    std::vector<double> out;
    out.reserve(trace.time_s.size());
    for (std::size_t k = 1; k < trace.time_s.size(); ++k) {
        const double i0 = trace.current_A[k - 1];
        const double i1 = trace.current_A[k];
        const double current = std::sqrt(0.5 * (i0 * i0 + i1 * i1));
        temperature =
            advance_C(f, current, temperature, ambient, trace.time_s[k] - trace.time_s[k - 1]);
        out.push_back(trace.temperature_C[k] - temperature);
    }
    return out;
}

/// Heating and cooling alone, from the integrated law: T − T0 = a·∫I² − b·∫(T − Ta), both linear.
bool firstGuess(std::span<const HeatTrace> traces, double noise_C, HeatFit& fit, double& most_A) {
    double saa = 0, sab = 0, sbb = 0, say = 0, sby = 0, warmest = 0, ambients = 0;
    std::size_t n = 0;
    std::size_t used = 0;
    for (const HeatTrace& trace : traces) {
        if (trace.time_s.size() < 10) continue;
        const double start = startOf(trace);
        const double ambient = surroundings_C(trace, start);
        ambients += ambient;
        ++used;
        double heat = 0;
        double cool = 0;
        for (std::size_t k = 1; k < trace.time_s.size(); ++k) {
            const double dt = trace.time_s[k] - trace.time_s[k - 1];
            const double i0 = trace.current_A[k - 1];
            const double i1 = trace.current_A[k];
            most_A = std::max(most_A, i1);
            heat += 0.5 * (i0 * i0 + i1 * i1) * dt;
            cool -= (0.5 * (trace.temperature_C[k] + trace.temperature_C[k - 1]) - ambient) * dt;
            const double rise = trace.temperature_C[k] - start;
            saa += heat * heat, sab += heat * cool, sbb += cool * cool;
            say += heat * rise, sby += cool * rise;
            warmest = std::max(warmest, rise);
            ++n;
        }
    }
    if (n < 10 || warmest < std::max(2.0, 3 * noise_C) || saa <= 0) return false;
    fit.ambient_C = ambients / static_cast<double>(used);
    const double det = saa * sbb - sab * sab;
    if (det > 1e-9 * saa * sbb) {
        fit.heating_K_sA2 = (sbb * say - sab * sby) / det;
        fit.cooling_1_s = (saa * sby - sab * say) / det;
    }
    if (!(fit.cooling_1_s > 0 && fit.heating_K_sA2 > 0)) {
        fit.cooling_1_s = 0;
        fit.heating_K_sA2 = say / saa;
    }
    return fit.heating_K_sA2 > 0;
}

Eigen::Vector4d parametersOf(const HeatFit& f) {
    return {f.heating_K_sA2, f.kinetic_K_sA, f.cooling_1_s, f.activation_J_mol};
}
void set(HeatFit& f, const Eigen::Vector4d& p) {
    f.heating_K_sA2 = p(0), f.kinetic_K_sA = p(1), f.cooling_1_s = p(2), f.activation_J_mol = p(3);
}

}  // namespace

double HeatFit::endTemperature_C(double current_A, double charge_Ah, double start_C,
                                 double ambient) const {
    const double duration = 3600 * charge_Ah / current_A;
    double temperature = start_C;
    constexpr int kParts = 100;
    for (int k = 0; k < kParts; ++k)
        temperature = advance_C(*this, current_A, temperature, ambient, duration / kParts);
    return temperature;
}

HeatFit HeatFit::moved(int parameter, double by) const {
    HeatFit out = *this;
    Eigen::Vector4d p = parametersOf(*this);
    p(parameter) += by;
    set(out, p);
    return out;
}

std::optional<HeatFit> fitHeat(std::span<const HeatTrace> traces, double noise_C,
                               const HeatPrior& prior) {
    HeatFit fit;
    double most_A = 0;
    if (!firstGuess(traces, noise_C, fit, most_A)) return std::nullopt;
    fit.activation_J_mol = prior.activation_J_mol;
    const double kinetic = prior.kineticShare * fit.heating_K_sA2 * most_A;
    fit.kinetic_K_sA = kinetic;
    fit.heating_K_sA2 *= 1 - prior.kineticShare;
    const double usualCooling = 1e-3;
    const Eigen::Vector4d scale(fit.heating_K_sA2, std::max(kinetic, 1e-9), usualCooling, 1000);
    Eigen::Matrix4d inverse = Eigen::Matrix4d::Zero();
    double sigma = std::max(noise_C, 0.05);
    std::size_t used = 0;
    for (const HeatTrace& trace : traces) used += trace.time_s.size() >= 10;
    for (int round = 0; round < 12; ++round) {
        Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
        Eigen::Vector4d right = Eigen::Vector4d::Zero();
        double square = 0;
        double count = 0;
        for (const HeatTrace& trace : traces) {
            if (trace.time_s.size() < 10) continue;
            const auto here = residualsOf(fit, trace);
            std::vector<std::vector<double>> there;
            for (int p = 0; p < 4; ++p)
                there.push_back(residualsOf(fit.moved(p, 1e-3 * scale(p)), trace));
            const double share = std::min(1.0, 10.0 / static_cast<double>(here.size()));
            for (std::size_t k = 0; k < here.size(); ++k) {
                Eigen::Vector4d row;
                for (int p = 0; p < 4; ++p)
                    row(p) = (here[k] - there[static_cast<std::size_t>(p)][k]) / 1e-3;
                normal += row * row.transpose() * share;
                right += row * here[k] * share;
                square += here[k] * here[k], ++count;
            }
        }
        sigma = std::max(std::sqrt(square / count), std::max(noise_C / 3, 0.02));
        normal /= sigma * sigma;
        right /= sigma * sigma;
        const auto known = [&](int p, double value, double uncertainty) {
            const double u = std::max(uncertainty, 1e-6 * scale(p)) / scale(p);
            normal(p, p) += 1 / (u * u);
            right(p) += (value - parametersOf(fit)(p)) / scale(p) / (u * u);
        };
        known(1, kinetic, kinetic);
        known(3, prior.activation_J_mol, prior.activationUncertainty_J_mol);
        normal.diagonal().array() += 1e-9;
        inverse = normal.inverse();
        Eigen::Vector4d step = (inverse * right).cwiseProduct(scale);
        if (!step.allFinite()) break;
        Eigen::Vector4d next = parametersOf(fit) + step;
        next(0) = std::clamp(next(0), 0.3 * fit.heating_K_sA2, 3 * fit.heating_K_sA2);
        next(1) = std::max(next(1), 0.0);
        next(2) = std::clamp(next(2), 0.0, 0.1);
        const double change = (next - parametersOf(fit)).cwiseQuotient(scale).cwiseAbs().maxCoeff();
        set(fit, next);
        fit.residual_C = sigma;
        if (change < 1e-5) break;
    }
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c)
            fit.covariance[static_cast<std::size_t>(r)][static_cast<std::size_t>(c)] =
                scale(r) * inverse(r, c) * scale(c);
    fit.coolingSeen = fit.cooling_1_s > 0;
    fit.heatingUncertainty = std::sqrt(fit.covariance[0][0]);
    fit.coolingUncertainty = fit.coolingSeen ? std::sqrt(fit.covariance[2][2]) : 0;
    double square = 0;
    double count = 0;
    for (const HeatTrace& trace : traces) {
        if (trace.time_s.size() < 10) continue;
        fit.residuals_C.push_back(residualsOf(fit, trace));
        for (const double r : fit.residuals_C.back()) square += r * r, ++count;
    }
    fit.residual_C = std::sqrt(square / count);
    return fit.heating_K_sA2 > 0 ? std::optional(fit) : std::nullopt;
}

}  // namespace nk
