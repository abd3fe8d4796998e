// What this log cannot tell, and what to log next time: resolution, sampling, a channel that stands
// still.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/log/log_quality.h"
#include "analysis/resistance/current_step.h"
#include "quantity/format.h"

namespace nk {

namespace {

Evidence whole(const AnalysisInput& in) {
    const auto t = in.recording.time_s();
    return {t.front(), t.back(), -1};
}

}  // namespace

void checkCoarse(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* c = in.chemistry();
    const ChannelQuality& q = in.recording.voltageQuality();
    if (c == nullptr || in.recording.empty()) return;
    const bool charges = std::any_of(in.steps.list.begin(), in.steps.list.end(),
                                     [](const Step& s) { return s.isCharge(); });
    const double perCell = q.resolution / in.battery.cells();
    const bool dithered = q.noise >= 0.5 * q.resolution;
    if (c->nickel() && charges && perCell > 2e-3 && !dithered)
        out.push_back({Severity::Note, "coarse_log",
                       phrase("The voltage is logged in steps of {}; a nickel peak of a few "
                              "millivolts a cell can hide in that.",
                              shortValue(q.resolution, "V")),
                       phrase("Log the voltage to {} or better next time.",
                              shortValue(1e-3 * in.battery.cells(), "V")),
                       whole(in)});
    const ChannelQuality& qi = in.recording.currentQuality();
    if (in.battery.capacity_Ah() > 0 && qi.resolution > 0.02 * in.battery.capacity_Ah() &&
        qi.noise < 0.5 * qi.resolution)
        out.push_back({Severity::Note, "coarse_log",
                       phrase("The current is logged in steps of {}: too coarse to see a taper "
                              "to C/20.",
                              shortValue(qi.resolution, "A")),
                       phrase("Log it to {} or better next time.",
                              shortValue(0.005 * in.battery.capacity_Ah(), "A")),
                       whole(in)});
}

void checkSlow(const AnalysisInput& in, std::vector<Finding>& out) {
    const double interval = in.recording.usualInterval_s();
    if (interval < 15 || in.recording.size() < 10) return;
    const bool steps = std::any_of(in.steps.list.begin(), in.steps.list.end(),
                                   [](const Step& s) { return s.isActive(); });
    if (!steps) return;
    // A logger that hurries at the edges may tell it all the same.
    const bool quick = std::ranges::any_of(stepResistances(in), [](const StepResistance& s) {
        return std::isfinite(s.resistance_ohm) && s.nominalDelay_s > 0 && s.nominalDelay_s <= 10;
    });
    out.push_back(
        {Severity::Note, "slow_log",
         quick ? phrase("One sample every {} as a rule: knee and peak are only known to that time.",
                        durationText(interval))
               : phrase("One sample every {}: resistance after 1 or 10 s cannot be told, and "
                        "knee and peak are only known to that time.",
                        durationText(interval)),
         phrase("Log every second when you want resistance; every 10 s is enough for capacity."),
         whole(in)});
}

void checkFrozen(const AnalysisInput& in, std::vector<Finding>& out) {
    // Under a steady load the voltage moves. A run of equal samples in which it should have moved
    // by six steps of its resolution, at the step's own mean slope, is no battery: where the log
    // flickers anyway, or where it catches up in one go afterwards. A flat curve in coarse steps
    // does neither.
    const auto t = in.recording.time_s();
    const auto v = in.recording.voltage_V();
    const double step = std::max(in.recording.voltageQuality().resolution, 1e-6);
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (!s.isDischarge() || s.last < s.first + 100) continue;
        const double slope =
            std::abs(v[s.last] - v[s.first]) / std::max(t[s.last] - t[s.first], 1e-9);
        std::size_t from = s.first;
        for (std::size_t n = s.first + 1; n <= s.last + 1; ++n) {
            if (n <= s.last && v[n] == v[from]) continue;
            const double length = t[n - 1] - t[from];
            const bool flickers = in.recording.voltageQuality().noise > 0.3 * step;
            const bool catchesUp = n <= s.last && std::abs(v[n] - v[from]) > 3.5 * step &&
                                   std::abs(v[n] - v[from]) > 0.3 * slope * length;
            if (n - from > 100 && length > 300 && slope * length > 6 * step &&
                (flickers || catchesUp)) {
                out.push_back(
                    {Severity::Verdict,
                     "frozen_channel",
                     phrase("The voltage stands still at {} for {} under load: the "
                            "channel was frozen.",
                            shortValue(v[from], "V"), durationText(length)),
                     phrase("Charge still counts; energy and voltages of this stretch do not. "
                            "Check the logger's lead and log again."),
                     {t[from], t[n - 1], static_cast<int>(k)}});
                break;
            }
            from = n;
        }
    }
}

}  // namespace nk
