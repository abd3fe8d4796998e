#include "header.h"

#include <algorithm>
#include <array>
#include <cctype>

#include "quantity/harmless.h"

namespace nk {

namespace {

struct Word {
    std::string_view text;
    Role role;
    double score;
};

// Words of logger headers in English, German, French, Spanish, Italian, Dutch and Polish.
constexpr std::array kWords = {
    Word{"time", Role::Time, 6},
    Word{"timestamp", Role::Time, 7},
    Word{"datetime", Role::Time, 7},
    Word{"elapsed", Role::Time, 7},
    Word{"t", Role::Time, 2},
    Word{"zeit", Role::Time, 6},
    Word{"uhrzeit", Role::Time, 5},
    Word{"laufzeit", Role::Time, 7},
    Word{"zeitstempel", Role::Time, 7},
    Word{"temps", Role::Time, 6},
    Word{"tiempo", Role::Time, 6},
    Word{"tempo", Role::Time, 6},
    Word{"tijd", Role::Time, 6},
    Word{"czas", Role::Time, 6},
    Word{"heure", Role::Time, 5},
    Word{"hora", Role::Time, 5},
    Word{"ora", Role::Time, 5},
    Word{"seconds", Role::Time, 6},
    Word{"sec", Role::Time, 5},
    Word{"secs", Role::Time, 5},
    Word{"millis", Role::Time, 6},
    Word{"epoch", Role::Time, 7},
    Word{"dauer", Role::Time, 5},
    Word{"minutes", Role::Time, 5},
    Word{"hours", Role::Time, 5},
    Word{"clock", Role::Time, 5},
    Word{"sekunden", Role::Time, 6},
    Word{"date", Role::Date, 6},
    Word{"datum", Role::Date, 6},
    Word{"fecha", Role::Date, 6},
    Word{"data", Role::Date, 4},
    Word{"jour", Role::Date, 4},
    Word{"day", Role::Date, 3},
    Word{"voltage", Role::Voltage, 7},
    Word{"volt", Role::Voltage, 6},
    Word{"volts", Role::Voltage, 6},
    Word{"v", Role::Voltage, 4},
    Word{"u", Role::Voltage, 4},
    Word{"vbat", Role::Voltage, 7},
    Word{"vbatt", Role::Voltage, 7},
    Word{"ubat", Role::Voltage, 7},
    Word{"ubatt", Role::Voltage, 7},
    Word{"vpack", Role::Voltage, 7},
    Word{"spannung", Role::Voltage, 7},
    Word{"tension", Role::Voltage, 7},
    Word{"tensión", Role::Voltage, 7},
    Word{"voltaje", Role::Voltage, 7},
    Word{"tensione", Role::Voltage, 7},
    Word{"spanning", Role::Voltage, 7},
    Word{"napięcie", Role::Voltage, 7},
    Word{"potential", Role::Voltage, 5},
    Word{"current", Role::Current, 7},
    Word{"amps", Role::Current, 6},
    Word{"amp", Role::Current, 5},
    Word{"ampere", Role::Current, 6},
    Word{"i", Role::Current, 4},
    Word{"a", Role::Current, 2},
    Word{"ibat", Role::Current, 7},
    Word{"ibatt", Role::Current, 7},
    Word{"strom", Role::Current, 7},
    Word{"stromstärke", Role::Current, 7},
    Word{"courant", Role::Current, 7},
    Word{"corriente", Role::Current, 7},
    Word{"intensidad", Role::Current, 7},
    Word{"corrente", Role::Current, 7},
    Word{"stroom", Role::Current, 7},
    Word{"prąd", Role::Current, 7},
    Word{"temperature", Role::Temperature, 7},
    Word{"temp", Role::Temperature, 6},
    Word{"temps.", Role::Temperature, 3},
    Word{"temperatur", Role::Temperature, 7},
    Word{"température", Role::Temperature, 7},
    Word{"temperatura", Role::Temperature, 7},
    Word{"temperatuur", Role::Temperature, 7},
    Word{"tbat", Role::Temperature, 7},
    Word{"tbatt", Role::Temperature, 7},
    Word{"tcell", Role::Temperature, 7},
    Word{"thermo", Role::Temperature, 5},
    Word{"temper", Role::Temperature, 5},
    Word{"capacity", Role::CounterAh, 6},
    Word{"kapazität", Role::CounterAh, 6},
    Word{"capacité", Role::CounterAh, 6},
    Word{"capacidad", Role::CounterAh, 6},
    Word{"capacità", Role::CounterAh, 6},
    Word{"ladung", Role::CounterAh, 5},
    Word{"ah", Role::CounterAh, 6},
    Word{"mah", Role::CounterAh, 6},
    Word{"charge", Role::CounterAh, 3},
    Word{"q", Role::CounterAh, 3},
    Word{"amphours", Role::CounterAh, 6},
    Word{"energy", Role::CounterWh, 6},
    Word{"energie", Role::CounterWh, 6},
    Word{"énergie", Role::CounterWh, 6},
    Word{"energía", Role::CounterWh, 6},
    Word{"energia", Role::CounterWh, 6},
    Word{"wh", Role::CounterWh, 6},
    Word{"mwh", Role::CounterWh, 6},
    Word{"power", Role::Power, 6},
    Word{"leistung", Role::Power, 6},
    Word{"puissance", Role::Power, 6},
    Word{"potencia", Role::Power, 6},
    Word{"potenza", Role::Power, 6},
    Word{"watt", Role::Power, 5},
    Word{"watts", Role::Power, 5},
    Word{"p", Role::Power, 3},
    Word{"vermogen", Role::Power, 6},
    Word{"mode", Role::Mode, 6},
    Word{"state", Role::Mode, 6},
    Word{"status", Role::Mode, 6},
    Word{"phase", Role::Mode, 5},
    Word{"modus", Role::Mode, 6},
    Word{"zustand", Role::Mode, 6},
    Word{"betriebsart", Role::Mode, 6},
    Word{"état", Role::Mode, 6},
    Word{"modo", Role::Mode, 6},
    Word{"estado", Role::Mode, 6},
    Word{"stato", Role::Mode, 6},
    Word{"direction", Role::Mode, 6},
    Word{"richtung", Role::Mode, 6},
    Word{"action", Role::Mode, 4},
    Word{"tryb", Role::Mode, 6},
    Word{"type", Role::Mode, 3},
    Word{"activity", Role::Mode, 4},
    Word{"function", Role::Mode, 4},
    Word{"no", Role::SampleNumber, 3},
    Word{"nr", Role::SampleNumber, 3},
    Word{"#", Role::SampleNumber, 4},
    Word{"index", Role::SampleNumber, 5},
    Word{"sample", Role::SampleNumber, 5},
    Word{"record", Role::SampleNumber, 5},
    Word{"row", Role::SampleNumber, 5},
    Word{"n", Role::SampleNumber, 3},
    Word{"point", Role::SampleNumber, 4},
    Word{"seq", Role::SampleNumber, 5},
    Word{"id", Role::SampleNumber, 3},
    Word{"step", Role::Step, 5},
    Word{"cycle", Role::Step, 5},
    Word{"schritt", Role::Step, 5},
    Word{"zyklus", Role::Step, 5},
    Word{"ciclo", Role::Step, 5},
    Word{"loop", Role::Step, 4},
};

// Words that make a column a setting or a statistic rather than the measured value.
constexpr std::array<std::string_view, 22> kDoubtful = {
    "set",   "target", "soll",     "max",     "min",    "avg", "average", "mean",
    "limit", "cutoff", "ref",      "input",   "supply", "usb", "aux",     "delta",
    "diff",  "error",  "internal", "ambient", "board",  "chip"};

std::vector<std::string> wordsOf(std::string_view text) {
    std::vector<std::string> words;
    std::string word;
    const auto flush = [&] {
        if (!word.empty()) words.push_back(std::move(word));
        word.clear();
    };
    for (const char c : text) {
        const auto u = static_cast<unsigned char>(c);
        if (u >= 0x80 || std::isalnum(u) || c == '#')
            word.push_back(c);
        else
            flush();
    }
    flush();
    return words;
}

std::optional<Role> roleOfUnit(const Unit& unit) {
    switch (unit.quantity) {
        case Quantity::Time:
            return Role::Time;
        case Quantity::Voltage:
            return Role::Voltage;
        case Quantity::Current:
            return Role::Current;
        case Quantity::Temperature:
            return Role::Temperature;
        case Quantity::Charge:
            return Role::CounterAh;
        case Quantity::Energy:
            return Role::CounterWh;
        case Quantity::Power:
            return Role::Power;
        case Quantity::Resistance:
            return Role::Ignore;
    }
    return std::nullopt;
}

/// Cuts a unit out of the title: in brackets, or after the last / , _ - or space.
void splitUnit(const std::string& title, std::string& name, Column& column) {
    name = title;
    for (const auto& [open, close] :
         {std::pair{'(', ')'}, std::pair{'[', ']'}, std::pair{'{', '}'}, std::pair{'<', '>'}}) {
        const auto from = title.rfind(open);
        const auto to = title.find(close, from == std::string::npos ? 0 : from);
        if (from == std::string::npos || to == std::string::npos) continue;
        const std::string inside = title.substr(from + 1, to - from - 1);
        if (const auto unit = parseUnit(inside)) {
            column.unit = unit;
            column.unitText = trimmed(inside);
            name = title.substr(0, from) + " " + title.substr(to + 1);
            return;
        }
        if (lowered(inside).find(":mm") != std::string::npos) name = title.substr(0, from);
    }
    for (const char separator : {'/', ',', '_', '-', '.', ' '}) {
        const auto at = title.rfind(separator);
        if (at == std::string::npos || at == 0) continue;
        std::string tail = title.substr(at + 1);
        if (lowered(tail) == "in") continue;
        if (const auto unit = parseUnit(tail)) {
            // "T_c" style: a single letter after a space or dot is as likely a name.
            column.unit = unit;
            column.unitText = trimmed(tail);
            name = title.substr(0, at);
            return;
        }
    }
}

int trailingNumber(std::string& word) {
    std::size_t digits = 0;
    while (digits < word.size() &&
           std::isdigit(static_cast<unsigned char>(word[word.size() - 1 - digits])))
        ++digits;
    if (digits == 0 || digits > 3) return 0;
    const int number = std::stoi(word.substr(word.size() - digits));
    word.resize(word.size() - digits);
    return number;
}

bool isCellWord(std::string_view word) {
    for (const std::string_view cell : {"cell", "cells", "zelle", "cellule", "celda", "cella",
                                        "cel", "ogniwo", "vcell", "ucell", "cellv", "vc", "uc"})
        if (word == cell) return true;
    return false;
}

}  // namespace

std::string toString(Role role) {
    static constexpr std::array<const char*, 13> names = {
        "ignore",     "time",       "date",  "voltage", "current", "temperature", "cell",
        "counter_Ah", "counter_Wh", "power", "mode",    "sample",  "step"};
    return names[static_cast<std::size_t>(role)];
}

Column readHeaderCell(std::string_view title) {
    Column column;
    column.title = harmless(trimmed(title));
    std::string name;
    splitUnit(column.title, name, column);
    std::vector<std::string> words = wordsOf(lowered(name));
    // A title that is only a unit ("V", "mA", "°C") names the column by it.
    if (!column.unit && words.size() == 1)
        if (const auto unit = parseUnit(column.title);
            unit && column.title != "t" && column.title != "T") {
            column.unit = unit;
            column.unitText = column.title;
        }

    bool doubtful = false;
    bool stepWord = false;
    bool cell = false;
    for (std::string& word : words) {
        if (std::find(kDoubtful.begin(), kDoubtful.end(), word) != kDoubtful.end()) doubtful = true;
        bool known = false;
        for (int attempt = 0; attempt < 2 && !known; ++attempt) {
            if (isCellWord(word)) cell = known = true;
            for (const Word& entry : kWords) {
                if (entry.text != word) continue;
                known = true;
                stepWord |= entry.role == Role::Step;
                if (entry.score > column.score) {
                    column.score = entry.score;
                    column.role = entry.role;
                }
                break;
            }
            if (known || attempt == 1) break;
            const int number = trailingNumber(word);
            if (number == 0) break;
            column.number = number;
            if (word == "c") cell = known = true;
        }
        if (!known && !word.empty() && std::isdigit(static_cast<unsigned char>(word.front())) &&
            word.size() <= 3)
            column.number = std::stoi(word);
        else if (word.empty() && column.number == 0)
            continue;
    }
    if (column.unit) {
        const auto byUnit = roleOfUnit(*column.unit);
        if (byUnit && column.role != *byUnit) {
            // The unit is the surer witness, except that "T [s]" and "t [°C]" agree with theirs.
            const bool ambiguousLetter = column.unitText.size() == 1 && column.score >= 6 &&
                                         column.role != Role::CounterAh &&
                                         column.role != Role::Time;
            if (!ambiguousLetter) {
                column.role = *byUnit;
                column.score = std::max(4.0, column.score * 0.5);
            } else {
                column.unit.reset();
            }
        }
        if (column.unit) column.score += 2;
    }
    const bool voltageLike = !column.unit || column.unit->quantity == Quantity::Voltage;
    if (voltageLike && column.number > 0 &&
        (cell || (column.role == Role::Voltage && words.front().size() <= 1)))
        column.role = Role::Cell;
    if (column.role == Role::Time && stepWord) column.score -= 3;
    if (column.role == Role::Mode && !stepWord && column.score < 4) column.score -= 1;
    if (doubtful && column.role != Role::Cell) column.score -= 3.5;
    if (column.score <= 0 && column.role != Role::Cell) column.role = Role::Ignore;
    return column;
}

void settleRoles(std::vector<Column>& columns) {
    const auto keepBest = [&](Role role) {
        Column* best = nullptr;
        for (Column& c : columns)
            if (c.role == role && (best == nullptr || c.score > best->score)) best = &c;
        for (Column& c : columns)
            if (c.role == role && &c != best) c.role = Role::Ignore;
    };
    for (const Role role : {Role::Time, Role::Date, Role::Voltage, Role::Current, Role::CounterAh,
                            Role::CounterWh, Role::Power, Role::Mode, Role::SampleNumber})
        keepBest(role);
    const auto has = [&](Role role) {
        return std::any_of(columns.begin(), columns.end(),
                           [&](const Column& c) { return c.role == role; });
    };
    const auto countCells = std::count_if(columns.begin(), columns.end(),
                                          [](const Column& c) { return c.role == Role::Cell; });
    // A lone numbered voltage with no pack voltage beside it is the battery's.
    if (!has(Role::Voltage) && countCells == 1)
        for (Column& c : columns)
            if (c.role == Role::Cell) c.role = Role::Voltage;
    if (!has(Role::Time) && has(Role::Date))
        for (Column& c : columns)
            if (c.role == Role::Date) c.role = Role::Time;
}

std::optional<int> modeSign(std::string_view word) {
    const std::string w = lowered(trimmed(word));
    if (w.empty()) return std::nullopt;
    const auto has = [&](std::string_view part) { return w.find(part) != std::string::npos; };
    // Discharge words first: most of them contain the word for charge.
    for (const char* part :
         {"discharg", "dischg", "dischr", "dchg", "dch", "entlad", "décharge", "decharge",
          "descarg", "scaric", "ontlad", "rozład", "load", "dsg", "dis"})
        if (has(part) && !has("laden") && !(std::string_view(part) == "dis" && has("display")))
            return -1;
    if (has("entladen") || has("ontladen")) return -1;
    for (const char* part : {"charg", "chg", "laden", "ladung", "lade", "carga", "carica", "ładow",
                             "cc/cv", "cccv", "trickle", "float", "topoff"})
        if (has(part)) return +1;
    if (w == "c" || w == "cc" || w == "cv" || w == "chr") return +1;
    if (w == "d") return -1;
    for (const char* part : {"rest", "idle", "pause", "off", "ruhe", "repos", "reposo", "riposo",
                             "stop", "ocv", "wait", "done", "end", "finish", "standby", "rust"})
        if (has(part)) return 0;
    return std::nullopt;
}

}  // namespace nk
