#include "card_lines.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "quantity/format.h"

namespace nk {

namespace {

const Reading* sibling(const Analysis& a, const char* name, int step) {
    for (const Reading& r : a.readings)
        if (r.name == name && r.evidence.step == step) return &r;
    return nullptr;
}

/// The same, when it has a value.
const Reading* measured(const Analysis& a, const char* name, int step) {
    const Reading* r = sibling(a, name, step);
    return r != nullptr && r->measurable() ? r : nullptr;
}

}  // namespace

std::string deliveredWords(const Reading& r, const Analysis& a) {
    const auto step = static_cast<std::size_t>(std::max(0, r.evidence.step));
    if (r.evidence.step < 0 || step >= a.steps.list.size()) return phrase("Delivered capacity");
    const Step& s = a.steps.list[step];
    int parts = 0;
    for (const Step& other : a.steps.list)
        parts += other.isDischarge() && other.start_s >= r.evidence.from_s - 1e-9 &&
                 other.end_s <= r.evidence.to_s + 1e-9;
    if (parts > 1) return phrase("Gave back in all, in {} parts", parts);
    std::string text = phrase("Gave back at ");
    text += a.battery.capacity_Ah() > 0
                ? phrase("{:.2g}C", std::abs(s.meanCurrent_A) / a.battery.capacity_Ah())
                : shortValue(std::abs(s.meanCurrent_A), "A");
    return text + phrase(" down to ") + shortValue(s.endVoltage_V, "V");
}

bool afterCharge(const Reading& r, const Analysis& a) {
    const int step = r.evidence.step;
    return step > 0 && a.steps.list[static_cast<std::size_t>(step) - 1].isCharge();
}

void underCapacity(const Reading& r, const Analysis& a, const NumberStyle& style,
                   CardLines& lines) {
    CardLines more;
    if (const Reading* health = sibling(a, "health_capacity", r.evidence.step)) {
        if (health->measurable())
            more.push_back(
                phrase("{} of the {} on the label.",
                       valueText(health->value, health->expanded() / 2, "%", style).joined(),
                       shortValue(a.battery.rated_Ah, "Ah", style)));
        for (const std::string& caveat : health->caveats)
            if (std::find(more.begin(), more.end(), caveat) == more.end())
                more.push_back(health->measurable() ? caveat : phrase("Health: ") + caveat);
    }
    const Reading* energy = measured(a, "delivered_energy", r.evidence.step);
    const Reading* mean = measured(a, "mean_voltage", r.evidence.step);
    if (energy != nullptr && mean != nullptr)
        more.push_back(phrase("{} at a mean of {}.", valueText(*energy, style).joined(),
                              valueText(*mean, style).joined()));
    // The conditions come first, then the rest.
    lines.insert(lines.empty() ? lines.end() : lines.begin() + 1, more.begin(), more.end());
}

void underKnee(const Reading& r, const Analysis& a, const NumberStyle& style, CardLines& lines) {
    const int step = r.evidence.step;
    const Reading* set = measured(a, "cv_set_voltage", step);
    const Reading* end = measured(a, "taper_end_current", step);
    const Reading* inside = measured(a, "charge_in_cv", step);
    CardLines more;
    if (set != nullptr) {
        std::string text = phrase("Set voltage ") + valueText(*set, style).joined();
        if (a.battery.series > 1)
            text += phrase(", {} a cell", shortValue(set->value / a.battery.series, "V", style));
        more.push_back(text + ".");
    }
    if (inside != nullptr && end != nullptr) {
        std::string text =
            phrase("{} went in after it, down to {}", shortValue(inside->value, "Ah", style),
                   shortValue(end->value, "A", style));
        if (a.battery.capacity_Ah() > 0 && end->value > 0)
            text += fmt::format(" (C/\u2060{:.0f})", a.battery.capacity_Ah() / end->value) +
                    a.battery.capacityWords();
        more.push_back(text + ".");
    }
    lines.insert(lines.begin(), more.begin(), more.end());
}

void underEfficiency(const Reading& r, const Analysis& a, const NumberStyle& style,
                     CardLines& lines) {
    if (const Reading* energy = measured(a, "energy_efficiency", r.evidence.step))
        lines.insert(lines.begin(),
                     phrase("Of the energy, ") + valueText(*energy, style).joined() + ".");
}

void underFullness(const Reading& r, const Analysis& a, const NumberStyle& style,
                   CardLines& lines) {
    if (const Reading* left = measured(a, "charge_left_at_stop", r.evidence.step))
        lines.insert(lines.begin(), valueText(*left, style).joined() +
                                        phrase(" more would have gone in at this voltage."));
}

void underPeak(const Reading& r, const Analysis& a, const NumberStyle& style, CardLines& lines) {
    if (const Reading* drop = measured(a, "peak_drop_per_cell", r.evidence.step))
        lines.push_back(phrase("Down ") + valueText(*drop, style).joined() +
                        phrase(" a cell when the charge stopped."));
    if (const Reading* warming = measured(a, "end_dtdt", r.evidence.step))
        lines.push_back(phrase("Warming by ") + valueText(*warming, style).joined() +
                        phrase(" then."));
}

void underTemperature(const Reading& r, const Analysis& a, const NumberStyle& style,
                      CardLines& lines) {
    const Chemistry* chemistry = a.battery.chemistryData();
    const double limit = chemistry != nullptr ? chemistry->dischargeMax_C : 60;
    if (r.value >= limit - 10) return;
    const ValueText text = valueText(limit, 5, "C", style);
    lines.insert(lines.begin(),
                 phrase("Far from the {} limit.", text.value + "\u202F" + text.unit));
}

}  // namespace nk
