#include "ended_by.h"

#include <algorithm>
#include <cmath>

namespace nk {

namespace {

/// A round running time (whole hours, or whole tens of minutes from half an hour on) suggests a
/// timer.
bool roundTime(double duration_s, double interval_s) {
    const double tolerance = std::max(2.0, 1.5 * interval_s);
    for (const double unit : {3600.0, 1800.0, 600.0}) {
        if (duration_s < (unit == 600.0 ? 1700.0 : unit * 0.9)) continue;
        const double miss = std::abs(duration_s - unit * std::round(duration_s / unit));
        if (miss <= tolerance) return true;
    }
    return false;
}

/// Mean over a window about a sample, to judge peaks without noise.
double meanAround(std::span<const double> t, std::span<const double> x, std::size_t first,
                  std::size_t last, std::size_t k, double half_s) {
    double sum = 0;
    double count = 0;
    for (std::size_t n = k + 1; n-- > first && t[k] - t[n] <= half_s;) sum += x[n], ++count;
    for (std::size_t n = k + 1; n <= last && t[n] - t[k] <= half_s; ++n) sum += x[n], ++count;
    return sum / count;
}

EndedBy nickelChargeEnd(const Recording& r, const Battery& battery, const Step& s) {
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const double cells = battery.cells();
    const std::size_t stride = std::max<std::size_t>(1, (s.last - s.first) / 600);
    double top = -1e300;
    double topAt = 0;
    for (std::size_t k = s.first; k <= s.last; k += stride) {
        if (t[k] - t[s.first] < 600 && t[s.last] - t[s.first] > 1800) continue;
        const double m = meanAround(t, v, s.first, s.last, k, 15);
        if (m > top) top = m, topAt = t[k];
    }
    const double end = meanAround(t, v, s.first, s.last, s.last, 10);
    const double drop = (top - end) / cells;
    const double noise = r.voltageQuality().sigma() / cells;
    // A rule on the fall stops within minutes of it: who stops hours behind the peak, or to the
    // second of a round time long after it, is a clock or a hand.
    const double behind_s = t[s.last] - topAt;
    constexpr double kRuleActs_s = 2400;
    const bool clock = roundTime(t[s.last] - t[s.first], r.usualInterval_s());
    if (behind_s > kRuleActs_s && drop > 0) return clock ? EndedBy::Timer : EndedBy::Unknown;
    if (drop > std::max(0.0015, 3 * noise)) return EndedBy::NegativeDeltaV;
    if (clock) return EndedBy::Timer;
    if (r.hasTemperature()) {
        const auto temp = r.temperature_C();
        if (temp[s.last] >= 44.5 || temp[s.last] - temp[s.first] > 15) return EndedBy::Temperature;
    }
    if (t[s.last] - topAt >= 285 && drop > -noise) return EndedBy::ZeroDeltaV;
    const double ratio =
        battery.capacity_Ah() > 0 ? std::abs(s.sum.charge_Ah) / battery.capacity_Ah() : 0;
    if (ratio > 0.5 && std::abs(ratio * 10 - std::round(ratio * 10)) < 0.03)
        return EndedBy::ChargeLimit;
    return EndedBy::Unknown;
}

EndedBy dischargeEnd(const Recording& r, const Battery& battery, const Step& s) {
    const auto t = r.time_s();
    const auto v = r.voltage_V();
    const double cells = battery.cells();
    const Chemistry* c = battery.chemistryData();
    const double end = v[s.last] / cells;
    double low = 1e300;
    for (const auto& cell : r.cells_V()) low = std::min(low, cell[s.last]);
    if (c != nullptr && r.cells_V().size() > 1 && low <= c->dischargeFloor_V + 0.03 &&
        end > low + 0.08)
        return EndedBy::CellVoltageFloor;
    // At a floor the voltage is on its way down: steeper at the end than on the whole.
    const double whole = std::max(t[s.last] - t[s.first], 1e-9);
    const std::size_t back =
        std::max(s.first, std::min(s.last, r.lowerBound(t[s.last] - 0.05 * whole)));
    const double lastSlope =
        back < s.last ? (v[back] - v[s.last]) / std::max(t[s.last] - t[back], 1e-9) : 0;
    const double meanSlope = (v[s.first] - v[s.last]) / whole;
    const double floor = c != nullptr ? c->dischargeFloor_V : 0;
    if (c != nullptr && end <= floor + 0.025) return EndedBy::VoltageFloor;
    // Higher floors are set in round figures; beside one only a curve that has truly bent counts.
    const bool round = std::abs(end / 0.05 - std::round(end / 0.05)) < 0.2;
    if (c != nullptr && end < floor + (c->nickel() ? 0.12 : 0.5) &&
        lastSlope > (round ? 1.5 : 3) * meanSlope)
        return EndedBy::VoltageFloor;
    if (c == nullptr && lastSlope > 3 * meanSlope) return EndedBy::VoltageFloor;
    if (roundTime(whole, r.usualInterval_s())) return EndedBy::Timer;
    return EndedBy::Unknown;
}

EndedBy endOf(const Recording& r, const Battery& battery, const Step& s, const Step* next) {
    const Chemistry* c = battery.chemistryData();
    const bool last = next == nullptr;
    if (!s.isActive()) return last ? EndedBy::EndOfLog : EndedBy::Unknown;
    if (next != nullptr && next->kind == StepKind::CvCharge && s.isCharge())
        return EndedBy::VoltageLimit;
    if (next != nullptr && next->powerLimited && s.isCharge() && !s.powerLimited)
        return EndedBy::PowerLimit;
    if (s.kind == StepKind::CvCharge) {
        if (last) return EndedBy::EndOfLog;
        return s.endCurrent_A < 0.5 * r.current_A()[s.first] ? EndedBy::Taper : EndedBy::Manual;
    }
    if (s.kind == StepKind::Pulse) return last ? EndedBy::EndOfLog : EndedBy::Unknown;
    if (s.isCharge()) {
        if (last) return EndedBy::EndOfLog;
        if (c != nullptr && c->nickel()) return nickelChargeEnd(r, battery, s);
        if (c != nullptr && s.endVoltage_V / battery.cells() > c->set_V - 0.03)
            return EndedBy::VoltageLimit;
        return roundTime(s.end_s - s.start_s, r.usualInterval_s()) ? EndedBy::Timer
                                                                   : EndedBy::Unknown;
    }
    const EndedBy reason = dischargeEnd(r, battery, s);
    if (s.cutOut && !last) return EndedBy::VoltageFloor;
    // Loggers often stop with the load: at the end of the log only a reached floor counts.
    if (last && reason != EndedBy::VoltageFloor && reason != EndedBy::CellVoltageFloor)
        return EndedBy::EndOfLog;
    return reason;
}

}  // namespace

void findEndings(const Recording& recording, const Battery& battery, std::vector<Step>& steps) {
    for (std::size_t k = 0; k < steps.size(); ++k)
        steps[k].endedBy =
            endOf(recording, battery, steps[k], k + 1 < steps.size() ? &steps[k + 1] : nullptr);
}

}  // namespace nk
