#include "quantity_text.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "number.h"
#include "phrase.h"

namespace nk {

namespace {

struct Unit {
    std::string_view name;
    std::string_view kind;
    double factor;  ///< to the kind's own unit
};

/// Names as people write them; looked up without regard to capitals where that leaves one meaning.
constexpr Unit kUnits[] = {
    {"A", "current", 1},        {"mA", "current", 1e-3},
    {"C", "rate", 1},           {"Ah", "charge", 1},
    {"mAh", "charge", 1e-3},    {"V", "voltage", 1},
    {"mV", "voltage", 1e-3},    {"W", "power", 1},
    {"kW", "power", 1e3},       {"mW", "power", 1e-3},
    {"Wh", "energy", 1},        {"kWh", "energy", 1e3},
    {"mWh", "energy", 1e-3},    {"s", "time", 1},
    {"sec", "time", 1},         {"min", "time", 60},
    {"h", "time", 3600},        {"d", "time", 86400},
    {"%", "share", 1},          {"°C", "temperature", 1},
    {"C", "temperature", 1},    {"°F", "temperature", 0},
    {"F", "temperature", 0},    {"ohm", "resistance", 1},
    {"Ω", "resistance", 1},     {"mohm", "resistance", 1e-3},
    {"mΩ", "resistance", 1e-3}, {"kg", "mass", 1},
    {"g", "mass", 1e-3},        {"mm", "length", 1},
    {"cm", "length", 10},       {"m", "length", 1000},
};

std::string lower(std::string_view text) {
    std::string out(text);
    for (char& c : out)
        if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
    return out;
}

const Unit* unitOf(std::string_view name, std::string_view kind) {
    for (const Unit& u : kUnits)
        if (u.name == name && (kind.empty() || u.kind == kind)) return &u;
    for (const Unit& u : kUnits)
        if (lower(u.name) == lower(name) && (kind.empty() || u.kind == kind)) return &u;
    return nullptr;
}

std::string_view trimmed(std::string_view text) {
    const auto space = [](std::string_view t) -> std::size_t {
        if (t.starts_with(' ') || t.starts_with('\t')) return 1;
        if (t.starts_with("\xC2\xA0")) return 2;                                       // no-break
        if (t.starts_with("\xE2\x80\xAF") || t.starts_with("\xE2\x80\x89")) return 3;  // narrow
        return 0;
    };
    while (const std::size_t n = space(text)) text.remove_prefix(n);
    const auto ends = [&](std::string_view with) { return text.ends_with(with); };
    while (true) {
        if (ends(" ") || ends("\t"))
            text.remove_suffix(1);
        else if (ends("\xC2\xA0"))
            text.remove_suffix(2);
        else if (ends("\xE2\x80\xAF") || ends("\xE2\x80\x89"))
            text.remove_suffix(3);
        else
            return text;
    }
}

struct Part {
    double value = 0;
    std::string_view unit;
};

/// "1 h 20" into its numbers with their words. Errors: not made of these.
Expected<std::vector<Part>> partsOf(std::string_view text) {
    std::vector<Part> out;
    std::string_view rest = trimmed(text);
    const auto no = [&] {
        return fail(ErrorKind::InvalidArgument, phrase("This is no figure: {}", std::string(text)));
    };
    while (!rest.empty()) {
        double value = 0;
        std::size_t used = 0;
        const bool comma = rest.find(',') != std::string_view::npos;
        const bool point = rest.find('.') != std::string_view::npos;
        if (comma && point) return no();
        if (!parseNumberPrefix(rest, comma ? ',' : '.', value, used)) return no();
        rest = trimmed(rest.substr(used));
        if (rest.starts_with(',') || rest.starts_with('.')) return no();
        std::size_t end = 0;
        while (end < rest.size() && !(rest[end] >= '0' && rest[end] <= '9') && rest[end] != ' ' &&
               rest[end] != '-' && rest[end] != '+' && rest[end] != ':')
            ++end;
        out.push_back({value, trimmed(rest.substr(0, end))});
        rest = trimmed(rest.substr(end));
        if (rest.starts_with(':')) return no();
        if (out.size() > 3) return no();
    }
    if (out.empty()) return no();
    return out;
}

/// "1:20", hours and minutes; seconds.
bool clockOf(std::string_view text, double& seconds) {
    text = trimmed(text);
    const auto colon = text.find(':');
    if (colon == std::string_view::npos) return false;
    const auto hours = readNumber(text.substr(0, colon));
    const auto minutes = readNumber(text.substr(colon + 1));
    const bool whole = text.find_first_not_of("0123456789:") == std::string_view::npos;
    if (!whole || !hours || !minutes || *minutes >= 60 || text.size() - colon != 3) return false;
    seconds = *hours * 3600 + *minutes * 60;
    return true;
}

}  // namespace

std::string unitsFor(std::string_view unit) {
    const Unit* wanted = unitOf(unit, unit == "C" ? "rate" : "");
    if (wanted == nullptr) return {};
    std::string out;
    for (const Unit& u : kUnits)
        if (u.kind == wanted->kind) out += (out.empty() ? "" : ", ") + std::string(u.name);
    if (wanted->kind == "current") out += ", C";
    if (wanted->kind == "rate") out += ", A, mA";
    return out;
}

Expected<double> readQuantity(std::string_view text, const QuantityWish& wish) {
    const Unit* wanted =
        wish.unit.empty() ? nullptr : unitOf(wish.unit, wish.unit == "C" ? "rate" : "");
    if (double seconds = 0; wanted != nullptr && wanted->kind == "time" && clockOf(text, seconds))
        return seconds / wanted->factor;
    const auto parts = partsOf(text);
    if (!parts) return tl::unexpected<Error>(parts.error());
    const auto wrong = [&](std::string_view unit) {
        return fail(ErrorKind::InvalidArgument,
                    wanted == nullptr
                        ? phrase("A plain number is wanted, not {}.", std::string(unit))
                        : phrase("{} is not what is wanted here.", std::string(unit)),
                    {}, wanted == nullptr ? phrase("a number.") : unitsFor(wish.unit));
    };
    double sum = 0;
    for (std::size_t k = 0; k < parts->size(); ++k) {
        const auto& [value, name] = (*parts)[k];
        if (name.empty() || name == wish.unit) {
            // "1 h 20": what follows hours is minutes.
            const bool after = k > 0 && wanted != nullptr && wanted->kind == "time" && name.empty();
            if (k > 0 && !after) return wrong(name);
            if (after) {
                const Unit* before = unitOf((*parts)[k - 1].unit, "time");
                const double factor = before != nullptr && before->factor >= 3600 ? 60 : 1;
                sum += value * factor / wanted->factor;
            } else {
                sum += value;
            }
            continue;
        }
        if (wanted == nullptr) return wrong(name);
        if (k > 0 && wanted->kind != "time") return wrong(name);
        if (const Unit* unit = unitOf(name, wanted->kind)) {
            if (unit->kind == "temperature" && unit->factor == 0)
                sum += (value - 32) / 1.8;
            else
                sum += value * unit->factor / wanted->factor;
            continue;
        }
        const Unit* rate = unitOf(name, "rate");
        const Unit* amps = unitOf(name, "current");
        if (wanted->kind == "current" && rate != nullptr && wish.capacity_Ah > 0)
            sum += value * wish.capacity_Ah / wanted->factor;
        else if (wanted->kind == "rate" && amps != nullptr && wish.capacity_Ah > 0)
            sum += value * amps->factor / wish.capacity_Ah;
        else
            return wrong(name);
    }
    if (!std::isfinite(sum)) return wrong(text);
    return sum;
}

}  // namespace nk
