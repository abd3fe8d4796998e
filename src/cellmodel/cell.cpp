#include "cell.h"

#include <algorithm>
#include <cmath>

namespace nk {

namespace {
constexpr double kGas = 8.314462618;  // J/(mol·K)
constexpr double kKelvin = 273.15;
}  // namespace

double Cell::openCircuit_V() const {
    const OpenCircuitCurve& ocv = p_.chemistry->ocv;
    // In overcharge a nickel electrode's own voltage stands still; the bump is added elsewhere.
    if (p_.chemistry->nickel() && s_.soc > 0.95) return ocv.voltage_V(0.95);
    // Beyond the table the end slopes go on, so that an overcharged cell shows it.
    if (s_.soc > 1)
        return ocv.voltage_V(1) +
               (s_.soc - 1) * (p_.chemistry->nickel() ? 0 : std::max(0.5, ocv.slope_V(1)));
    if (s_.soc < 0) return ocv.voltage_V(0) + s_.soc * std::max(5.0, ocv.slope_V(0));
    return ocv.voltage_V(s_.soc);
}

double Cell::chargeEfficiency() const {
    if (!p_.chemistry->nickel()) return 1;
    // A smooth step about full charge: all is stored before, next to nothing after.
    return 0.995 / (1 + std::exp((s_.soc - 0.965) / p_.fullSharpness));
}

double Cell::sourceVoltage_V(double current_A) const {
    double v = openCircuit_V() + s_.v1_V + s_.v2_V;
    if (p_.chemistry->nickel() && current_A > 0) {
        // Gas evolution raises the voltage before the efficiency falls, more at a higher rate; the
        // warmth of what is no longer stored then brings it down. Together they make the peak.
        const double rate = current_A / p_.capacity_Ah;
        const double lost = 1 - chargeEfficiency();
        v += 0.055 * std::sqrt(std::max(rate, 0.0)) / (1 + std::exp(-(s_.soc - 0.92) / 0.015));
        v -= p_.warmDrop_V_K * lost * rate / (rate + 0.3) * (s_.temperature_C - 25);
    }
    return v;
}

double Cell::resistance_ohm() const {
    if (resistance_ohm_ >= 0) return resistance_ohm_;
    const double T = s_.temperature_C + kKelvin;
    const double warm =
        std::exp(p_.chemistry->activation_J_mol / kGas * (1 / T - 1 / (25 + kKelvin)));
    const double empty = 1 + 1.5 * std::exp(-std::max(s_.soc, -0.1) / 0.05);
    return resistance_ohm_ = p_.r0_ohm * warm * empty;
}

void Cell::step(double current_A, double dt_s, double ambient_C) {
    const double resistance = resistance_ohm();
    const double efficiency = current_A > 0 ? chargeEfficiency() : 1;
    const double lostPower =
        current_A > 0 ? (1 - efficiency) * current_A * voltage_V(current_A) : 0;
    const double heat = current_A * current_A * resistance + s_.v1_V * s_.v1_V / p_.r1_ohm +
                        s_.v2_V * s_.v2_V / p_.r2_ohm + (p_.chemistry->nickel() ? lostPower : 0);
    if (dt_s != decay_.dt_s)  // steps of one length follow each other
        decay_ = {dt_s, std::exp(-dt_s / p_.tau1_s), std::exp(-dt_s / p_.tau2_s),
                  std::exp(-dt_s * p_.heatLoss_W_K / p_.heatCapacity_J_K)};
    const double e1 = decay_.e1;
    const double e2 = decay_.e2;
    s_.v1_V = s_.v1_V * e1 + p_.r1_ohm * current_A * (1 - e1);
    s_.v2_V = s_.v2_V * e2 + p_.r2_ohm * current_A * (1 - e2);
    s_.soc += (current_A * efficiency - p_.leak_A) * dt_s / 3600 / p_.capacity_Ah;
    // Newton's law of cooling with constant heat over the step, exactly.
    const double settled = ambient_C + heat / p_.heatLoss_W_K;
    s_.temperature_C = settled + (s_.temperature_C - settled) * decay_.heat;
    resistance_ohm_ = -1;
}

}  // namespace nk
