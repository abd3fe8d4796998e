#include "nickel.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "analysis/finish/stop_moment.h"
#include "quantity/format.h"
#include "recording/smoothing.h"

namespace nk {

namespace {

/// Slope by least squares over the last `window` seconds before sample `at`, per second.
double slopeBefore(std::span<const double> t, std::span<const double> y, std::size_t first,
                   std::size_t at, double window) {
    double n = 0, st = 0, sy = 0, stt = 0, sty = 0;
    for (std::size_t k = at + 1; k-- > first && t[at] - t[k] <= window;) {
        if (!std::isfinite(y[k])) continue;
        const double x = t[k] - t[at];
        n += 1, st += x, sy += y[k], stt += x * x, sty += x * y[k];
    }
    const double det = n * stt - st * st;
    return n >= 3 && det > 0 ? (n * sty - st * sy) / det : kNaN;
}

/// A slope at the end with its standard uncertainty, per second.
struct EndSlope {
    double value = kNaN, uncertainty = kNaN;
};

/// A moment at which a coarse display went from one code to another; between flickers its middle.
struct CodeChange {
    double at_s = 0, half_s = 0, by = 0;
};

/// The last `most` changes before row `last`, oldest first.
std::vector<CodeChange> codeChanges(std::span<const double> t, std::span<const double> y,
                                    std::size_t first, std::size_t last, double step,
                                    std::size_t most) {
    std::vector<CodeChange> out;
    const auto same = [&](double a, double b) { return std::abs(a - b) < 0.5 * step; };
    std::size_t k = last;
    while (out.size() < most) {
        // Back to the last row of another code, then to the first row of this one behind the first
        // of that: between them it flickers.
        const double here = y[k];
        std::size_t other = k;
        while (other > first && !(std::isfinite(y[other]) && !same(y[other], here))) --other;
        if (same(y[other], here) || !std::isfinite(y[other])) break;
        const double before = y[other];
        std::size_t begin = other;
        std::size_t seen = other;
        while (begin > first && (same(y[begin - 1], before) || same(y[begin - 1], here) ||
                                 !std::isfinite(y[begin - 1]))) {
            --begin;
            if (same(y[begin], here)) seen = begin;
        }
        const double from = seen < other ? t[seen] : t[other];
        const double to = t[std::min(other + 1, last)];
        out.push_back({0.5 * (from + to), 0.5 * (to - from), here - before});
        if (begin <= first) break;
        // The code before it stands where the flicker had not begun.
        k = seen < other ? seen - (seen > first ? 1 : 0) : other;
        if (same(y[k], here)) break;
    }
    std::ranges::reverse(out);
    return out;
}

/// The slope at row `last` of a channel whose rounding no noise breaks up, by the moments at which
/// its code changed (estimators.md): between two of them it moved by a step, since the last by less
/// than one.
EndSlope slopeOfCodes(std::span<const double> t, std::span<const double> y, std::size_t first,
                      std::size_t last, double step) {
    EndSlope out;
    // A slope that grows to the stop lies at the end of what the codes allow: the whole of it, and
    // the noise that moves a change.
    constexpr double kWhole = 1.3;
    const auto changes = codeChanges(t, y, first, last, step, 4);
    const double interval =
        last > first ? (t[last] - t[first]) / static_cast<double>(last - first) : 1;
    if (changes.empty()) {
        out.value = 0;
        out.uncertainty = kWhole * rectangle(step / std::max(t[last] - t[first], interval));
        return out;
    }
    const std::size_t n = changes.size();
    const CodeChange& newest = changes[n - 1];
    const double since = std::max(t[last] - newest.at_s, 0.5 * interval);
    const double most = std::abs(newest.by) / since;  // it has not moved by another step
    if (n == 1) {
        constexpr double kLongEnough_s = 120;
        if (since < kLongEnough_s) return out;
        out.value = std::copysign(0.5 * most, newest.by);
        out.uncertainty = kWhole * rectangle(0.5 * most);
        return out;
    }
    const auto between = [&](std::size_t k) {
        const double dt = std::max(changes[k].at_s - changes[k - 1].at_s, 0.5 * interval);
        return std::pair(
            changes[k].by / dt,
            std::hypot(rectangle(changes[k].half_s), rectangle(changes[k - 1].half_s)) / dt);
    };
    const auto [slope, timing] = between(n - 1);
    if (std::abs(slope) >= most) {
        // The next step is overdue: it slows down, and may stand still.
        out.value = std::copysign(0.5 * most, slope);
        out.uncertainty = kWhole * std::hypot(rectangle(0.5 * most), 0.5 * most * timing);
        return out;
    }
    double ahead = 0;
    double doubt = 0.5 * std::abs(slope);
    if (n >= 3) {
        const auto [before, unused] = between(n - 2);
        const double apart = 0.5 * (newest.at_s - changes[n - 3].at_s);
        const double reach = t[last] - 0.5 * (newest.at_s + changes[n - 2].at_s);
        ahead = (slope - before) / apart * reach;
        doubt = std::hypot(1.5 * ahead, 0.35 * slope);
    }
    out.value = std::clamp(slope + ahead, -most, most);
    out.uncertainty = std::hypot(rectangle(doubt), out.value * timing);
    return out;
}

/// A cubic through rows [a, b], its top, and the parabola's beside it.
struct Vertex {
    double at_s = kNaN, height_V = kNaN;
    double scatter_s = 0, scatter_V = 0;  ///< standard, of the fit
    double parabola_s = 0, parabola_V = 0;
    double sigma_V = 0;  ///< about the cubic
    double bend_V = 0;   ///< of the parabola, over half the stretch squared
    double half_s = 0;
    double freedom = 0;
    bool good = false;
};

Vertex vertexIn(std::span<const double> tt, std::span<const double> vv, std::size_t a,
                std::size_t b, const ChannelQuality& q) {
    Vertex out;
    const auto n = static_cast<Eigen::Index>(b - a + 1);
    if (n < 6) return out;
    const double half = 0.5 * (tt[b] - tt[a]);
    const double middle = 0.5 * (tt[a] + tt[b]);
    if (!(half > 0)) return out;
    out.half_s = half;
    Eigen::MatrixXd m;
    Eigen::VectorXd y(n);
    const auto fit = [&](Eigen::Index order) -> Eigen::VectorXd {
        m.resize(n, order + 1);
        for (Eigen::Index k = 0; k < n; ++k) {
            const double x = (tt[a + static_cast<std::size_t>(k)] - middle) / half;
            double power = 1;
            for (Eigen::Index p = 0; p <= order; ++p, power *= x) m(k, p) = power;
            y(k) = vv[a + static_cast<std::size_t>(k)];
        }
        return m.colPivHouseholderQr().solve(y);
    };
    const Eigen::VectorXd parabola = fit(2);
    const Eigen::VectorXd cubic = fit(3);
    if (!(parabola(2) < 0)) return out;
    const Eigen::VectorXd residual = y - m * cubic;
    out.freedom = static_cast<double>(std::max<Eigen::Index>(1, n - 4));
    out.sigma_V = std::sqrt(residual.squaredNorm() / out.freedom);
    double follow = 0;
    for (Eigen::Index k = 1; k < n; ++k) follow += residual(k) * residual(k - 1);
    const double rho = residual.squaredNorm() > 0 && n > 10
                           ? std::clamp(follow / residual.squaredNorm(), 0.0, 0.8)
                           : 0;
    const double byParabola = std::clamp(-parabola(1) / (2 * parabola(2)), -1.0, 1.0);
    double x = byParabola;
    // The cubic's own top, where it has one near.
    const double root = cubic(2) * cubic(2) - 3 * cubic(3) * cubic(1);
    if (root > 0) {
        const double vertex = std::abs(cubic(3)) > 1e-12 * std::abs(cubic(2))
                                  ? (-cubic(2) - std::sqrt(root)) / (3 * cubic(3))
                                  : -cubic(1) / (2 * cubic(2));
        if (std::abs(vertex) < 1) x = vertex;
    }
    const double curvature = std::abs(2 * cubic(2) + 6 * cubic(3) * x) / 2;
    out.bend_V = std::max(curvature, 0.3 * std::abs(parabola(2)));
    const double least =
        std::max({out.sigma_V, q.noise, 0.2 * q.resolution}) * std::sqrt((1 + rho) / (1 - rho));
    // The vertex moves by the scatter of the cubic's slope there over its curvature.
    const Eigen::Vector4d toSlope(0, 1, 2 * x, 3 * x * x);
    const Eigen::Vector4d toHeight(1, x, x * x, x * x * x);
    const Eigen::LDLT<Eigen::Matrix4d> normal(Eigen::Matrix4d(m.transpose() * m));
    out.scatter_s = least * std::sqrt(toSlope.dot(normal.solve(toSlope))) / (2 * out.bend_V) * half;
    out.scatter_V = least * std::sqrt(toHeight.dot(normal.solve(toHeight)));
    out.at_s = middle + x * half;
    out.height_V = cubic(0) + x * (cubic(1) + x * (cubic(2) + x * cubic(3)));
    out.parabola_s = middle + byParabola * half;
    out.parabola_V = parabola(0) + byParabola * (parabola(1) + byParabola * parabola(2));
    out.good = std::isfinite(out.at_s) && std::isfinite(out.scatter_s);
    return out;
}

/// The top: a cubic through all rows near it, its vertex and curvature. The same through fewer rows
/// tells how far the shape is in doubt, or where there are too few the parabola.
void fitPeak(const AnalysisInput& in, NickelCharge& c, std::span<const double> tt,
             std::span<const double> vv, const std::vector<double>& smooth, std::size_t at,
             double top, double residual) {
    const ChannelQuality& q = in.recording.voltageQuality();
    const double cells = in.battery.cells();
    const auto stretch = [&](double depth, std::size_t& a, std::size_t& b) {
        a = b = at;
        while (a > 0 && smooth[a - 1] >= top - depth) --a;
        while (b + 1 < smooth.size() && smooth[b + 1] >= top - depth) ++b;
        // As far before the top as behind it, three times at most: a long slow rise says little of
        // the top.
        const std::size_t reach = std::max<std::size_t>(4, 3 * (b - at));
        if (at > reach) a = std::max(a, at - reach);
    };
    std::size_t a = at;
    std::size_t b = at;
    const double depth = std::max({10 * residual, 3e-3 * cells, 2 * q.resolution});
    stretch(depth, a, b);
    c.peak_s = tt[at];
    c.peak_V = top;
    const double interval = std::max(in.recording.usualInterval_s(), 1e-3);
    const double half = std::max(0.5 * (tt[b] - tt[a]), interval);
    c.peakUncertainty_s = rectangle(half);
    const Vertex wide = vertexIn(tt, vv, a, b, q);
    if (!wide.good) return;
    std::size_t a2 = at;
    std::size_t b2 = at;
    stretch(std::max({6 * residual, 0.35 * depth, 1.2 * q.resolution}), a2, b2);
    const Vertex narrow = vertexIn(tt, vv, a2, b2, q);
    double doubt_s = std::abs(wide.at_s - wide.parabola_s) / std::sqrt(12.0);
    double doubt_V = std::abs(wide.height_V - wide.parabola_V) / std::sqrt(3.0);
    Vertex best = wide;
    if (narrow.good && narrow.freedom >= 4) {
        // The narrower one where it is sharper than the two differ.
        const double apart = std::abs(narrow.at_s - wide.at_s);
        if (apart > 2 * narrow.scatter_s) best = narrow;
        doubt_s = std::min(doubt_s, std::max(0.0, apart - narrow.scatter_s));
        doubt_V = std::min(doubt_V, std::abs(narrow.height_V - wide.height_V));
    }
    // Rounding without noise: a top one step high is flat for √(q/2c) on both sides; a fit through
    // several steps is pulled less, by their number.
    double flat = 0;
    if (q.rounding() > 0.2 * quantisation(q.resolution)) {
        const double steps = q.resolution / best.bend_V;
        flat = best.half_s * std::min(std::sqrt(0.5 * steps), 0.6 * std::pow(steps, 1.5));
    }
    c.peak_s = best.at_s;
    c.peak_V = best.height_V;
    c.freedom = best.freedom;
    // A peak rises and falls in ways that no cubic knows: set on cells whose peak comes from an
    // oxygen reaction (tests/coverage/cells.py, Nickel).
    constexpr double kShape = 1.12;
    c.peakUncertainty_s = kShape * quadrature({best.scatter_s, doubt_s, interval / std::sqrt(12.0),
                                               std::min(flat, half) / std::sqrt(3.0)});
    c.peakUncertainty_s = std::min(c.peakUncertainty_s, rectangle(half));
    // Where the curve is not a cubic (a kink), the highest of the smoothed rows is believed, and
    // the cubic is the doubt.
    if (best.sigma_V > 2 * std::max(q.noise, quantisation(q.resolution))) {
        c.peakUncertainty_s = std::hypot(c.peakUncertainty_s, rectangle(c.peak_s - tt[at]));
        c.peak_s = tt[at];
    }
    c.dropUncertainty_V = std::hypot(best.scatter_V, doubt_V);
}

/// The fall from the top to the moment of the stop, read on a line through the last rows.
void fitDrop(const AnalysisInput& in, NickelCharge& c, std::size_t first, std::size_t last) {
    const auto t = in.recording.time_s();
    const auto v = in.recording.voltage_V();
    const ChannelQuality& q = in.recording.voltageQuality();
    const double cells = in.battery.cells();
    Step whole;
    whole.first = first, whole.last = last;
    const StopMoment stop = stopOf(in.recording, whole);
    // Rows behind the peak, at least eight, at most a third of the way back to it.
    std::size_t from = stop.last >= first + 7 ? stop.last - 7 : first;
    const double third = t[stop.last] - (t[stop.last] - c.peak_s) / 3;
    while (from > first && t[from - 1] > third) --from;
    const double least = std::max(q.noise, 0.2 * q.resolution);
    const ReadAt end = readAt(t, v, from, stop.last, stop.at_s, 1, least);
    if (!std::isfinite(end.value)) return;
    // The fall grows ever faster until heat carries it: what a parabola would say is doubt.
    const ReadAt bent = readAt(t, v, from, stop.last, stop.at_s, 2, least);
    const double doubt = std::isfinite(bent.value)
                             ? std::max(0.0, std::abs(bent.value - end.value) - bent.uncertainty)
                             : std::abs(end.slope) * stop.halfWidth_s;
    c.drop_V = (c.peak_V - end.value) / cells;
    const double vertex = std::isfinite(c.dropUncertainty_V)
                              ? c.dropUncertainty_V
                              : std::max(q.sigma(), quantisation(q.resolution));
    c.freedom = std::min(c.freedom, end.freedom);
    c.dropUncertainty_V =
        quadrature({vertex, end.uncertainty, rectangle(end.slope * stop.halfWidth_s), doubt,
                    std::sqrt(2.0) * q.rounding(),
                    rectangle(in.accuracy.voltageGain * c.drop_V * cells)}) /
        cells;
}

NickelCharge study(const AnalysisInput& in, int step, std::size_t first, std::size_t last) {
    NickelCharge c;
    c.step = step;
    c.first = first;
    c.last = last;
    const auto t = in.recording.time_s();
    const auto v = in.recording.voltage_V();
    const double cells = in.battery.cells();
    const std::span<const double> tt = t.subspan(first, last - first + 1);
    const std::span<const double> vv = v.subspan(first, last - first + 1);
    // Wide enough that noise stays well under one millivolt a cell, at most one minute.
    const ChannelQuality& q = in.recording.voltageQuality();
    const double target = 0.1e-3 * cells;
    const double interval = std::max(in.recording.usualInterval_s(), 1e-3);
    const double count = std::pow(std::max(q.sigma(), 1e-9) / target, 2);
    const double window = std::clamp(count * interval, q.noise > 0 ? 3 * interval : 0.0, 60.0);
    std::vector<double> smooth =
        window > interval ? centredMean(tt, vv, window) : std::vector<double>(vv.begin(), vv.end());
    const double residual = q.sigma() / std::sqrt(std::max(1.0, window / interval));
    // A ramp across coarse steps looks like noise of half a step: there two steps down are a fall,
    // whatever it says.
    const bool coarse = q.noise < q.resolution;
    const double needed = std::max(1e-3 * cells, coarse ? 1.6 * q.resolution : 8 * residual);

    c.needed_V = needed / cells;
    const std::size_t n = smooth.size();
    double top = -1e300;
    std::size_t at = 0;
    for (std::size_t k = 0; k < n; ++k) {
        if (tt[k] - tt[0] < kHoldOff_s) continue;
        // A dip that the voltage climbs out of again was none.
        if (c.peaked && smooth[k] > top + needed) c.peaked = false;
        if (c.peaked) continue;
        if (smooth[k] > top) top = smooth[k], at = k;
        c.peaked = top - smooth[k] >= needed;
    }
    if (c.peaked) {
        fitPeak(in, c, tt, vv, smooth, at, top, residual);
        c.afterPeak_Ah = integrate(in.recording, in.recording.nearest(c.peak_s), last).charge_Ah;
        fitDrop(in, c, first, last);
        // A fall that had gone again at the stop was a dip of the charge and no peak.
        if (c.drop_V * cells < 0.5 * needed) {
            c.peaked = false;
            c.afterPeak_Ah = 0;
        }
    }
    // A false early peak: a maximum within the hold-off from which the voltage fell, only to rise
    // later.
    double early = -1e300;
    std::size_t earlyAt = 0;
    for (std::size_t k = 0; k < n && tt[k] - tt[0] < kHoldOff_s; ++k) {
        if (smooth[k] > early) early = smooth[k], earlyAt = k;
        if (early - smooth[k] >= needed) {
            c.falseEarly_s = tt[earlyAt];
            break;
        }
    }
    c.dVdt_V_s = slopeBefore(t, v, first, last, 120) / cells;
    if (in.recording.hasTemperature()) {
        const auto temp = in.recording.temperature_C();
        const ChannelQuality& qt = in.recording.temperatureQuality();
        // A display of whole or half degrees says little in two minutes, and all at its changes.
        constexpr double kCoarse_K = 0.2;
        if (qt.resolution >= kCoarse_K && qt.noise < 0.5 * qt.resolution) {
            const EndSlope slope = slopeOfCodes(t, temp, first, last, qt.resolution);
            c.dTdt_C_min = 60 * slope.value;
            c.dTdtUncertainty_C_min = 60 * slope.uncertainty;
        } else {
            c.dTdt_C_min = 60 * slopeBefore(t, temp, first, last, 120);
        }
        c.rise_C = temp[last] - temp[first];
    }
    const Integral sum = integrate(in.recording, first, last);
    c.charge_Ah = sum.charge_Ah;
    if (in.battery.capacity_Ah() > 0 && sum.duration_s > 0)
        c.rate_C = sum.charge_Ah * 3600 / sum.duration_s / in.battery.capacity_Ah();
    return c;
}

std::vector<NickelCharge> findNickelCharges(const AnalysisInput& in) {
    std::vector<NickelCharge> out;
    const Chemistry* c = in.chemistry();
    if (c == nullptr || !c->nickel()) return out;
    const auto& list = in.steps.list;
    for (std::size_t k = 0; k < list.size(); ++k) {
        if (!list[k].isCharge() || list[k].kind == StepKind::Pulse ||
            list[k].end_s - list[k].start_s < 120)
            continue;
        out.push_back(study(in, static_cast<int>(k), list[k].first, list[k].last));
    }
    return out;
}

Reading start(const AnalysisInput& in, const NickelCharge& c, const char* name, const char* unit,
              const char* method) {
    Reading r;
    r.name = name;
    r.unit = unit;
    r.method = method;
    const auto t = in.recording.time_s();
    r.evidence = {t[c.first], t[c.last], c.step};
    return r;
}

std::string noPeakReason(const NickelCharge& c) {
    constexpr double kPlain_V = 1.01e-3;
    std::string text =
        c.needed_V > kPlain_V
            ? phrase(
                  "No peak that this log can tell: a fall of less than {:.3g} mV a cell does not "
                  "stand out of its steps and its noise.",
                  1e3 * c.needed_V)
            : phrase("No peak: the voltage never fell by 1 mV a cell after the first ten minutes.");
    if (c.rate_C < 0.3)
        text += phrase(
            " Under about 0.3C there often is none; a temperature rule or a timer is the honest "
            "choice.");
    return text;
}

}  // namespace

const std::vector<NickelCharge>& nickelCharges(const AnalysisInput& in) {
    return in.memo->remember<std::vector<NickelCharge>>("nickel charges",
                                                        [&] { return findNickelCharges(in); });
}

void computePeakTime(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const NickelCharge& c : nickelCharges(in)) {
        Reading r = start(in, c, "peak_time", "s", "cubic_vertex");
        if (c.peaked) {
            r.value = c.peak_s;
            r.uncertainty = c.peakUncertainty_s;
            r.coverage = coverageFactor(r.uncertainty, 0, 0.7 * r.uncertainty, c.freedom);
            r.evidence.from_s = std::max(r.evidence.from_s, c.peak_s - 300);
        } else {
            r.caveats.push_back(noPeakReason(c));
        }
        out.push_back(std::move(r));
    }
}

void computePeakDrop(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const NickelCharge& c : nickelCharges(in)) {
        Reading r = start(in, c, "peak_drop_per_cell", "V", "cubic_vertex_minus_line");
        if (c.peaked) {
            r.value = c.drop_V;
            r.uncertainty = std::max(c.dropUncertainty_V, 1e-6);
            r.coverage = coverageFactor(r.uncertainty, 0, 0.7 * r.uncertainty, c.freedom);
            r.evidence.from_s = c.peak_s;
        } else {
            r.caveats.push_back(noPeakReason(c));
        }
        out.push_back(std::move(r));
    }
}

void computeEndDtdt(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const NickelCharge& c : nickelCharges(in)) {
        Reading r = start(in, c, "end_dtdt", "C/min", "regression_120s");
        r.evidence.from_s = std::max(r.evidence.from_s, r.evidence.to_s - 120);
        if (std::isfinite(c.dTdt_C_min)) {
            r.value = c.dTdt_C_min;
            if (std::isfinite(c.dTdtUncertainty_C_min)) {
                r.method = "code_changes";
                r.uncertainty = c.dTdtUncertainty_C_min;
                r.coverage = coverageFactor(r.uncertainty, r.uncertainty);
                r.caveats.push_back(
                    phrase("The temperature is logged in steps of {:.3g} K: read from the moments "
                           "at which it changed.",
                           in.recording.temperatureQuality().resolution));
                out.push_back(std::move(r));
                continue;
            }
            // Slope of a straight line through n points over 120 s: σ·√12/(T·√n).
            const ChannelQuality& q = in.recording.temperatureQuality();
            const double n = std::max(3.0, 120 / std::max(in.recording.usualInterval_s(), 1e-3));
            const double sigma =
                std::max(q.ofMean(n), q.noise >= 0.3 * q.resolution ? 0.0 : q.resolution / 3);
            r.uncertainty = 60 * sigma * std::sqrt(12.0) / 120;
        } else {
            r.caveats.push_back(
                in.recording.hasTemperature()
                    ? phrase(
                          "Not measurable from this log: its temperature is too coarse to tell a "
                          "slope. Log it in tenths of a degree.")
                    : phrase("Not measurable: the log has no temperature."));
        }
        out.push_back(std::move(r));
    }
}

}  // namespace nk
