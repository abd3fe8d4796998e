#include "resistance_findings.h"

#include <fmt/format.h>

#include <cmath>

#include "analysis/resistance/current_step.h"
#include "analysis/resistance/standard.h"
#include "quantity/format.h"

namespace nk {

void checkWhichResistance(const AnalysisInput& in, std::vector<Finding>& out) {
    const auto standard = twoLevelResistances(in);
    const auto& steps = stepResistances(in);
    const StepResistance* best = mostComparable(steps);
    if (best == nullptr && standard.empty()) return;
    Finding f;
    f.severity = Severity::Note;
    f.code = "which_resistance";
    const bool nickel = in.chemistry() != nullptr && in.chemistry()->nickel();
    const char* name = nickel ? "IEC 61951-2" : "IEC 61960-3";
    if (!standard.empty()) {
        f.text = phrase("To compare with a data sheet, quote {} by {}.",
                        shortValue(standard.front().resistance_ohm, "ohm"), name);
        f.evidence = {standard.front().from_s, standard.front().to_s, standard.front().step};
    } else if (best != nullptr) {
        f.text = phrase("Quote {} at {}, and say so: it is not the standard's number.",
                        shortValue(best->resistance_ohm, "ohm"),
                        best->nominalDelay_s > 0 ? durationText(best->delay_s)
                                                 : std::string(phrase("the first sample")));
        const Step& s = in.steps.list[static_cast<std::size_t>(best->step)];
        f.evidence = {s.start_s, s.end_s, best->step};
    }
    f.advice = phrase(
        "A 1 kHz meter reads less, a longer delay reads more; they are different things. To follow "
        "ageing, always take the same delay, charge and temperature.{}",
        standard.empty() ? phrase(" For ") + name +
                               (nickel ? phrase(" log its two levels, 10 s and 3 s.")
                                       : phrase(" log 10 s at {:.1f}C, then 1 s at 1C.", 0.2))
                         : "");
    out.push_back(std::move(f));
}

void checkHighResistance(const AnalysisInput& in, std::vector<Finding>& out) {
    // The sag that 1C makes within ten seconds, over the nominal voltage: over 10 % for lithium and
    // 15 % for nickel is high for any cell that is warm and half charged (common practice, no
    // source).
    const Chemistry* c = in.chemistry();
    const double rated = in.battery.capacity_Ah();
    if (c == nullptr || rated <= 0) return;
    const double limit = c->nickel() ? 0.15 : 0.10;
    const StepResistance* worst = nullptr;
    const auto& steps = stepResistances(in);
    for (const StepResistance& s : steps) {
        if (!std::isfinite(s.resistance_ohm) || s.nominalDelay_s > 10) continue;
        if (std::isfinite(s.soc) && s.soc < 0.2) continue;  // near empty all are high
        if (std::isfinite(s.temperature_C) && s.temperature_C < 10) continue;
        // The steep head of a full cell's curve is no resistance.
        if (c->steepHead() && std::isfinite(s.soc) && s.soc > 0.93) continue;
        if (worst == nullptr || s.resistance_ohm > worst->resistance_ohm) worst = &s;
    }
    if (worst == nullptr) return;
    // The lower end of its interval must be high, or noise would make a battery worn.
    const double sure = worst->resistance_ohm - worst->coverage * worst->uncertainty_ohm;
    if (sure * rated / in.battery.cells() / c->nominal_V <= limit) return;
    const double share = worst->resistance_ohm * rated / in.battery.cells() / c->nominal_V;
    if (share <= limit) return;
    const Step& s = in.steps.list[static_cast<std::size_t>(worst->step)];
    out.push_back(
        {Severity::Verdict,
         "high_resistance",
         share < 0.6 ? phrase("High resistance: {}; 1C alone takes {:.0f} % off the voltage.",
                              shortValue(worst->resistance_ohm, "ohm"), 100 * share)
                     : phrase("High resistance: {}; it cannot give 1C at all.",
                              shortValue(worst->resistance_ohm, "ohm")),
         phrase("Check contacts and leads first. If it stays, the battery is worn: use it for "
                "light loads only."),
         {s.start_s, s.end_s, worst->step}});
}

}  // namespace nk
