#include "header.h"

#include <algorithm>
#include <array>
#include <cctype>

#include "header_words.h"
#include "quantity/harmless.h"

namespace nk {

namespace {

/// Equal, or equal but for letters that an encoding has lost.
bool sameWord(std::string_view seen, std::string_view known) {
    if (seen.find('?') == std::string_view::npos) return seen == known;
    if (seen.size() != known.size() || known.size() < 4) return false;
    std::size_t lost = 0;
    for (std::size_t k = 0; k < seen.size(); ++k) {
        if (seen[k] == '?')
            ++lost;
        else if (seen[k] != known[k])
            return false;
    }
    return lost * 3 <= seen.size() + 2;
}

bool among(std::string_view word, const std::vector<std::string_view>& list) {
    return std::ranges::any_of(list, [&](std::string_view known) { return sameWord(word, known); });
}

constexpr std::array<const char*, 16> kRoleNames = {
    "ignore",     "time",  "date", "voltage", "current", "temperature", "cell",      "counter_Ah",
    "counter_Wh", "power", "mode", "sample",  "step",    "charge",      "discharge", "resistance"};

std::vector<std::string> wordsOf(std::string_view text) {
    std::vector<std::string> words;
    std::string word;
    const auto flush = [&] {
        if (!word.empty()) words.push_back(std::move(word));
        word.clear();
    };
    for (std::size_t k = 0; k < text.size(); ++k) {
        const char c = text[k];
        const auto u = static_cast<unsigned char>(c);
        // A letter that an encoding has lost, inside a word or before it.
        const bool lost =
            c == '?' && (!word.empty() || (k + 1 < text.size() &&
                                           std::isalpha(static_cast<unsigned char>(text[k + 1]))));
        if (u >= 0x80 || std::isalnum(u) || c == '#' || lost)
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
            return Role::Resistance;
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

}  // namespace

std::string folded(std::string_view word) {
    // Letters with marks of the languages above, and what they are without.
    static constexpr std::pair<std::string_view, char> kPlain[] = {
        {"ä", 'a'}, {"á", 'a'}, {"à", 'a'}, {"â", 'a'}, {"ã", 'a'}, {"å", 'a'}, {"ą", 'a'},
        {"ć", 'c'}, {"ç", 'c'}, {"é", 'e'}, {"è", 'e'}, {"ê", 'e'}, {"ë", 'e'}, {"ę", 'e'},
        {"í", 'i'}, {"ì", 'i'}, {"î", 'i'}, {"ï", 'i'}, {"ł", 'l'}, {"Ł", 'l'}, {"ń", 'n'},
        {"ñ", 'n'}, {"ö", 'o'}, {"ó", 'o'}, {"ò", 'o'}, {"ô", 'o'}, {"õ", 'o'}, {"ś", 's'},
        {"Ś", 's'}, {"ü", 'u'}, {"ú", 'u'}, {"ù", 'u'}, {"û", 'u'}, {"ź", 'z'}, {"ż", 'z'},
        {"Ź", 'z'}, {"Ż", 'z'}, {"ø", 'o'}, {"Ø", 'o'}, {"Å", 'a'}, {"Ä", 'a'}, {"Ö", 'o'},
        {"Ü", 'u'}, {"ě", 'e'}, {"č", 'c'}, {"ř", 'r'}, {"š", 's'}, {"ž", 'z'}, {"ý", 'y'},
        {"ů", 'u'}, {"Ą", 'a'}, {"Ę", 'e'}, {"Ć", 'c'}, {"Ń", 'n'}};
    const std::string low = lowered(word);
    std::string out;
    for (std::size_t at = 0; at < low.size();) {
        if (static_cast<unsigned char>(low[at]) >= 0x80) {
            const auto known = std::ranges::find_if(kPlain, [&](const auto& p) {
                return low.compare(at, p.first.size(), p.first) == 0;
            });
            if (known != std::end(kPlain)) {
                out.push_back(known->second);
                at += known->first.size();
                continue;
            }
            if (low.compare(at, 3, "\xEF\xBF\xBD") ==
                0) {  // the character that stands for a lost one
                out.push_back('?');
                at += 3;
                continue;
            }
        }
        out.push_back(low[at++]);
    }
    return out;
}

bool isMissing(std::string_view cell) {
    if (cell.empty()) return true;
    if (cell.size() > 5) return false;
    const std::string word = lowered(cell);
    for (const std::string_view known : {"nan", "#n/a", "n/a", "na", "-", "--", "---", "----", "ol",
                                         "null", "none", "?", "#nan", "inf", "-nan", "err"})
        if (word == known) return true;
    return false;
}

std::string toString(Role role) {
    return kRoleNames[static_cast<std::size_t>(role)];
}

std::optional<Role> roleFrom(std::string_view name) {
    const auto found = std::ranges::find(kRoleNames, name);
    if (found == kRoleNames.end()) return std::nullopt;
    return static_cast<Role>(found - kRoleNames.begin());
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
            unit && column.title.size() > 1) {  // "V" alone may be the name
            column.unit = unit;
            column.unitText = column.title;
        }

    const HeaderWords& lists = headerWords();
    bool doubtful = false;
    bool stepWord = false;
    bool cell = false;
    for (std::string& word : words) {
        word = folded(word);
        if (std::ranges::find(lists.doubtful, word) != lists.doubtful.end()) doubtful = true;
        if (among(word, lists.discharging))
            column.direction = -1;
        else if (among(word, lists.charging) && column.direction == 0)
            column.direction = 1;
        if (word == "ladestrom" || word == "laadstroom" || word == "entladestrom" ||
            word == "ontlaadstroom" || word.starts_with("ich") || word.starts_with("idis") ||
            word.starts_with("idsg") || word.starts_with("idch"))
            column.role = Role::Current, column.score = std::max(column.score, 7.0);
        // Words that are written as one: "chargecurrent", "urladdningsstrom".
        for (const std::string_view end : {"current", "strom", "stroom"})
            if (word.size() > end.size() + 1 && word.ends_with(end) && column.score < 6) {
                const std::string_view which =
                    std::string_view(word).substr(0, word.size() - end.size());
                column.role = Role::Current, column.score = 6;
                if (among(which, lists.discharging))
                    column.direction = -1;
                else if (among(which, lists.charging) && column.direction == 0)
                    column.direction = 1;
            }
        bool known = false;
        for (int attempt = 0; attempt < 2 && !known; ++attempt) {
            if (among(word, lists.cells)) cell = known = true;
            for (const HeaderWords::Entry& entry : lists.roles) {
                if (!sameWord(word, entry.text)) continue;
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
    }
    // "t" is the time, "T" the temperature, where both letters stand alone.
    if (column.title == "T" ||
        (words.size() == 1 && words.front() == "t" && name.find('T') != std::string::npos))
        column.role = Role::Temperature, column.score = 2;
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
    // "t_cell1" is the temperature of a cell, not its voltage.
    if (!column.unit && cell && words.size() > 1 && words.front() == "t" &&
        column.role != Role::Voltage)
        column.role = Role::Temperature, column.score = 2;
    if (column.role == Role::Temperature) cell = false;
    const bool voltageLike = !column.unit || column.unit->quantity == Quantity::Voltage;
    if (voltageLike && column.number > 0 &&
        (cell || (column.role == Role::Voltage && words.front().size() <= 1)))
        column.role = Role::Cell;
    // "Charging" alone may yet be a current, where another column is what comes out.
    const bool only = column.role == Role::Ignore && !column.unit && words.size() == 1;
    if (column.role != Role::Current && !only) column.direction = 0;
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
    const auto has = [&](Role role) {
        return std::any_of(columns.begin(), columns.end(),
                           [&](const Column& c) { return c.role == role; });
    };
    // A column of what goes in and one of what comes out, and none of both.
    const auto named = [&](int direction) -> Column* {
        Column* found = nullptr;
        for (Column& c : columns)
            if (c.role == Role::Current && c.direction == direction &&
                (found == nullptr || c.score > found->score))
                found = &c;
        return found;
    };
    // Two columns with the names of the directions and no unit, and no other current.
    if (!has(Role::Current) && !has(Role::Power)) {
        const auto alone = [&](int direction) {
            return std::ranges::count_if(columns, [&](const Column& c) {
                return c.role == Role::Ignore && c.direction == direction;
            });
        };
        if (alone(1) == 1 && alone(-1) == 1)
            for (Column& c : columns)
                if (c.role == Role::Ignore && c.direction != 0) c.role = Role::Current, c.score = 4;
    }
    for (Column& c : columns) c.current = c.role == Role::Current;
    if (Column* const in = named(1); in != nullptr && named(0) == nullptr)
        if (Column* const out = named(-1); out != nullptr) {
            in->role = Role::ChargeCurrent;
            out->role = Role::DischargeCurrent;
        }
    for (const Role role : {Role::Time, Role::Date, Role::Voltage, Role::Current, Role::CounterAh,
                            Role::CounterWh, Role::Power, Role::Mode, Role::SampleNumber})
        keepBest(role);
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
    const std::string w = folded(trimmed(word));
    if (w.empty()) return std::nullopt;
    const auto has = [&](std::string_view part) { return w.find(part) != std::string::npos; };
    // Discharge words first: most of them contain the word for charge.
    for (const char* part :
         {"discharg", "dischg", "dischr", "dchg", "dch", "entlad", "decharge", "d?charge",
          "descarg", "scaric", "ontlad", "rozlad", "roz?ad", "load", "dsg", "dis"})
        if (has(part) && !has("laden") && !(std::string_view(part) == "dis" && has("display")))
            return -1;
    if (has("entladen") || has("ontladen")) return -1;
    for (const char* part : {"charg", "chg", "laden", "ladung", "lade", "carga", "carica", "ladow",
                             "?adow", "cc/cv", "cccv", "trickle", "float", "topoff"})
        if (has(part)) return +1;
    if (w == "c" || w == "cc" || w == "cv" || w == "chr") return +1;
    if (w == "d") return -1;
    if (w == "r") return 0;
    for (const char* part :
         {"rest", "idle", "pause", "off", "ruhe", "repos", "reposo", "riposo", "pauz", "stop",
          "ocv", "wait", "done", "end", "finish", "standby", "rust"})
        if (has(part)) return 0;
    return std::nullopt;
}

}  // namespace nk
