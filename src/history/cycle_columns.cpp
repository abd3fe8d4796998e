#include "cycle_columns.h"

#include <algorithm>
#include <string_view>

namespace nk {

namespace {

struct Word {
    const char* begin;
    CycleRole role;
    int sure;
};

/// Beginnings of words in titles, lower case without marks: English, German, French, Spanish,
/// Italian, Dutch, and the short forms of test benches in general. Earlier lines win.
constexpr Word kWords[] = {
    {"battery", CycleRole::Cell, 2},
    {"cell", CycleRole::Cell, 2},
    {"zelle", CycleRole::Cell, 2},
    {"cellule", CycleRole::Cell, 2},
    {"celda", CycleRole::Cell, 2},
    {"channel", CycleRole::Cell, 1},
    {"barcode", CycleRole::Cell, 2},
    {"serial", CycleRole::Cell, 2},
    {"name", CycleRole::Cell, 1},
    {"through", CycleRole::Throughput, 3},
    {"durchsatz", CycleRole::Throughput, 3},
    {"temp", CycleRole::Temperature, 3},
    {"resist", CycleRole::Resistance, 3},
    {"widerstand", CycleRole::Resistance, 3},
    {"innenwiderstand", CycleRole::Resistance, 3},
    {"dcir", CycleRole::Resistance, 3},
    {"acir", CycleRole::Resistance, 2},
    {"esr", CycleRole::Resistance, 3},
    {"impedan", CycleRole::Resistance, 2},
    {"weerstand", CycleRole::Resistance, 3},
    {"rate", CycleRole::Rate, 2},
    {"crate", CycleRole::Rate, 3},
    {"current", CycleRole::Rate, 1},
    {"strom", CycleRole::Rate, 1},
    {"date", CycleRole::Day, 3},
    {"datum", CycleRole::Day, 3},
    {"day", CycleRole::Day, 3},
    {"tag", CycleRole::Day, 3},
    {"fecha", CycleRole::Day, 3},
    {"jour", CycleRole::Day, 3},
    {"time", CycleRole::Day, 1},
    {"zeit", CycleRole::Day, 1},
    {"capac", CycleRole::Capacity, 3},
    {"kapaz", CycleRole::Capacity, 3},
    {"capazit", CycleRole::Capacity, 3},
    {"entladekap", CycleRole::Capacity, 4},
    {"qd", CycleRole::Capacity, 4},
    {"soh", CycleRole::Capacity, 2},
    {"retention", CycleRole::Capacity, 2},
    {"ladekap", CycleRole::Charge, 4},
    {"entlad", CycleRole::Capacity, 3},
    {"discharge", CycleRole::Capacity, 3},
    {"disch", CycleRole::Capacity, 3},
    {"dchg", CycleRole::Capacity, 3},
    {"decharge", CycleRole::Capacity, 3},
    {"descarga", CycleRole::Capacity, 3},
    {"qc", CycleRole::Charge, 4},
    {"charge", CycleRole::Charge, 3},
    {"chg", CycleRole::Charge, 3},
    {"laden", CycleRole::Charge, 3},
    {"ladung", CycleRole::Charge, 3},
    {"carga", CycleRole::Charge, 3},
    {"energ", CycleRole::Energy, 2},
    {"cycle", CycleRole::Cycle, 3},
    {"cyc", CycleRole::Cycle, 3},
    {"zyklus", CycleRole::Cycle, 3},
    {"zyklen", CycleRole::Cycle, 3},
    {"ciclo", CycleRole::Cycle, 3},
    {"cyclus", CycleRole::Cycle, 3},
    {"efc", CycleRole::Cycle, 2},
    {"n", CycleRole::Cycle, 1},
    {"nr", CycleRole::Cycle, 1},
    {"index", CycleRole::Cycle, 1},
    {"cap", CycleRole::Capacity, 2},
};

/// Whether a unit stands in a title as a word of its own; letters of English in lower case.
bool holdsUnit(const std::string& title, std::string_view unit) {
    std::string lower;
    for (const char c : title) lower += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c & 0x80) != 0; };
    for (auto at = lower.find(unit); at != std::string::npos; at = lower.find(unit, at + 1)) {
        const auto end = at + unit.size();
        if ((at == 0 || !letter(lower[at - 1])) && (end == lower.size() || !letter(lower[end])))
            return true;
    }
    return false;
}

}  // namespace

std::vector<std::string> titleWords(const std::string& title) {
    std::vector<std::string> out(1);
    bool small = false;
    for (std::size_t k = 0; k < title.size(); ++k) {
        const auto c = static_cast<unsigned char>(title[k]);
        if (c == 0xC3 && k + 1 < title.size()) {
            const auto second = static_cast<unsigned char>(title[++k]) | 0x20U;
            const char plain = second >= 0xA0 && second <= 0xA6   ? 'a'
                               : second == 0xA7                   ? 'c'
                               : second >= 0xA8 && second <= 0xAB ? 'e'
                               : second >= 0xAC && second <= 0xAF ? 'i'
                               : second == 0xB1                   ? 'n'
                               : second >= 0xB2 && second <= 0xB6 ? 'o'
                               : second >= 0xB9 && second <= 0xBC ? 'u'
                                                                  : '?';
            out.back() += plain;
            small = true;
        } else if ((c >= 'a' && c <= 'z') || c >= 0x80) {
            out.back() += static_cast<char>(c);
            small = true;
        } else if (c >= 'A' && c <= 'Z') {
            if (small) out.emplace_back();
            out.back() += static_cast<char>(c - 'A' + 'a');
            small = false;
        } else if (c >= '0' && c <= '9') {
            if (!out.back().empty() && !(out.back().back() >= '0' && out.back().back() <= '9'))
                out.emplace_back();
            out.back() += static_cast<char>(c);
            small = false;
        } else {
            out.emplace_back();
            small = false;
        }
    }
    std::erase(out, std::string());
    return out;
}

CycleColumn recogniseCycleColumn(const std::string& title) {
    const auto words = titleWords(title);
    CycleColumn out;
    const auto holds = [&](std::initializer_list<const char*> any) {
        return std::ranges::any_of(any, [&](const char* w) {
            return std::ranges::find(words, std::string(w)) != words.end();
        });
    };
    const auto begins = [&](const char* with) {
        return std::ranges::any_of(words, [&](const auto& w) { return w.starts_with(with); });
    };
    // What is of no use here and would be mistaken for something.
    if (begins("nominal") || begins("rated") || begins("nenn") || begins("efficien") ||
        begins("volt") || begins("spannung") || begins("step") || begins("status"))
        return {CycleRole::None, -1, 1, {}, false};
    for (const Word& w : kWords) {
        const bool letter = std::string_view(w.begin).size() <= 2;
        const bool hit = std::ranges::any_of(words, [&](const std::string& one) {
            return letter ? one == w.begin : one.starts_with(w.begin);
        });
        if (!hit || w.sure < out.sure) continue;
        if (w.sure == out.sure && out.role != CycleRole::None) continue;
        out.role = w.role;
        out.sure = w.sure;
    }
    const bool discharge = begins("disch") || begins("dis") || begins("dchg") || begins("entlad") ||
                           begins("descarga") || begins("decharge") || begins("ontlaad");
    const bool charge =
        begins("charg") || begins("chg") || begins("lade") || begins("carga") || begins("laad");
    if (out.role == CycleRole::Capacity && charge && !discharge) {
        out.role = CycleRole::Charge;
        out.sure = 4;
    } else if ((out.role == CycleRole::Capacity || out.role == CycleRole::Charge) && discharge) {
        out.role = CycleRole::Capacity;
        out.sure = 4;
    }
    // "cycle" and "index" stand beside other words in many titles; "charge cycle" is a cycle.
    if (begins("cyc") || begins("zyk") || begins("ciclo"))
        if (!begins("cap") && !begins("kap") && !begins("time") && !begins("zeit") &&
            out.role != CycleRole::Temperature && out.role != CycleRole::Resistance) {
            out.role = CycleRole::Cycle;
            out.sure = 3;
        }
    const auto unit = [&](const char* name) { return holdsUnit(title, name); };
    if (unit("ah")) out.unit = "Ah", out.said = true;
    if (unit("mah")) out.unit = "Ah", out.factor = 1e-3, out.said = true;
    if (unit("wh")) out.unit = "Wh", out.said = true;
    if (unit("mwh")) out.unit = "Wh", out.factor = 1e-3, out.said = true;
    if (unit("%") || unit("percent") || unit("prozent") || unit("pct"))
        out.unit = "%", out.said = true;
    if (out.role == CycleRole::Resistance) {
        for (const char* milli : {"mohm", "mohms", "milliohm", "milliohms", "mΩ", "m\u2126"})
            if (unit(milli)) out.factor = 1e-3, out.said = true;
        for (const char* whole : {"ohm", "ohms", "Ω", "\u2126"})
            if (unit(whole)) out.said = true;
    }
    if (out.role == CycleRole::None && out.said && out.unit != "Wh") out.role = CycleRole::Capacity;
    if (out.role == CycleRole::Day) {
        if (holds({"h", "hours", "hour", "stunden"})) out.factor = 1.0 / 24;
        if (holds({"s", "sec", "seconds", "sekunden"})) out.factor = 1.0 / 86400;
        if (holds({"min", "minutes"})) out.factor = 1.0 / 1440;
    }
    return out;
}

}  // namespace nk
