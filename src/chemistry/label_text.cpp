// What a line of a label says: figures with their units, "3S2P", words for the chemistry.
#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "chemistry.h"
#include "identify.h"
#include "quantity/number.h"
#include "quantity/units.h"

namespace nk {

namespace {

bool wordAt(const std::string& text, std::size_t at, std::size_t length) {
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'); };
    return (at == 0 || !letter(text[at - 1])) &&
           (at + length >= text.size() || !letter(text[at + length]));
}

bool hasWord(const std::string& text, const std::string& word) {
    for (std::size_t at = text.find(word); at != std::string::npos; at = text.find(word, at + 1))
        if (wordAt(text, at, word.size())) return true;
    return false;
}

struct Figure {
    double value = 0;
    std::string unit;
    std::size_t at = 0;
};

/// Numbers with the letters behind them.
std::vector<Figure> figuresIn(const std::string& text) {
    std::vector<Figure> out;
    for (std::size_t k = 0; k < text.size();) {
        if (text[k] < '0' || text[k] > '9') {
            ++k;
            continue;
        }
        Figure f;
        f.at = k;
        std::string digits;
        while (k < text.size() && ((text[k] >= '0' && text[k] <= '9') ||
                                   ((text[k] == '.' || text[k] == ',') && k + 1 < text.size() &&
                                    text[k + 1] >= '0' && text[k + 1] <= '9'))) {
            digits.push_back(text[k] == ',' ? '.' : text[k]);
            ++k;
        }
        while (k < text.size() && text[k] == ' ') ++k;
        while (k < text.size() && text[k] >= 'a' && text[k] <= 'z' && f.unit.size() < 8)
            f.unit.push_back(text[k++]);
        // Two points are no number (a date, a version).
        if (std::ranges::count(digits, '.') > 1 || digits.size() > 12) continue;
        f.value = readNumber(digits).value_or(0);
        out.push_back(std::move(f));
    }
    return out;
}

/// "cr123a", "r20": letters, then digits (and perhaps a letter or two) as a word of their own.
bool hasType(const std::string& text, const std::string& letters) {
    for (std::size_t at = text.find(letters); at != std::string::npos;
         at = text.find(letters, at + 1)) {
        std::size_t end = at + letters.size();
        const std::size_t digits = end;
        while (end < text.size() && text[end] >= '0' && text[end] <= '9') ++end;
        if (end == digits) continue;
        while (end < text.size() && end - digits < 7 && text[end] >= 'a' && text[end] <= 'z') ++end;
        if (wordAt(text, at, end - at)) return true;
    }
    return false;
}

/// Kinds that are none of ours, by their words and type letters (IEC 60086-1 letters: C lithium, E
/// thionyl chloride, L alkaline, S silver, P zinc-air; R alone zinc-carbon; memory).
std::string noneOfOurs(const std::string& text) {
    struct None {
        const char* kind;
        std::vector<const char*> words, types;
    };
    static const std::vector<None> all = {
        {"lithium primary",
         {"lithium primary", "primary lithium", "li-socl2", "lisocl2", "li/socl2", "thionyl",
          "li-mno2", "limno2", "li/mno2", "lithium manganese dioxide", "li-fes2", "lithium metal"},
         {"cr", "br", "er", "fr", "2cr", "cr-p", "cr-v"}},
        {"alkaline primary", {"alkaline", "alkaline manganese"}, {"lr", "6lr", "4lr"}},
        {"zinc-carbon primary",
         {"zinc carbon", "zinc-carbon", "zinc chloride", "zinc-chloride", "heavy duty"},
         {"6f", "3r"}},
        {"silver-oxide primary", {"silver oxide", "silver-oxide", "silver zinc"}, {"sr"}},
        {"zinc-air primary", {"zinc air", "zinc-air"}, {"pr"}},
        {"lead-acid",
         {"lead acid", "lead-acid", "sealed lead", "sla", "vrla", "agm", "pb", "gel battery"},
         {}},
    };
    // A rechargeable one that is made in the size of a primary says so.
    for (const char* word : {"rechargeable", "li-ion", "li ion", "lithium ion", "lithium-ion",
                             "nimh", "ni-mh", "nicd", "ni-cd", "lifepo4", "rcr123", "rcr123a"})
        if (hasWord(text, word)) return {};
    for (const None& n : all) {
        for (const char* word : n.words)
            if (hasWord(text, word)) return n.kind;
        for (const char* type : n.types)
            if (hasType(text, type)) return n.kind;
    }
    // "R20" and its like: zinc-carbon sizes.
    for (const char* size : {"r1", "r3", "r6", "r03", "r14", "r20"})
        if (hasWord(text, size)) return "zinc-carbon primary";
    return {};
}

}  // namespace

LabelWords readLabel(const std::string& given) {
    constexpr std::size_t kLongest = 2000;
    const std::string text = lowered(given.substr(0, kLongest));
    LabelWords out;
    std::vector<double> voltages;
    for (const Figure& f : figuresIn(text)) {
        if (!(f.value > 0)) continue;
        if (f.unit == "mah") out.figures.capacity_Ah = f.value / 1000;
        if (f.unit == "ah") out.figures.capacity_Ah = f.value;
        if (f.unit == "wh") out.figures.energy_Wh = f.value;
        if (f.unit == "kwh") out.figures.energy_Wh = f.value * 1000;
        if (f.unit == "v" || f.unit == "volt" || f.unit == "volts" || f.unit == "vdc")
            voltages.push_back(f.value);
        const bool whole = f.value == std::floor(f.value) && f.value <= kMostSeries;
        if (whole && f.unit == "s") out.series = static_cast<int>(f.value);
        if (whole && f.unit == "p") out.parallel = static_cast<int>(f.value);
    }
    if (!voltages.empty()) {
        std::ranges::sort(voltages);
        out.figures.nominal_V = voltages.front();
        if (voltages.size() > 1 && voltages.back() > 1.04 * voltages.front())
            out.figures.max_V = voltages.back();
    }
    // What each word of a label means, from the narrow to the wide.
    struct Said {
        std::string word;
        std::vector<std::string> kinds;
    };
    static const std::vector<Said> words = [] {
        std::vector<Said> list;
        for (const Chemistry& c : chemistries())
            for (const std::string& word : c.words) {
                const auto known = std::ranges::find(list, word, &Said::word);
                if (known == list.end())
                    list.push_back({word, {c.id}});
                else
                    known->kinds.push_back(c.id);
            }
        std::ranges::stable_sort(list, {}, [](const Said& s) {
            return std::pair(s.kinds.size(), -static_cast<int>(s.word.size()));
        });
        return list;
    }();
    out.none = noneOfOurs(text);
    for (const Said& s : words)
        if (hasWord(text, s.word)) {
            out.chemistries = s.kinds;
            break;  // from the narrow to the wide
        }
    return out;
}

}  // namespace nk
