#include "pack.h"

#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "overlay.h"

namespace nk {

namespace {

CellCurve curveOf(const AnalysisInput& in, const Event& e, std::size_t cell, std::size_t last) {
    const auto& running = runningCharge_Ah(in);
    const auto& v = in.recording.cells_V()[cell];
    const auto i = in.recording.current_A();
    CellCurve c;
    const std::size_t n = last - e.first + 1;
    const std::size_t bin = std::max<std::size_t>(1, n / 300);
    for (std::size_t k = e.first; k <= last; k += bin) {
        double q = 0, sum = 0, m = 0;
        for (std::size_t s = k; s < std::min(k + bin, last + 1); ++s) {
            if (i[s] >= -in.steps.restThreshold_A || !std::isfinite(v[s])) continue;
            q += running[e.first] - running[s], sum += v[s], ++m;
        }
        if (m < 1 || (!c.charge_Ah.empty() && q / m <= c.charge_Ah.back())) continue;
        c.charge_Ah.push_back(q / m);
        c.voltage_V.push_back(sum / m);
    }
    return c;
}

/// The cell voltages at rest before the discharge, and each cell's drop when the load came on.
void restAndStep(const AnalysisInput& in, const Event& e, PackDischarge& d) {
    const auto& cells = in.recording.cells_V();
    const auto i = in.recording.current_A();
    if (e.first == 0) return;
    const std::size_t before = e.first - 1;
    if (std::abs(i[before]) > in.steps.restThreshold_A) return;
    std::size_t after = e.first;
    const double level = in.steps.list[static_cast<std::size_t>(e.steps.front())].meanCurrent_A;
    while (after < e.last && std::abs(i[after] - level) > 0.1 * std::abs(level)) ++after;
    const double dI = i[after] - i[before];
    d.step_A = std::abs(dI);
    double low = 1e300, high = -1e300, lowR = 1e300, highR = -1e300;
    for (PackCell& c : d.cells) {
        const auto& v = cells[static_cast<std::size_t>(c.cell) - 1];
        double sum = 0;
        double n = 0;
        for (std::size_t k = before >= 4 ? before - 4 : 0; k <= before; ++k)
            if (std::abs(i[k]) <= in.steps.restThreshold_A) sum += v[k], ++n;
        c.rest_V = sum / n;
        low = std::min(low, c.rest_V), high = std::max(high, c.rest_V);
        c.resistance_ohm = (v[after] - c.rest_V) / dI;
        lowR = std::min(lowR, c.resistance_ohm), highR = std::max(highR, c.resistance_ohm);
    }
    d.spreadRest_V = high - low;
    d.spreadLoad_V = (highR - lowR) * std::abs(level);
}

PackDischarge study(const AnalysisInput& in, const Event& e) {
    PackDischarge d;
    const auto t = in.recording.time_s();
    const auto& cells = in.recording.cells_V();
    const double floor = in.chemistry() != nullptr ? in.chemistry()->dischargeFloor_V : 0;
    d.step = e.mainStep();
    d.from_s = e.from_s, d.to_s = e.to_s;
    d.delivered_Ah = -e.sum.charge_Ah;
    d.capacity_Ah = in.battery.capacity_Ah() > 0 ? in.battery.capacity_Ah() : d.delivered_Ah;
    const auto i = in.recording.current_A();
    // The last sample under load; a cut-off logger may show one more without it.
    std::size_t last = e.last;
    while (last > e.first && i[last] > -in.steps.restThreshold_A) --last;
    const double step = in.recording.voltageQuality().resolution;
    double low = 1e300, high = -1e300;
    for (std::size_t n = 0; n < cells.size(); ++n) {
        PackCell c;
        c.cell = static_cast<int>(n) + 1;
        c.end_V = cells[n][last];
        low = std::min(low, c.end_V), high = std::max(high, c.end_V);
        d.cells.push_back(c);
        // The first sample under the floor counts when the one before was on its way there.
        for (std::size_t k = e.first + 1; k <= last; ++k) {
            if (!(cells[n][k] <= floor + 0.6 * step + 1e-6) || !(cells[n][k - 1] < floor + 0.3))
                continue;
            if (!(t[k] >= d.weakestAt_s)) d.weakestAt_s = t[k], d.weakest = c.cell;
            break;
        }
    }
    d.spreadEnd_V = high - low;
    if (d.weakest == 0 && (low < floor + 0.06 || e.reachedFloor == Known::Yes)) {
        // The load stopped at a floor of its own, a little higher: the lowest cell is the one.
        for (const PackCell& c : d.cells)
            if (c.end_V == low) d.weakest = c.cell;
        d.weakestAt_s = t[last];
    }
    d.reachedFloor = d.weakest > 0;
    restAndStep(in, e, d);
    if (!d.reachedFloor) return d;
    const std::size_t until = std::min(in.recording.nearest(d.weakestAt_s), last);
    const auto w = static_cast<std::size_t>(d.weakest) - 1;
    const CellCurve weak = curveOf(in, e, w, until);
    if (weak.charge_Ah.size() < 20) return d;
    const double end = weak.charge_Ah.back();
    const double level = -e.meanCurrent_A;
    const ChannelQuality& qv = in.recording.voltageQuality();
    double sum = 0, balance = 0, spread = 0, counted = 0;
    for (PackCell& c : d.cells) {
        if (c.cell == d.weakest) continue;
        const CellCurve other = curveOf(in, e, static_cast<std::size_t>(c.cell) - 1, until);
        if (other.charge_Ah.size() < 20) continue;
        const PackCell& own = d.cells[w];
        OverlayPrior prior;
        prior.sigma_V = std::max(qv.sigma(), 0.0003);
        // What moves a curve by millivolts (kinetics, temperature) means much on a flat one.
        const bool flat = in.chemistry() != nullptr && in.chemistry()->steepHead();
        prior.shape_V = flat ? 0.005 : 0.0025;
        // A larger resistance lowers the curve; it changes with the charge, by about a quarter.
        const bool stepped = std::isfinite(c.resistance_ohm) && std::isfinite(own.resistance_ohm);
        const double differ = stepped ? c.resistance_ohm - own.resistance_ohm : 0;
        prior.shift_V = -differ * level;
        prior.shiftUncertainty_V =
            stepped ? std::hypot(1.4 * qv.sigma(), 0.5 * prior.shift_V, 0.0015) : 0.05;
        // At rest the difference of two voltages over the slope of the open-circuit curve. Between
        // channels of one meter a thousandth may differ (common practice, no source).
        prior.offsetUncertainty_Ah = 0.15 * end;
        const Chemistry* chemistry = in.chemistry();
        if (chemistry != nullptr && std::isfinite(c.rest_V) && std::isfinite(own.rest_V)) {
            const double soc = std::clamp(chemistry->ocv.soc(own.rest_V), 0.05, 0.95);
            const double slope_V_Ah = std::max(chemistry->ocv.slope_V(soc), 1e-3) / end;
            const double apart = (own.rest_V - c.rest_V) / slope_V_Ah;
            const double doubt = std::hypot(
                std::hypot(1.4 * qv.sigma() / 2, 0.001 * own.rest_V) / slope_V_Ah, 0.35 * apart);
            if (doubt < prior.offsetUncertainty_Ah) {
                prior.offset_Ah = std::clamp(apart, -0.3 * end, 0.3 * end);
                prior.offsetUncertainty_Ah = doubt;
            }
        }
        const Overlay fit = layOver(weak, other, prior);
        if (!fit.found) continue;
        c.capacityRatio = fit.scale;
        c.offset_Ah = -fit.offset_Ah;
        c.remaining_Ah = fit.left_Ah;
        c.remainingUncertainty_Ah = fit.leftUncertainty_Ah;
        sum += c.remaining_Ah;
        balance += c.offset_Ah;
        spread += c.remainingUncertainty_Ah;
        ++counted;
    }
    if (counted < 1) return d;
    d.lost_Ah = sum / counted;
    d.balancing_Ah = std::clamp(balance / counted, 0.0, std::max(0.0, d.lost_Ah));
    // All fits share the weakest cell's curve: their doubts do not average out.
    d.lostUncertainty_Ah = spread / counted;
    return d;
}

}  // namespace

const std::vector<PackDischarge>& packDischarges(const AnalysisInput& in) {
    return in.memo->remember<std::vector<PackDischarge>>("pack discharges", [&] {
        std::vector<PackDischarge> out;
        if (in.recording.cells_V().size() < 2) return out;
        for (const Event& e : dischargeEvents(in))
            if (e.last > e.first + 20) out.push_back(study(in, e));
        return out;
    });
}

std::optional<LeadDrop> leadDrop(const AnalysisInput& in) {
    const auto& cells = in.recording.cells_V();
    if (cells.size() < 2 || static_cast<int>(cells.size()) != in.battery.series)
        return std::nullopt;
    const auto v = in.recording.voltage_V();
    const auto i = in.recording.current_A();
    const std::size_t stride = std::max<std::size_t>(1, v.size() / 20000);
    double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0, syy = 0, most = 0;
    for (std::size_t k = 0; k < v.size(); k += stride) {
        double sum = 0;
        for (const auto& c : cells) sum += c[k];
        const double y = v[k] - sum;
        if (!std::isfinite(y)) continue;
        n += 1, sx += i[k], sy += y, sxx += i[k] * i[k], sxy += i[k] * y, syy += y * y;
        most = std::max(most, std::abs(i[k]));
    }
    const double det = n * sxx - sx * sx;
    if (n < 20 || det <= 1e-9 * n * sxx || most <= 0) return std::nullopt;
    LeadDrop out;
    out.resistance_ohm = (n * sxy - sx * sy) / det;
    const double offset = (sy - out.resistance_ohm * sx) / n;
    const double misfit = std::max(0.0, syy - offset * sy - out.resistance_ohm * sxy);
    out.uncertainty_ohm = std::sqrt(misfit / std::max(1.0, n - 2) * n / det);
    out.atCurrent_A = most;
    out.hottest_W = most * most * out.resistance_ohm;
    return out;
}

}  // namespace nk
