#include "format.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>

namespace nk {

namespace {

constexpr const char* kThinSpace = "\u202F";
constexpr const char* kMinus = "\u2212";

struct Scaled {
    double factor;
    std::string unit;
};

Scaled scaleFor(double value, const std::string& unit, const NumberStyle& style) {
    const double size = std::abs(value);
    if (unit == "Ah" && (style.charge == ChargeUnit::MilliAmpHours ||
                         (style.charge == ChargeUnit::BySize && size < 1.0)))
        return {1e3, "mAh"};
    if (unit == "ohm") return size < 1.0 ? Scaled{1e3, "mΩ"} : Scaled{1.0, "Ω"};
    if (unit == "A" && size < 0.1 && size > 0) return {1e3, "mA"};
    if (unit == "V" && size < 0.1 && size > 0) return {1e3, "mV"};
    if (unit == "C") return {1.0, style.fahrenheit ? "°F" : "°C"};
    if (unit == "C/min") return style.fahrenheit ? Scaled{1.8, "°F/min"} : Scaled{1.0, "°C/min"};
    if (unit == "C-rate") return {1.0, "C"};
    return {1.0, unit};
}

double present(double value, const std::string& unit, const NumberStyle& style) {
    return unit == "C" && style.fahrenheit ? value * 9.0 / 5.0 + 32.0 : value;
}

}  // namespace

std::string fixed(double value, int digits, const NumberStyle& style) {
    if (presentation().recorded) return written::sentence(written::kFixed, value, digits);
    if (!std::isfinite(value)) return "–";
    std::string text = fmt::format("{:.{}f}", std::abs(value), std::clamp(digits, 0, 9));
    const bool zero = text.find_first_not_of("0.") == std::string::npos;
    if (style.decimal != '.') std::replace(text.begin(), text.end(), '.', style.decimal);
    return value < 0 && !zero ? kMinus + text : text;
}

int decimalsFor(double uncertainty) {
    if (!std::isfinite(uncertainty) || uncertainty <= 0) return 3;
    const int magnitude = static_cast<int>(std::floor(std::log10(2 * uncertainty)));
    return std::clamp(1 - magnitude, 0, 6);
}

std::string ValueText::joined() const {
    std::string out = value;
    if (!plusMinus.empty()) out += " ± " + plusMinus;
    if (!unit.empty()) out += kThinSpace + unit;
    return out;
}

ValueText valueText(double value, double uncertainty, const std::string& unit,
                    const NumberStyle& style) {
    if (unit == "s") {
        ValueText out{clockText(value), {}, {}};
        if (std::isfinite(uncertainty) && uncertainty > 0) {
            const double u = 2 * uncertainty;
            out.plusMinus = fixed(u, u < 2 ? 1 : 0, style) + kThinSpace + "s";
        }
        return out;
    }
    const Scaled scale = scaleFor(value, unit, style);
    const double shownU =
        uncertainty * scale.factor * (unit == "C" && style.fahrenheit ? 1.8 : 1.0);
    const int digits = decimalsFor(shownU);
    ValueText out;
    out.value = fixed(present(value, unit, style) * scale.factor, digits, style);
    if (std::isfinite(shownU) && shownU > 0) out.plusMinus = fixed(2 * shownU, digits, style);
    out.unit = scale.unit;
    return out;
}

ValueText valueText(const Reading& reading, const NumberStyle& style) {
    if (!reading.measurable()) return {phrase("not measurable"), {}, {}};
    // What is shown is the half-width of the 95 % interval, whatever its factor.
    return valueText(reading.value, reading.expanded() / 2, reading.unit, style);
}

std::string shortValue(double value, const std::string& unit, const NumberStyle& style) {
    if (presentation().recorded) return written::sentence(written::kShort, value, unit);
    if (!std::isfinite(value)) return "–";
    const Scaled scale = scaleFor(value, unit, style);
    const double shown = present(value, unit, style) * scale.factor;
    const double size = std::abs(shown);
    const bool temperature = unit == "C";
    // Three digits that count: 0.516 V is not 0.52 V.
    int digits = size >= 99.95 ? 0 : size >= 9.995 ? 1 : size >= 0.9995 || size == 0 ? 2 : 3;
    if (temperature) digits = size >= 100 ? 0 : 1;
    std::string out = fixed(shown, digits, style);
    if (!scale.unit.empty()) out += kThinSpace + scale.unit;
    return out;
}

std::string clockText(double seconds, bool tenths) {
    if (!std::isfinite(seconds)) return "–";
    const bool negative = seconds < 0;
    double rest = std::abs(seconds);
    // Round once at the shown precision, so that 59.97 s never prints as 60.
    rest = tenths ? std::round(rest * 10) / 10 : std::round(rest);
    const auto hours = static_cast<long long>(rest / 3600);
    const auto minutes = static_cast<int>((rest - static_cast<double>(hours) * 3600) / 60);
    const double secs = rest - static_cast<double>(hours) * 3600 - minutes * 60;
    std::string text = tenths ? fmt::format("{}:{:02}:{:04.1f}", hours, minutes, secs)
                              : fmt::format("{}:{:02}:{:02.0f}", hours, minutes, secs);
    return negative ? kMinus + text : text;
}

std::string durationText(double seconds) {
    if (!std::isfinite(seconds)) return "–";
    const std::string unit = kThinSpace;
    if (seconds < 10) return phrase("{:.1f}{}s", seconds, unit);
    if (seconds < 120) return fmt::format("{:.0f}{}s", seconds, unit);
    const auto minutes = static_cast<long long>(std::llround(seconds / 60));
    if (minutes < 120) return fmt::format("{}{}min", minutes, unit);
    if (minutes < 48 * 60)
        return fmt::format("{}{}h\u00A0{:02}{}min", minutes / 60, unit, minutes % 60, unit);
    return phrase("{:.1f}{}days", static_cast<double>(minutes) / 1440, unit);
}

std::string durationText(double seconds, double beside_s) {
    constexpr double kHour_s = 3600, kTwoHours_s = 119.5 * 60;
    if (!(beside_s >= kTwoHours_s) || !(seconds >= kHour_s) || seconds >= kTwoHours_s)
        return durationText(seconds);
    const auto minutes = static_cast<long long>(std::llround(seconds / 60));
    return fmt::format("{}{}h\u00A0{:02}{}min", minutes / 60, kThinSpace, minutes % 60, kThinSpace);
}

std::string unitsKept(const std::string& words) {
    static constexpr std::string_view kUnits[] = {"mAh", "Ah", "Wh", "mV", "V",  "mA",
                                                  "A",   "W",  "mΩ", "Ω",  "°C", "°F",
                                                  "min", "ms", "s",  "h",  "%",  "K"};
    std::string out;
    for (std::size_t k = 0; k < words.size(); ++k) {
        const bool gap = words[k] == ' ' && k > 0 && words[k - 1] >= '0' && words[k - 1] <= '9';
        bool unit = false;
        for (const std::string_view u : kUnits) {
            if (!gap || words.compare(k + 1, u.size(), u) != 0) continue;
            const std::size_t end = k + 1 + u.size();
            const auto next = end < words.size() ? static_cast<unsigned char>(words[end]) : 0U;
            unit = unit || !(std::isalnum(static_cast<int>(next)) != 0 || next >= 0x80);
        }
        if (unit)
            out += "\u202F";
        else
            out += words[k];
    }
    return out;
}

}  // namespace nk
