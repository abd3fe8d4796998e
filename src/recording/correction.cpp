#include "correction.h"

#include <array>
#include <cmath>
#include <utility>

namespace nk {

namespace {

using Kind = Correction::Kind;

constexpr std::array<std::pair<Kind, const char*>, 5> kNames = {{
    {Kind::VoltageOffset, "voltage_offset"},
    {Kind::LeadResistance, "lead_resistance"},
    {Kind::UnseenCurrent, "unseen_current"},
    {Kind::UnseenPower, "unseen_power"},
    {Kind::UnseenResistance, "unseen_resistance"},
}};

void apply(const Correction& c, RecordingData& d) {
    for (std::size_t k = 0; k < d.time_s.size(); ++k) {
        if (d.time_s[k] < c.from_s || d.time_s[k] > c.to_s) continue;  // NaN: never greater
        switch (c.kind) {
            case Kind::VoltageOffset:
                d.voltage_V[k] += c.value;
                break;
            case Kind::LeadResistance:
                d.voltage_V[k] -= d.current_A[k] * c.value;
                break;
            case Kind::UnseenCurrent:
                d.current_A[k] += c.value;
                break;
            case Kind::UnseenPower:
                if (d.voltage_V[k] > 0) d.current_A[k] += c.value / d.voltage_V[k];
                break;
            case Kind::UnseenResistance:
                d.current_A[k] -= d.voltage_V[k] / c.value;
                break;
        }
    }
}

}  // namespace

std::string toString(Kind kind) {
    for (const auto& [k, name] : kNames)
        if (k == kind) return name;
    return "voltage_offset";
}

bool correctionKindFrom(const std::string& name, Kind& kind) {
    for (const auto& [k, known] : kNames)
        if (name == known) {
            kind = k;
            return true;
        }
    return false;
}

std::string correctionUnit(Kind kind) {
    switch (kind) {
        case Kind::VoltageOffset:
            return "V";
        case Kind::UnseenCurrent:
            return "A";
        case Kind::UnseenPower:
            return "W";
        case Kind::LeadResistance:
        case Kind::UnseenResistance:
            return "ohm";
    }
    return "";
}

RecordingPtr applyCorrections(const RecordingPtr& recording,
                              std::span<const Correction> corrections) {
    if (!recording || corrections.empty()) return recording;
    RecordingData data = recording->data();
    for (const Correction& c : corrections) {
        const bool resistance = c.kind == Kind::UnseenResistance || c.kind == Kind::LeadResistance;
        if (!std::isfinite(c.value) || (resistance && c.value <= 0)) continue;
        apply(c, data);
    }
    return Recording::make(std::move(data));
}

}  // namespace nk
