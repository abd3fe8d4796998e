#include "units.h"

#include <fast_float/fast_float.h>

#include <array>
#include <cmath>

namespace nk {

namespace {

struct Entry {
    std::string_view text;
    Unit unit;
};

constexpr double kFahrenheit = 5.0 / 9.0;

const auto& table() {
    using Q = Quantity;
    // Exact spelling first: "mA" and "MA" differ, "s" and "S" do not in a log header.
    static const std::array entries = {
        Entry{"ms", {Q::Time, 1e-3}},
        Entry{"minuti", {Q::Time, 60}},
        Entry{"minut", {Q::Time, 60}},
        Entry{"msec", {Q::Time, 1e-3}},
        Entry{"millis", {Q::Time, 1e-3}},
        Entry{"milliseconds", {Q::Time, 1e-3}},
        Entry{"us", {Q::Time, 1e-6}},
        Entry{"µs", {Q::Time, 1e-6}},
        Entry{"s", {Q::Time, 1}},
        Entry{"sec", {Q::Time, 1}},
        Entry{"secs", {Q::Time, 1}},
        Entry{"second", {Q::Time, 1}},
        Entry{"seconds", {Q::Time, 1}},
        Entry{"sek", {Q::Time, 1}},
        Entry{"sekunden", {Q::Time, 1}},
        Entry{"min", {Q::Time, 60}},
        Entry{"mins", {Q::Time, 60}},
        Entry{"minute", {Q::Time, 60}},
        Entry{"minutes", {Q::Time, 60}},
        Entry{"minuten", {Q::Time, 60}},
        Entry{"h", {Q::Time, 3600}},
        Entry{"hr", {Q::Time, 3600}},
        Entry{"hrs", {Q::Time, 3600}},
        Entry{"hour", {Q::Time, 3600}},
        Entry{"hours", {Q::Time, 3600}},
        Entry{"std", {Q::Time, 3600}},
        Entry{"d", {Q::Time, 86400}},
        Entry{"day", {Q::Time, 86400}},
        Entry{"days", {Q::Time, 86400}},
        Entry{"v", {Q::Voltage, 1}},
        Entry{"volt", {Q::Voltage, 1}},
        Entry{"volts", {Q::Voltage, 1}},
        Entry{"mv", {Q::Voltage, 1e-3}},
        Entry{"millivolt", {Q::Voltage, 1e-3}},
        Entry{"millivolts", {Q::Voltage, 1e-3}},
        Entry{"uv", {Q::Voltage, 1e-6}},
        Entry{"µv", {Q::Voltage, 1e-6}},
        Entry{"a", {Q::Current, 1}},
        Entry{"amp", {Q::Current, 1}},
        Entry{"amps", {Q::Current, 1}},
        Entry{"ampere", {Q::Current, 1}},
        Entry{"amperes", {Q::Current, 1}},
        Entry{"ma", {Q::Current, 1e-3}},
        Entry{"milliamp", {Q::Current, 1e-3}},
        Entry{"milliamps", {Q::Current, 1e-3}},
        Entry{"ua", {Q::Current, 1e-6}},
        Entry{"µa", {Q::Current, 1e-6}},
        Entry{"ka", {Q::Current, 1e3}},
        Entry{"°c", {Q::Temperature, 1}},
        Entry{"degc", {Q::Temperature, 1}},
        Entry{"c", {Q::Temperature, 1}},
        Entry{"celsius", {Q::Temperature, 1}},
        Entry{"grad", {Q::Temperature, 1}},
        Entry{"°f", {Q::Temperature, kFahrenheit, -32}},
        Entry{"degf", {Q::Temperature, kFahrenheit, -32}},
        Entry{"f", {Q::Temperature, kFahrenheit, -32}},
        Entry{"fahrenheit", {Q::Temperature, kFahrenheit, -32}},
        Entry{"k", {Q::Temperature, 1, -273.15}},
        Entry{"kelvin", {Q::Temperature, 1, -273.15}},
        Entry{"ah", {Q::Charge, 1}},
        Entry{"amphours", {Q::Charge, 1}},
        Entry{"mah", {Q::Charge, 1e-3}},
        Entry{"as", {Q::Charge, 1.0 / 3600}},
        Entry{"wh", {Q::Energy, 1}},
        Entry{"mwh", {Q::Energy, 1e-3}},
        Entry{"kwh", {Q::Energy, 1e3}},
        Entry{"j", {Q::Energy, 1.0 / 3600}},
        Entry{"w", {Q::Power, 1}},
        Entry{"watt", {Q::Power, 1}},
        Entry{"watts", {Q::Power, 1}},
        Entry{"mw", {Q::Power, 1e-3}},
        Entry{"kw", {Q::Power, 1e3}},
        Entry{"ohm", {Q::Resistance, 1}},
        Entry{"ohms", {Q::Resistance, 1}},
        Entry{"ω", {Q::Resistance, 1}},
        Entry{"mohm", {Q::Resistance, 1e-3}},
        Entry{"mohms", {Q::Resistance, 1e-3}},
        Entry{"milliohm", {Q::Resistance, 1e-3}},
        Entry{"mω", {Q::Resistance, 1e-3}},
    };
    return entries;
}

}  // namespace

std::string trimmed(std::string_view text) {
    const auto first = text.find_first_not_of(" \t\r\n\"'");
    if (first == std::string_view::npos) return {};
    const auto last = text.find_last_not_of(" \t\r\n\"'");
    return std::string(text.substr(first, last - first + 1));
}

std::string lowered(std::string_view text) {
    std::string out(text);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const auto c = static_cast<unsigned char>(out[i]);
        if (c >= 'A' && c <= 'Z') {
            out[i] = static_cast<char>(c + 32);
        } else if (c == 0xC3 && i + 1 < out.size()) {  // À … Þ in UTF-8
            const auto n = static_cast<unsigned char>(out[i + 1]);
            if (n >= 0x80 && n <= 0x9E && n != 0x97) out[i + 1] = static_cast<char>(n + 0x20);
        } else if (c == 0xCE && i + 1 < out.size() &&
                   static_cast<unsigned char>(out[i + 1]) == 0xA9) {  // Ω → ω
            out[i] = '\xCF';
            out[i + 1] = '\x89';
        }
    }
    return out;
}

std::optional<Unit> parseUnit(std::string_view text) {
    // The usual answer first: the rest of a number, ".3476" where a comma was looked for, is none.
    const std::size_t begins = text.find_first_not_of(' ');
    if (begins == std::string_view::npos || (text[begins] >= ',' && text[begins] <= '9'))
        return std::nullopt;
    std::string key = lowered(trimmed(text));
    // The Greek mu and the ohm sign have two code points each, the degree sign three spellings.
    const auto replaceAll = [&key](std::string_view from, std::string_view to) {
        for (auto at = key.find(from); at != std::string::npos; at = key.find(from, at + to.size()))
            key.replace(at, from.size(), to);
    };
    replaceAll("μ", "µ");
    replaceAll("Ω", "ω");
    replaceAll("º", "°");
    replaceAll("˚", "°");
    replaceAll("° ", "°");
    replaceAll("deg ", "deg");
    for (const char* space : {"\u202F", "\u2009", "\u00A0"}) replaceAll(space, "");
    if (!key.empty() && key.back() == '.') key.pop_back();
    for (const auto& entry : table())
        if (entry.text == key) return entry.unit;
    return std::nullopt;
}

std::optional<double> parseQuantity(std::string_view text, Quantity wanted) {
    std::string clean = trimmed(text);
    if (clean.rfind("\u2212", 0) == 0) clean.replace(0, 3, "-");  // as the program itself writes
    double value = 0;
    const auto result = fast_float::from_chars(clean.data(), clean.data() + clean.size(), value);
    // The words nan and inf are numbers to the parser, but not to us.
    if (result.ec != std::errc() || !std::isfinite(value)) return std::nullopt;
    const std::string rest = trimmed(std::string_view(result.ptr, clean.data() + clean.size()));
    if (rest.empty()) return value;
    const auto unit = parseUnit(rest);
    if (!unit || unit->quantity != wanted) return std::nullopt;
    return unit->toInside(value);
}

}  // namespace nk
