#include <fmt/format.h>

#include "quantity/phrase.h"
#include "quantity/units.h"
#include "replay.h"

namespace nk {

namespace {

constexpr const char* kAccepted =
    "-dv:5mV, 0dv:5min, 0dv:5min:1mV, inflection, dtdt:1C/min, dt:15C, tmax:50C, vmax:1.65V, "
    "timer:16h, "
    "input:120%, taper:C/20, taper:0.05A; "
    "joined by | for whichever comes first; @holdoff=10min after any of them.";

std::vector<std::string> split(const std::string& text, char separator) {
    std::vector<std::string> out;
    std::size_t at = 0;
    while (true) {
        const std::size_t end = text.find(separator, at);
        out.push_back(text.substr(at, end == std::string::npos ? end : end - at));
        if (end == std::string::npos) return out;
        at = end + 1;
    }
}

/// A difference of temperatures: "15C", "15 K", "27F".
std::optional<double> difference_C(std::string text) {
    text = trimmed(text);
    double factor = 1;
    if (!text.empty() && (text.back() == 'F' || text.back() == 'f')) factor = 5.0 / 9.0;
    while (!text.empty() && !(text.back() >= '0' && text.back() <= '9') && text.back() != '.')
        text.pop_back();
    const auto value = parseQuantity(text, Quantity::Temperature);
    return value ? std::optional<double>(*value * factor) : std::nullopt;
}

std::optional<StopCondition> condition(const std::string& text) {
    using Kind = StopCondition::Kind;
    const auto parts = split(text, ':');
    const std::string name = lowered(trimmed(parts[0]));
    StopCondition c;
    const auto positive = [](std::optional<double> x) { return x && *x > 0; };
    if (name == "inflection") {
        c.kind = Kind::Inflection;
        return parts.size() == 1 ? std::optional(c) : std::nullopt;
    }
    if (parts.size() < 2) return std::nullopt;
    const std::string& value = parts[1];
    std::optional<double> x;
    if (name == "-dv" || name == "−dv") {
        c.kind = Kind::NegativeDeltaV;
        x = parseQuantity(value, Quantity::Voltage);
    } else if (name == "0dv") {
        c.kind = Kind::ZeroDeltaV;
        x = parseQuantity(value, Quantity::Time);
        if (parts.size() > 3) return std::nullopt;
        if (parts.size() == 3) {
            const auto rise = parseQuantity(parts[2], Quantity::Voltage);
            if (!rise || *rise < 0) return std::nullopt;
            c.rise_V = *rise;
        }
    } else if (name == "dtdt") {
        c.kind = Kind::DTdt;
        const auto slash = value.find('/');
        x = difference_C(value.substr(0, slash));
        if (x && slash != std::string::npos) {
            const auto per = parseUnit(value.substr(slash + 1));
            if (!per || per->quantity != Quantity::Time) return std::nullopt;
            x = *x * 60 / per->factor;
        }
    } else if (name == "dt") {
        c.kind = Kind::DeltaT;
        x = difference_C(value);
    } else if (name == "tmax") {
        c.kind = Kind::MaxTemperature;
        x = parseQuantity(value, Quantity::Temperature);
    } else if (name == "vmax") {
        c.kind = Kind::MaxVoltage;
        x = parseQuantity(value, Quantity::Voltage);
    } else if (name == "timer") {
        c.kind = Kind::Timer;
        x = parseQuantity(value, Quantity::Time);
    } else if (name == "input") {
        c.kind = Kind::Input;
        std::string number = trimmed(value);
        if (number.empty() || number.back() != '%') return std::nullopt;
        number.pop_back();
        x = parseQuantity(number, Quantity::Charge);
        if (x) x = *x / 100;
    } else if (name == "taper") {
        c.kind = Kind::Taper;
        const std::string v = lowered(trimmed(value));
        if (v.rfind("c/", 0) == 0) {
            x = parseQuantity(v.substr(2), Quantity::Current);
            if (!positive(x)) return std::nullopt;
            c.taperFraction = 1 / *x;
            return parts.size() == 2 ? std::optional(c) : std::nullopt;
        }
        x = parseQuantity(value, Quantity::Current);
    } else {
        return std::nullopt;
    }
    if (!positive(x) || (parts.size() > 2 && c.kind != Kind::ZeroDeltaV)) return std::nullopt;
    c.threshold = *x;
    return c;
}

}  // namespace

Expected<StopRule> parseRule(const std::string& text) {
    StopRule rule;
    rule.text = text;
    for (const std::string& part : split(text, '|')) {
        const auto at = part.find('@');
        const auto c = condition(trimmed(part.substr(0, at)));
        if (!c)
            return fail(ErrorKind::InvalidArgument,
                        phrase("The rule '{}' cannot be read at '{}'.", text, part), "--rule",
                        kAccepted);
        if (at != std::string::npos) {
            const std::string option = trimmed(part.substr(at + 1));
            const auto value = option.rfind("holdoff=", 0) == 0
                                   ? parseQuantity(option.substr(8), Quantity::Time)
                                   : std::nullopt;
            if (!value || *value < 0)
                return fail(ErrorKind::InvalidArgument,
                            phrase("The rule '{}' cannot be read at '@{}'.", text, option),
                            "--rule", kAccepted);
            rule.holdOff_s = *value;
        }
        rule.conditions.push_back(*c);
    }
    return rule;
}

}  // namespace nk
