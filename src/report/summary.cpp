#include "summary.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

int analysisVersion() {
    int sum = 1;  // of the summary itself
    for (const Metric& m : metrics()) sum = sum * 31 % 1000003 + m.version;
    return sum;
}

namespace {

/// The resistance the shelf shows: the one that the finding says to quote, else one under a varying
/// load.
const Reading* quotedResistance(const Analysis& a) {
    const auto quote = std::ranges::find(a.findings, "which_resistance", &Finding::code);
    const auto at = [&](const char* kind) -> const Reading* {
        for (const Reading& r : a.readings)
            if (r.name == kind && r.measurable() &&
                (quote == a.findings.end() || r.evidence.step == quote->evidence.step))
                return &r;
        return nullptr;
    };
    for (const char* kind :
         {"resistance_iec61960", "resistance_iec61951", "resistance_10s", "resistance_1s",
          "resistance_ohmic", "resistance_30s", "resistance_load"})
        if (const Reading* r = at(kind)) return r;
    return nullptr;
}

}  // namespace

RecordingSummary summarise(const Analysis& a) {
    RecordingSummary s;
    s.version = analysisVersion();
    s.hazard = a.hasHazard();
    if (const Reading* r = quotedResistance(a)) {
        s.resistance_ohm = r->value;
        s.resistanceMethod = r->name;
    }
    // The largest delivered capacity of the log is the one that counts.
    const Reading* best = nullptr;
    for (const Reading& r : a.readings)
        if (r.name == "delivered_capacity" && r.measurable() &&
            (best == nullptr || r.value > best->value))
            best = &r;
    if (best != nullptr) {
        s.capacity_Ah = best->value;
        for (const Reading& r : a.readings)
            if (r.name == "health_capacity" && r.evidence.step == best->evidence.step)
                s.health_percent = r.value;
        const Step& step = a.steps.list[static_cast<std::size_t>(best->evidence.step)];
        s.conditions = a.battery.rated_Ah > 0
                           ? phrase("{:.2g}C", std::abs(step.meanCurrent_A) / a.battery.rated_Ah)
                           : phrase("{:.3g} A", std::abs(step.meanCurrent_A));
        if (std::isfinite(step.maxTemperature_C))
            s.conditions += phrase(", to {:.0f} °C", step.maxTemperature_C);
    }
    return s;
}

}  // namespace nk
