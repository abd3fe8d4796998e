#include "summary.h"

#include <algorithm>
#include <cmath>

#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

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

const Reading* quotedCapacity(const Analysis& a) {
    const Reading* best = nullptr;
    for (const Reading& r : a.readings)
        if (r.name == "delivered_capacity" && r.measurable() &&
            (best == nullptr || r.value > best->value))
            best = &r;
    return best;
}

RecordingSummary summarise(const Analysis& a) {
    RecordingSummary s;
    s.hazard = a.hasHazard();
    if (const Reading* r = quotedResistance(a)) {
        s.resistance_ohm = r->value;
        s.resistanceMethod = r->name;
    }
    s.moved_Ah = 0;
    for (const Step& step : a.steps.list) s.moved_Ah += std::abs(step.sum.charge_Ah);
    const Reading* best = quotedCapacity(a);
    if (best == nullptr) return s;
    s.capacity_Ah = best->value;
    for (const Reading& r : a.readings)
        if (r.name == "health_capacity" && r.evidence.step == best->evidence.step)
            s.health_percent = r.value;
    const auto k = static_cast<std::size_t>(best->evidence.step);
    if (best->evidence.step < 0 || k >= a.steps.list.size()) return s;
    const Step& step = a.steps.list[k];
    s.mean_A = std::abs(step.meanCurrent_A);
    if (a.battery.capacity_Ah() > 0) s.rate_C = s.mean_A / a.battery.capacity_Ah();
    s.floor_V_per_cell = step.endVoltage_V / a.battery.cells();
    s.highest_C = step.maxTemperature_C;
    return s;
}

namespace {

std::string rateWords(const RecordingSummary& s) {
    return std::isfinite(s.rate_C) ? phrase("{:.2g}C", s.rate_C) : shortValue(s.mean_A, "A");
}

}  // namespace

std::string conditionsWords(const RecordingSummary& s) {
    if (!std::isfinite(s.mean_A)) return {};
    std::string out = rateWords(s);
    if (std::isfinite(s.floor_V_per_cell)) out += phrase(" to {:.2f} V a cell", s.floor_V_per_cell);
    if (std::isfinite(s.highest_C)) out += phrase(", up to {:.0f} °C", s.highest_C);
    return out;
}

std::string conditionsShort(const RecordingSummary& s) {
    if (!std::isfinite(s.mean_A)) return {};
    std::string out = rateWords(s);
    if (std::isfinite(s.highest_C)) out += ", " + shortValue(s.highest_C, "C");
    return out;
}

}  // namespace nk
