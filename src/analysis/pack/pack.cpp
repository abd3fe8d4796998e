#include "pack.h"

#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"

namespace nk {

namespace {

/// A cell's loaded voltage over delivered charge, a few hundred points.
struct CellCurve {
    std::vector<double> charge_Ah, voltage_V;

    double at(double q) const {
        if (q <= charge_Ah.front()) return voltage_V.front();
        if (q >= charge_Ah.back()) return voltage_V.back();
        const auto it = std::lower_bound(charge_Ah.begin(), charge_Ah.end(), q);
        const auto k = static_cast<std::size_t>(it - charge_Ah.begin());
        const double f = (q - charge_Ah[k - 1]) / (charge_Ah[k] - charge_Ah[k - 1]);
        return voltage_V[k - 1] + f * (voltage_V[k] - voltage_V[k - 1]);
    }
};

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

/// Misfit of cell j laid over the weakest: V_j(Q) − shift against V_w((Q + o)/s), over the part of
/// the curve both have, leaving out the first twentieth (the load's transient).
double misfit(const CellCurve& weak, const CellCurve& other, double s, double o, double shift) {
    const double end = weak.charge_Ah.back();
    double sum = 0;
    double n = 0;
    for (std::size_t k = 0; k < other.charge_Ah.size(); ++k) {
        const double q = other.charge_Ah[k];
        if (q < 0.05 * end) continue;
        const double x = (q + o) / s;
        if (x < 0 || x > end) continue;
        const double d = other.voltage_V[k] - shift - weak.at(x);
        // The steep end tells most about charge: all points count alike in voltage.
        sum += d * d, ++n;
    }
    return n >= 8 ? sum / n : 1e9;
}

struct Overlay {
    double s = 1, o = 0, rms = 0, spread = 0;  ///< spread: standard uncertainty of s
};

Overlay lay(const CellCurve& weak, const CellCurve& other, double shift, bool withOffset,
            double noise) {
    const double end = weak.charge_Ah.back();
    const auto bestScale = [&](double o) {
        double low = 0.9;
        double high = 2.5;
        double at = 1;
        double best = 1e9;
        for (int k = 0; k <= 80; ++k) {
            const double s = low + (high - low) * k / 80;
            const double m = misfit(weak, other, s, o, shift);
            if (m < best) best = m, at = s;
        }
        const double cell = (high - low) / 80;
        low = at - cell, high = at + cell;
        for (int k = 0; k < 40; ++k) {
            const double a = low + 0.382 * (high - low);
            const double b = low + 0.618 * (high - low);
            (misfit(weak, other, a, o, shift) < misfit(weak, other, b, o, shift) ? high : low) =
                misfit(weak, other, a, o, shift) < misfit(weak, other, b, o, shift) ? b : a;
        }
        return 0.5 * (low + high);
    };
    Overlay out;
    out.s = bestScale(0);
    double best = misfit(weak, other, out.s, 0, shift);
    if (withOffset) {
        for (int k = -24; k <= 24; ++k) {
            const double o = 0.01 * k * end;
            const double s = bestScale(o);
            const double m = misfit(weak, other, s, o, shift);
            if (m < 0.98 * best) best = m, out.s = s, out.o = o;
        }
    }
    out.rms = std::sqrt(best);
    const double h = 0.005;
    const double curvature = (misfit(weak, other, out.s + h, out.o, shift) +
                              misfit(weak, other, out.s - h, out.o, shift) - 2 * best) /
                             (h * h);
    const double scale = std::max(best, noise * noise);
    // About fifty independent points; a tenth of what it found beside 1 as the model's own doubt.
    out.spread = std::hypot(curvature > 0 ? std::sqrt(2 * scale / curvature / 50) : 0.2,
                            0.1 * std::abs(out.s - 1));
    return out;
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
    const double noise = in.recording.voltageQuality().sigma();
    double sum = 0, balance = 0, variance = 0;
    for (PackCell& c : d.cells) {
        if (c.cell == d.weakest) continue;
        const CellCurve other = curveOf(in, e, static_cast<std::size_t>(c.cell) - 1, until);
        if (other.charge_Ah.size() < 20) continue;
        const double level = -e.meanCurrent_A;
        const double shift = std::isfinite(c.resistance_ohm)
                                 ? -(c.resistance_ohm - d.cells[w].resistance_ohm) * level
                                 : 0;
        // Cells that rest together hold the same state of charge.
        const bool apart = std::isfinite(c.rest_V) &&
                           std::abs(c.rest_V - d.cells[w].rest_V) > std::max(0.006, 4 * noise);
        const Overlay fit = lay(weak, other, shift, apart, noise);
        c.capacityRatio = fit.s;
        c.offset_Ah = -fit.o;
        c.remaining_Ah = std::max(0.0, fit.s * end - end - fit.o);
        c.remainingUncertainty_Ah = fit.spread * end;
        sum += c.remaining_Ah;
        balance += std::max(0.0, c.offset_Ah);
        variance += c.remainingUncertainty_Ah * c.remainingUncertainty_Ah;
    }
    const auto others = static_cast<double>(d.cells.size() - 1);
    d.lost_Ah = sum / others;
    d.balancing_Ah = std::min(balance / others, d.lost_Ah);
    // The fits share their model: their doubts do not average out.
    d.lostUncertainty_Ah = std::sqrt(variance / others);
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
