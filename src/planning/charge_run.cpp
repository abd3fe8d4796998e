#include "charge_run.h"

#include <algorithm>
#include <cmath>

namespace nk {

ChargeRun runCharge(const Chemistry& chemistry, const ChargeRunSetting& s) {
    ChargeRun out;
    // Full is where the open-circuit curve meets the set voltage.
    const double full = chemistry.fullSoc;
    const double end = chemistry.ocv.soc(std::min(s.set_V, chemistry.set_V)) / full;
    double soc = s.fromSoc;
    bool knee = false;
    double amps = 0;
    const auto current = [&](double at) {
        // Where the rested curve ends under the set voltage (flat kinds) the last hundredths rise
        // to it: full is when it is met.
        const double gap = std::max(0.0, chemistry.set_V - chemistry.ocv.voltage_V(full));
        const double ocv = chemistry.ocv.voltage_V(std::min(at, 1.0) * full) +
                           gap * std::exp(std::min(20.0, (at - 1) / 0.01));
        double flows = s.current_A;
        // Power at the terminals: I·n·(OCV + I·R) = P.
        const double volts = ocv * s.series;
        const double ohms = s.resistance_ohm * s.series;
        if (s.power_W < flows * (volts + flows * ohms)) {
            flows = ohms > 0
                        ? (std::sqrt(volts * volts + 4 * ohms * s.power_W) - volts) / (2 * ohms)
                        : s.power_W / volts;
            out.limitedByPower = true;
        }
        const double held = (s.set_V - ocv) / std::max(s.resistance_ohm, 1e-9);
        if (held < flows) {
            if (!knee) {
                knee = true;
                out.knee_s = out.time_s;
            }
            flows = held;
        }
        return flows;
    };
    while (out.time_s < s.longest_s) {
        amps = current(soc);
        if (amps <= s.cutoff_A) break;
        double step_Ah = s.capacity_Ah / 2000;
        // Near the end the current falls with every step: no more than a fiftieth of what is left.
        if (knee)
            step_Ah = std::min(step_Ah, std::max(1e-7, (end + 0.001 - soc) * s.capacity_Ah / 50));
        const double middle = current(soc + 0.5 * step_Ah / s.capacity_Ah);
        const double flows = std::max(0.5 * amps, middle);
        double dt = step_Ah / flows * 3600;
        if (out.time_s + dt > s.longest_s) {
            dt = s.longest_s - out.time_s;
            step_Ah = flows * dt / 3600;
        }
        out.time_s += dt;
        out.charge_Ah += step_Ah;
        soc += step_Ah / s.capacity_Ah;
    }
    if (!knee) out.knee_s = out.time_s;
    out.soc = soc;
    return out;
}

}  // namespace nk
