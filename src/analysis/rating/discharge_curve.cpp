#include "discharge_curve.h"

#include <algorithm>
#include <cmath>

#include "analysis/capacity/event.h"
#include "analysis/resistance/current_step.h"
#include "quantity/two_threads.h"

namespace nk {

double DischargeCurve::voltageAt(double q) const {
    if (charge_Ah.size() < 2 || q < charge_Ah.front() || q > charge_Ah.back()) return kNaN;
    const auto at = std::lower_bound(charge_Ah.begin(), charge_Ah.end(), q);
    const auto k = static_cast<std::size_t>(at - charge_Ah.begin());
    if (k == 0) return voltage_V.front();
    const double f = (q - charge_Ah[k - 1]) / std::max(charge_Ah[k] - charge_Ah[k - 1], 1e-12);
    return voltage_V[k - 1] + f * (voltage_V[k] - voltage_V[k - 1]);
}

namespace {

constexpr std::size_t kPoints = 400;

/// From how many discharges on a second thread is worth its start.
constexpr std::size_t kManyEvents = 16;

/// The longest-delay resistance, up to 30 s, of a step into this discharge or one near it.
void attachResistance(const AnalysisInput& in, const Event& e, DischargeCurve& c) {
    const auto& steps = stepResistances(in);
    for (auto it =
             std::partition_point(steps.begin(), steps.end(),
                                  [&](const StepResistance& s) { return s.at_s < e.from_s - 5; });
         it != steps.end() && it->at_s <= e.to_s; ++it) {
        const StepResistance& s = *it;
        if (!std::isfinite(s.resistance_ohm)) continue;
        const bool better = std::isnan(c.resistance_ohm) || s.delay_s > c.resistanceDelay_s;
        if (better) c.resistance_ohm = s.resistance_ohm, c.resistanceDelay_s = s.delay_s;
    }
    if (std::isfinite(c.resistance_ohm)) return;
    using Longest = std::pair<double, double>;  // resistance, delay
    const auto& any = in.memo->remember<Longest>("longest resistance", [&] {
        Longest best{kNaN, kNaN};
        for (const StepResistance& s : steps)
            if (std::isfinite(s.resistance_ohm) &&
                (std::isnan(best.first) || s.delay_s > best.second))
                best = {s.resistance_ohm, s.delay_s};
        return best;
    });
    c.resistance_ohm = any.first, c.resistanceDelay_s = any.second;
}

}  // namespace

std::vector<DischargeCurve> dischargeCurves(const AnalysisInput& in) {
    std::vector<DischargeCurve> out;
    const std::vector<Event>& events = dischargeEvents(in);
    // What all of them look at is made before two threads ask for it.
    const auto& running = runningCharge_Ah(in);
    stepResistances(in);
    const auto t = in.recording.time_s();
    const auto v = in.recording.voltage_V();
    const auto i = in.recording.current_A();
    const auto temp = in.recording.temperature_C();
    collectInTwo(events.size(), kManyEvents, out, [&](std::size_t at, auto& list) {
        const Event& e = events[at];
        if (e.last <= e.first + 4) return;
        const Step& main = in.steps.list[static_cast<std::size_t>(e.mainStep())];
        if (main.kind != StepKind::CcDischarge) return;
        const double total = -e.sum.charge_Ah;
        if (total <= 0 || -main.sum.charge_Ah < 0.8 * total) return;
        if (in.battery.capacity_Ah() > 0 && total < 0.05 * in.battery.capacity_Ah()) return;
        DischargeCurve c;
        c.delivered_Ah = total;
        c.mean_A = std::abs(main.meanCurrent_A);
        c.duration_s = e.to_s - e.from_s;
        c.startedFull = e.fullAtStart == Known::Yes;
        c.startUnknown = e.fullAtStart == Known::Unknown;
        c.reachedFloor = e.reachedFloor == Known::Yes;
        c.step = e.mainStep();
        const std::size_t n = e.last - e.first + 1;
        const std::size_t bin = std::max<std::size_t>(1, n / kPoints);
        for (auto* column : {&c.charge_Ah, &c.voltage_V, &c.current_A, &c.time_s})
            column->reserve(n / bin + 1);
        // Means over each bin: noise falls, and charge is the mean of the same samples.
        for (std::size_t k = e.first; k <= e.last; k += bin) {
            const std::size_t last = std::min(k + bin - 1, e.last);
            double q = 0, vv = 0, ii = 0, tt = 0, m = 0;
            for (std::size_t s = k; s <= last; ++s) {
                if (i[s] >= -in.steps.restThreshold_A) continue;
                q += running[e.first] - running[s], vv += v[s], ii -= i[s], tt += t[s] - t[e.first];
                ++m;
            }
            if (m < 1 || ii / m < 0.5 * c.mean_A) continue;
            if (!c.charge_Ah.empty() && q / m <= c.charge_Ah.back()) continue;
            c.charge_Ah.push_back(q / m);
            c.voltage_V.push_back(vv / m);
            c.current_A.push_back(ii / m);
            c.time_s.push_back(tt / m);
        }
        if (c.charge_Ah.size() < 5) return;
        const ChannelQuality& quality = in.recording.voltageQuality();
        c.sigma_V = quadrature({quality.sigma() / std::sqrt(static_cast<double>(bin)),
                                rectangle(in.accuracy.voltageOffsetSteps * quality.resolution)});
        if (!temp.empty()) {
            c.startTemperature_C = temp[e.first];
            c.endTemperature_C = temp[e.last];
            for (std::size_t k = e.first; k <= e.last; ++k)
                if (!(temp[k] <= c.maxTemperature_C)) c.maxTemperature_C = temp[k];
        }
        attachResistance(in, e, c);
        // The charge that flows during the delay moves the open-circuit voltage: no resistance.
        if (std::isfinite(c.resistance_ohm)) {
            const double a = c.voltageAt(0.05 * total);
            const double b = c.voltageAt(0.20 * total);
            if (a > b)
                c.resistance_ohm = std::max(
                    0.3 * c.resistance_ohm,
                    c.resistance_ohm - (a - b) / (0.15 * total) * c.resistanceDelay_s / 3600);
        }
        list.push_back(std::move(c));
    });
    return out;
}

HeatTrace heatTrace(const AnalysisInput& in) {
    HeatTrace out;
    const auto t = in.recording.time_s();
    const auto i = in.recording.current_A();
    const auto temp = in.recording.temperature_C();
    if (temp.empty() || t.size() < 10) return out;
    out.ambient_C = in.battery.hasAmbient() ? in.battery.ambient_C : kNaN;
    const std::size_t bin = std::max<std::size_t>(1, t.size() / 2000);
    for (std::size_t k = 0; k + bin <= t.size(); k += bin) {
        double squares = 0;
        double sum = 0;
        double n = 0;
        for (std::size_t s = k; s < k + bin; ++s) {
            squares += i[s] * i[s] / static_cast<double>(bin);
            if (std::isfinite(temp[s])) sum += temp[s], ++n;
        }
        if (n < 1) continue;
        out.time_s.push_back(0.5 * (t[k] + t[k + bin - 1]));
        out.temperature_C.push_back(sum / n);
        out.current_A.push_back(std::sqrt(squares));
    }
    return out;
}

}  // namespace nk
