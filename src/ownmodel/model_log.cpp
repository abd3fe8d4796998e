#include "model_log.h"

#include <algorithm>
#include <cmath>

#include "nickel_log.h"
#include "recording/integral.h"

namespace nk {

namespace {

/// Ah that were still missing when a taper ended, from the line of current over charge between half
/// and a tenth of its first current (its last half, where it ended sooner); NaN where there is
/// none. A charge that is held on and on moves all that was missing, and more.
double missingAt(const Recording& r, const Step& s, const std::vector<double>& moved,
                 double& full_Ah) {
    const std::size_t n = s.last - s.first + 1;
    if (n < 8) return kNaN;
    const double start = std::abs(r.current_A()[s.first]);
    std::size_t from = s.first;
    while (from < s.last && std::abs(r.current_A()[from]) > 0.5 * start) ++from;
    std::size_t to = from;
    while (to < s.last && std::abs(r.current_A()[to]) > 0.1 * start) ++to;
    if (to < from + 8) {
        from = s.first + n / 2;
        to = s.last;
    }
    double sx = 0, sy = 0, sxx = 0, sxy = 0;
    double count = 0;
    for (std::size_t k = from; k <= to; ++k) {
        const double x = moved[k] - moved[from];
        const double y = r.current_A()[k];
        sx += x, sy += y, sxx += x * x, sxy += x * y, count += 1;
    }
    const double slope = (count * sxy - sx * sy) / (count * sxx - sx * sx);
    if (!(slope < 0)) return kNaN;
    const double level = (sy - slope * sx) / count;
    const double ends = moved[from] - level / slope;  // where the line meets no current
    full_Ah = ends;
    return std::max(0.0, ends - moved[s.last]);
}

}  // namespace

ThinnedLog thinnedLog(const ModelLog& given, const Battery& battery, const Chemistry& c,
                      const NickelCharging& nickel) {
    ThinnedLog out;
    out.recording = given.recording;
    const Recording& r = *given.recording;
    out.moved_Ah = cumulativeCharge_Ah(r);
    const double series = battery.cells();
    const auto& steps = given.steps->list;
    // Full is where a taper would have come to its end. What is held on from there goes into a leak
    // or a balancer: it is not counted, and not fitted.
    std::vector<std::pair<std::size_t, std::size_t>> held;
    for (const Step& s : steps) {
        if (s.kind != StepKind::CvCharge || s.endCurrent_A <= 0) continue;
        const double volts = s.endVoltage_V / series;
        if (std::abs(volts - c.set_V) > 0.03) continue;
        double full = kNaN;
        const double missing = missingAt(r, s, out.moved_Ah, full);
        if (!std::isfinite(missing) || (battery.rated_Ah > 0 && missing > 0.15 * battery.rated_Ah))
            continue;
        out.start_Ah = missing + out.moved_Ah[s.last];
        out.hold_V = volts;
        if (missing > 0) continue;
        std::size_t from = s.last;
        while (from > s.first && out.moved_Ah[from - 1] > full) --from;
        const double over = out.moved_Ah[s.last] - out.moved_Ah[from];
        for (std::size_t k = from; k < s.last; ++k) out.moved_Ah[k] = out.moved_Ah[from];
        for (std::size_t k = s.last; k < out.moved_Ah.size(); ++k) out.moved_Ah[k] -= over;
        out.start_Ah = out.moved_Ah[s.last];
        held.emplace_back(from, s.last);
    }
    if (nickel.known()) countNickelCharges(given, battery, nickel, out, held);
    if (!std::isfinite(out.start_Ah) && !steps.empty() && !c.nickel()) {
        const double volts = steps.front().startVoltage_V / series;
        const bool rested = steps.front().kind == StepKind::Rest;
        const double top = c.ocv.voltage_V(c.fullSoc);
        if (rested && volts > std::min(top, c.set_V) - 0.03) out.start_Ah = 0;
    }
    // Thinned: even over the samples, and all of a minute behind a change of the current.
    const std::size_t n = r.size();
    const std::size_t stride = std::max<std::size_t>(1, n / 1500);
    std::size_t dense = 0;
    std::size_t taken = 0;
    double jump = 0;
    for (std::size_t k = 0; k < n; ++k) jump = std::max(jump, std::abs(r.current_A()[k]));
    double since = -1e9;
    for (std::size_t k = 0; k < n; ++k) {
        if (k > 0 && std::abs(r.current_A()[k] - r.current_A()[k - 1]) > 0.2 * jump)
            since = r.time_s()[k];
        const bool leak =
            std::ranges::any_of(held, [k](const auto& h) { return k > h.first && k < h.second; });
        if (leak) continue;
        const bool after = r.time_s()[k] - since < 60 && dense < 1500;
        if (k % stride != 0 && !after) continue;
        dense += after ? 1 : 0;
        if (!std::isfinite(r.voltage_V()[k]) || !std::isfinite(r.current_A()[k])) continue;
        if (++taken > 4000) break;
        out.rows.push_back({r.voltage_V()[k] / series, r.current_A()[k], 25, -out.moved_Ah[k], k});
        if (!out.before_Ah.empty()) out.rows.back().before_Ah = out.before_Ah[k];
    }
    for (std::size_t k = 1; k < out.rows.size(); ++k) {
        const std::size_t a = out.rows[k - 1].index;
        const std::size_t b = out.rows[k].index;
        out.rows[k].dt_s = r.time_s()[b] - r.time_s()[a];
        if (out.rows[k].dt_s > 0)
            out.rows[k].mean_A = (out.moved_Ah[b] - out.moved_Ah[a]) * 3600 / out.rows[k].dt_s;
    }
    const double rated = battery.rated_Ah > 0 ? battery.rated_Ah : 1;
    for (std::size_t k = 4; k + 4 < out.rows.size(); ++k) {
        const ModelRow& a = out.rows[k - 4];
        const ModelRow& b = out.rows[k + 4];
        const double moved = std::abs(a.z_from_start - b.z_from_start);
        if (std::abs(a.amps - b.amps) > 0.1 * std::abs(a.amps) || moved < 1e-4 * rated) continue;
        const double slope = std::abs(a.volts - b.volts) / moved * rated;
        out.rows[k].sigma_V = std::hypot(0.003, 0.006 * slope);
    }
    return out;
}

}  // namespace nk
