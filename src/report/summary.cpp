#include "summary.h"

#include <fmt/format.h>

#include <cmath>

#include "quantity/phrase.h"

namespace nk {

int analysisVersion() {
    int sum = 0;
    for (const Metric& m : metrics()) sum = sum * 31 % 1000003 + m.version;
    return sum;
}

RecordingSummary summarise(const Analysis& a) {
    RecordingSummary s;
    s.version = analysisVersion();
    s.hazard = a.hasHazard();
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
