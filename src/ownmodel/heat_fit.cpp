#include "heat_fit.h"

#include <algorithm>
#include <cmath>

namespace nk {

void fitHeat(OwnModel& m, const std::vector<ThinnedLog>& logs, double ambient_C, double rated_Ah) {
    m.heat_J_K = 18 * rated_Ah * m.series;
    m.loss_W_K = (0.03 * rated_Ah + 0.02) * m.series;
    double pp = 0, pt = 0, tt = 0, yp = 0, yt = 0;
    double rise = 0;
    for (const ThinnedLog& log : logs) {
        const Recording& r = *log.recording;
        if (!r.hasTemperature() || r.size() < 20) continue;
        double low = 1e9;
        double high = -1e9;
        std::size_t from = 0;
        double heat = 0;
        double over = 0;
        for (std::size_t k = 1; k < r.size(); ++k) {
            const double dt = r.time_s()[k] - r.time_s()[k - 1];
            const double t = r.temperature_C()[k];
            if (!std::isfinite(t) || dt > 600) {
                from = k;
                heat = over = 0;
                continue;
            }
            low = std::min(low, t);
            high = std::max(high, t);
            const double z =
                std::isfinite(log.start_Ah) ? log.start_Ah - log.moved_Ah[k] : 0.5 * m.scale_Ah;
            const double lost = r.current_A()[k] * (r.voltage_V()[k] - m.series * m.ocv_V(z));
            heat += std::max(0.0, lost) * dt;
            if (m.nickel.known() && r.current_A()[k] > 0) {
                // What went in and is not stored became warmth.
                const double put = r.current_A()[k] * dt / 3600;
                const double kept = log.moved_Ah[k] - log.moved_Ah[k - 1];
                heat += 3600 * std::clamp(put - kept, 0.0, put) * r.voltage_V()[k];
            }
            over += (t - ambient_C) * dt;
            if (r.time_s()[k] - r.time_s()[from] >= 300) {
                const double y = t - r.temperature_C()[from];
                if (std::isfinite(y)) {
                    pp += heat * heat, pt += heat * over, tt += over * over;
                    yp += y * heat, yt += y * over;
                }
                from = k;
                heat = over = 0;
            }
        }
        rise = std::max(rise, high - low);
    }
    if (rise < 3) return;
    const double det = pp * tt - pt * pt;
    if (!(std::abs(det) > 1e-9 * pp * tt)) return;
    const double a = (yp * tt - yt * pt) / det;
    const double b = -(yt * pp - yp * pt) / det;
    if (!(a > 0) || !(b > 0)) return;
    const double capacity = 1 / a;
    if (capacity < 0.2 * m.heat_J_K || capacity > 6 * m.heat_J_K) return;
    m.heat_J_K = capacity;
    m.loss_W_K = b * capacity;
    m.heatKnown = true;
}

}  // namespace nk
