#include "nickel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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
    const double needed = std::max(
        {1e-3 * cells, 8 * residual, q.noise < 0.5 * q.resolution ? 0.6 * q.resolution : 0.0});

    const std::size_t n = smooth.size();
    double top = -1e300;
    std::size_t at = 0;
    for (std::size_t k = 0; k < n; ++k) {
        if (tt[k] - tt[0] < kHoldOff_s) continue;
        if (smooth[k] > top) top = smooth[k], at = k;
        if (top - smooth[k] >= needed) {
            c.peaked = true;
            break;
        }
    }
    if (c.peaked) {
        // The middle of the flat top, as far as the noise can tell.
        std::size_t a = at;
        std::size_t b = at;
        const double flat =
            std::max(residual, q.noise < 0.5 * q.resolution ? 0.1 * q.resolution : 0.0);
        while (a > 0 && tt[a - 1] - tt[0] >= kHoldOff_s && smooth[a - 1] >= top - flat) --a;
        while (b + 1 < n && smooth[b + 1] >= top - flat) ++b;
        c.peak_s = 0.5 * (tt[a] + tt[b]);
        if (residual < 1e-6) c.peak_s = tt[at];
        c.peakUncertainty_s = std::hypot(rectangle((tt[b] - tt[a]) / 2), quantisation(interval));
        c.peak_V = top;
        c.afterPeak_Ah = integrate(in.recording, in.recording.nearest(c.peak_s), last).charge_Ah;
        double end = 0;
        std::size_t m = 0;
        for (std::size_t k = n; k-- > 0 && tt[n - 1] - tt[k] <= std::max(window / 2, 2 * interval);
             ++m)
            end += vv[k];
        c.drop_V = (top - end / static_cast<double>(std::max<std::size_t>(m, 1))) / cells;
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
        c.dTdt_C_min = 60 * slopeBefore(t, in.recording.temperature_C(), first, last, 120);
        const auto temp = in.recording.temperature_C();
        c.rise_C = temp[last] - temp[first];
    }
    const Integral sum = integrate(in.recording, first, last);
    c.charge_Ah = sum.charge_Ah;
    if (in.battery.rated_Ah > 0 && sum.duration_s > 0)
        c.rate_C = sum.charge_Ah * 3600 / sum.duration_s / in.battery.rated_Ah;
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
    std::string text =
        phrase("No peak: the voltage never fell by 1 mV a cell after the first ten minutes.");
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
        Reading r = start(in, c, "peak_time", "s", "smoothed_maximum");
        if (c.peaked) {
            r.value = c.peak_s;
            r.uncertainty = c.peakUncertainty_s;
            r.evidence.from_s = std::max(r.evidence.from_s, c.peak_s - 300);
        } else {
            r.caveats.push_back(noPeakReason(c));
        }
        out.push_back(std::move(r));
    }
}

void computePeakDrop(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const NickelCharge& c : nickelCharges(in)) {
        Reading r = start(in, c, "peak_drop_per_cell", "V", "smoothed_maximum_minus_end");
        if (c.peaked) {
            r.value = c.drop_V;
            const ChannelQuality& q = in.recording.voltageQuality();
            r.uncertainty =
                std::max(q.sigma() / 3, quantisation(q.resolution)) / in.battery.cells();
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
            // Slope of a straight line through n points over 120 s: σ·√12/(T·√n).
            const ChannelQuality& q = in.recording.temperatureQuality();
            const double n = std::max(3.0, 120 / std::max(in.recording.usualInterval_s(), 1e-3));
            const double sigma =
                q.noise >= 0.5 * q.resolution ? q.sigma() / std::sqrt(n) : q.resolution / 3;
            r.uncertainty = 60 * sigma * std::sqrt(12.0) / 120;
        } else {
            r.caveats.push_back(phrase("Not measurable: the log has no temperature."));
        }
        out.push_back(std::move(r));
    }
}

}  // namespace nk
