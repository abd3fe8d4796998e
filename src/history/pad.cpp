#include "pad.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "quantity/format.h"
#include "quantity/harmless.h"
#include "quantity/number.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// A number as it stands, with the value of its last digit.
struct Number {
    double value = 0;
    double lastDigit = 1;
    bool clock = false;  ///< h:mm or h:mm:ss, in seconds
};

struct Unit {
    const char* word;
    const char* kind;  ///< of a spot reading, or temperature, current
    double factor;
};

constexpr Unit kUnits[] = {
    {"mah", "charge", 1e-3},    {"ah", "charge", 1},          {"mwh", "energy", 1e-3},
    {"wh", "energy", 1},        {"kwh", "energy", 1e3},       {"mv", "voltage", 1e-3},
    {"v", "voltage", 1},        {"mohm", "resistance", 1e-3}, {"mo", "resistance", 1e-3},
    {"mω", "resistance", 1e-3}, {"ohm", "resistance", 1},     {"ω", "resistance", 1},
    {"ma", "current", 1e-3},    {"a", "current", 1},          {"°c", "temperature", 1},
    {"c", "temperature", 1},    {"grad", "temperature", 1},   {"min", "duration", 60},
    {"h", "duration", 3600},    {"s", "duration", 1},
};

/// Lower case, and the two signs of the ohm as one.
std::string plain(const std::string& word) {
    std::string out;
    for (std::size_t k = 0; k < word.size(); ++k) {
        if (word.compare(k, 2, "Ω") == 0) {  // Greek
            out += "ω";
            ++k;
        } else if (word.compare(k, 3, "\u2126") == 0) {  // the ohm sign
            out += "ω";
            k += 2;
        } else {
            const char c = word[k];
            out.push_back(c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c);
        }
    }
    return out;
}

bool digit(char c) {
    return c >= '0' && c <= '9';
}

/// Takes a number from the front of `word`; false when there is none, or none that is plain.
bool takeNumber(std::string& word, Number& into) {
    std::size_t end = 0;
    if (end < word.size() && (word[end] == '-' || word[end] == '+')) ++end;
    while (end < word.size() &&
           (digit(word[end]) || word[end] == '.' || word[end] == ',' || word[end] == ':'))
        ++end;
    std::string text = word.substr(0, end);
    if (text.find_first_of("0123456789") == std::string::npos) return false;
    if (text.find(':') != std::string::npos) {
        double seconds = 0;
        double part = 0;
        int parts = 1;
        for (const char c : text) {
            if (c == ':') {
                seconds = seconds * 60 + part;
                part = 0;
                ++parts;
            } else if (digit(c)) {
                part = part * 10 + (c - '0');
            } else {
                return false;
            }
        }
        if (parts > 3) return false;
        seconds = seconds * 60 + part;
        into = {parts == 2 ? seconds * 60 : seconds, parts == 2 ? 60.0 : 1.0, true};
    } else {
        std::ranges::replace(text, ',', '.');
        if (std::ranges::count(text, '.') > 1) return false;
        const std::size_t point = text.find('.');
        into.value = readNumber(text).value_or(kNaN);
        into.lastDigit = point == std::string::npos
                             ? 1
                             : std::pow(10.0, -static_cast<double>(text.size() - point - 1));
        into.clock = false;
    }
    word.erase(0, end);
    return std::isfinite(into.value);
}

const Unit* unitOf(const std::string& word) {
    const std::string wanted = plain(word);
    for (const Unit& u : kUnits)
        if (wanted == u.word) return &u;
    return nullptr;
}

const char* unitWord(const std::string& kind) {
    return kind == "charge"        ? "Ah"
           : kind == "energy"      ? "Wh"
           : kind == "voltage"     ? "V"
           : kind == "resistance"  ? "ohm"
           : kind == "current"     ? "A"
           : kind == "temperature" ? "C"
                                   : "s";
}

class Pad {
  public:
    Pad(const std::string& line, const Battery& battery) : battery_(battery) {
        std::string word;
        for (const char c : line + " ") {
            if (c == ' ' || c == '\t' || c == ';' || c == '\n') {
                if (!word.empty()) take(std::move(word));
                word.clear();
            } else {
                word.push_back(c);
            }
        }
        if (!numbers_.empty() || join_ != 0) unknown(phrase("a number without a unit"));
        finish();
    }
    PadLine done() { return std::move(out_); }

  private:
    void unknown(const std::string& what) {
        if (out_.problem.empty())
            out_.problem = phrase(
                "Not understood: {}. Numbers with their units are accepted, as in "
                "1.86 Ah 22.9 Wh 3:41 10.2 V 31 °C.",
                what);
    }

    void take(std::string word) {
        // A sign that stands alone joins what is on its two sides: a test in several parts, or a
        // counter that was not reset before it.
        if (word == "+" || word == "-" || word == "\u2212") {
            if (join_ != 0 || (numbers_.empty() && out_.readings.empty()))
                unknown(harmless(word, 30));
            join_ = word == "+" ? 1 : -1;
            return;
        }
        // "288," is a number of a list; "0,26" has a decimal comma.
        while (!word.empty() && word.back() == ',') word.pop_back();
        if (word.empty()) return;
        Number n;
        if (takeNumber(word, n)) {
            numbers_.push_back(n);
            signs_.push_back(join_);
            join_ = 0;
            if (n.clock && word.empty()) {
                store("duration", 1);
                return;
            }
            if (word.empty()) return;
        }
        if (numbers_.empty() && sayWord(plain(word))) return;
        const Unit* unit = unitOf(word);
        if (unit == nullptr || numbers_.empty()) {
            unknown(harmless(word, 30));
            numbers_.clear();
            signs_.clear();
            return;
        }
        store(unit->kind, unit->factor);
    }

    /// Words that say under what the volts were read.
    bool sayWord(const std::string& word) {
        for (const char* w : {"rest", "rested", "resting", "ruhe", "ruhend"})
            if (word == w) return rested_ = true;
        for (const char* w : {"load", "loaded", "last"})
            if (word == w) return loaded_ = true;
        return word == "at" || word == "under" || word == "in" || word == "unter";
    }

    void store(const std::string& kind, double factor) {
        const std::vector<int> signs = std::exchange(signs_, {});
        if (std::ranges::any_of(signs, [](int sign) { return sign != 0; })) {
            joined(kind, factor, signs);
            return;
        }
        SpotReading s;
        s.kind = kind;
        std::vector<double> values;
        for (const Number& n : numbers_) values.push_back(n.value * factor);
        s.resolution = numbers_.back().lastDigit * factor;
        numbers_.clear();
        if (values.size() > 1) {
            s.repeats = values;
            std::ranges::sort(values);
        }
        s.value = values[values.size() / 2];
        const bool signedKind = kind == "temperature" || kind == "current";
        if (!signedKind && !(s.value > 0)) {
            unknown(phrase("{} is not above 0", shortValue(s.value, unitWord(kind))));
            return;
        }
        if (kind == "temperature") {
            temperature_C_ = s.value;
            out_.chips.push_back(shortValue(s.value, "C"));
            return;
        }
        if (kind == "current") {
            current_A_ = s.value;
            out_.chips.push_back(shortValue(s.value, "A"));
            return;
        }
        if (kind == "voltage") voltageChip_ = out_.chips.size();
        out_.chips.push_back(
            kind == "duration" ? durationText(s.value)
            : s.repeats.size() > 1
                ? phrase("{} of {} readings", shortValue(s.value, unitWord(kind)), s.repeats.size())
                : shortValue(s.value, unitWord(kind)));
        out_.readings.push_back(std::move(s));
    }

    /// Numbers with signs between them, in one unit or each in its own.
    void joined(const std::string& kind, double factor, const std::vector<int>& signs) {
        const std::vector<Number> numbers = std::exchange(numbers_, {});
        const bool adds = kind == "charge" || kind == "energy" || kind == "duration";
        const bool toLast = signs.front() != 0;  // the one before had its unit already
        const bool same = toLast && !out_.readings.empty() && out_.readings.back().kind == kind &&
                          out_.readings.back().repeats.empty();
        // Repeats and parts in one list cannot be told apart.
        const bool mixed =
            std::ranges::any_of(signs.begin() + 1, signs.end(), [](int sign) { return sign == 0; });
        if (!adds || mixed || (toLast && !same)) {
            unknown(phrase("a sign between figures that do not add up"));
            return;
        }
        SpotReading s;
        s.kind = kind;
        double squares = 0;
        double value = 0;
        if (toLast) {
            value = out_.readings.back().value;
            squares = out_.readings.back().resolution * out_.readings.back().resolution;
            out_.readings.pop_back();
            out_.chips.pop_back();
        }
        for (std::size_t k = 0; k < numbers.size(); ++k) {
            value += (signs[k] < 0 ? -1 : 1) * numbers[k].value * factor;
            squares += std::pow(numbers[k].lastDigit * factor, 2);
        }
        s.value = value;
        s.resolution = std::sqrt(squares);
        if (!(s.value > 0)) {
            unknown(phrase("{} is not above 0", shortValue(s.value, unitWord(kind))));
            return;
        }
        out_.chips.push_back(phrase("{} in all", kind == "duration"
                                                     ? durationText(s.value)
                                                     : shortValue(s.value, unitWord(kind))));
        out_.readings.push_back(std::move(s));
    }

    const SpotReading* of(const char* kind) const {
        for (const SpotReading& s : out_.readings)
            if (s.kind == kind) return &s;
        return nullptr;
    }

    void finish() {
        for (SpotReading& s : out_.readings) {
            s.temperature_C = temperature_C_;
            s.current_A = current_A_;
        }
        if (out_.readings.empty() && out_.problem.empty())
            out_.problem = phrase("There is no reading in it yet.");
        // A line with a charge is a discharge that ended: its volts are volts under load. So are
        // those beside a current. Only volts alone, or a line that says so, are rested.
        const bool flows = std::isfinite(current_A_) && current_A_ != 0;
        underLoad_ = loaded_ || (!rested_ && (of("charge") != nullptr || of("energy") != nullptr ||
                                              of("duration") != nullptr || flows));
        for (SpotReading& s : out_.readings)
            if (s.kind == "voltage" && underLoad_) s.method = "under_load";
        if (underLoad_ && of("voltage") != nullptr)
            out_.chips[voltageChip_] += phrase(" (under load)");
        voltage();
        charge();
        energy();
        resistance();
        if (std::isfinite(temperature_C_) && (temperature_C_ > 90 || temperature_C_ < -40))
            out_.questions.push_back(phrase("{} is no temperature of a battery in use.",
                                            shortValue(temperature_C_, "C")));
    }

    /// Without a current in the line it may have rested: what that would tell.
    void rested(const SpotReading& v) {
        if (underLoad_) return;
        const double cells = battery_.cells();
        const auto soc =
            restedCharge(battery_, v.value / cells, v.resolution / std::sqrt(12.0) / cells);
        if (soc)
            out_.chips[voltageChip_] +=
                phrase(" (rested: {:.0f} to {:.0f} % charged)", 100 * soc->low, 100 * soc->high);
    }

    /// Against what the battery can have, V of the whole: from over-drained to the fault limit.
    void voltage() {
        const SpotReading* v = of("voltage");
        const Chemistry* c = battery_.chemistryData();
        if (v == nullptr || c == nullptr || battery_.series <= 0) return;
        // A deeply drained battery is questioned too: better once too often.
        const double low = (c->nickel() ? 0.6 : 0.95) * c->overdischarge_V * battery_.series;
        const double top = c->nickel() ? 1.7 : c->fault_V + 0.1;
        const double high = top * battery_.series;
        if (v->value >= low && v->value <= high) {
            rested(*v);
            return;
        }
        const auto fits = [&](double x) { return x >= low && x <= high; };
        std::string text = phrase("{} is not what {} cells in series show. ",
                                  shortValue(v->value, "V"), battery_.series);
        if (battery_.series > 1 && fits(v->value * battery_.series))
            text += phrase("Is it one cell? The battery would show {}.",
                           shortValue(v->value * battery_.series, "V"));
        else if (fits(v->value * 10) || fits(v->value / 10))
            text += phrase("Is a decimal place wrong? {} would fit.",
                           shortValue(fits(v->value * 10) ? v->value * 10 : v->value / 10, "V"));
        else
            text +=
                phrase("Between {} and {} would fit.", shortValue(low, "V"), shortValue(high, "V"));
        out_.questions.push_back(std::move(text));
    }

    void charge() {
        const SpotReading* q = of("charge");
        if (q == nullptr || battery_.rated_Ah <= 0) return;
        const double share = q->value / battery_.rated_Ah;
        if (share <= 1.3) {
            // A thousandth: milliampere-hours typed as ampere-hours are too large, not too small.
            if (share < 0.002)
                out_.questions.push_back(phrase("{} of a battery of {}: are these ampere-hours?",
                                                shortValue(q->value, "Ah"),
                                                shortValue(battery_.rated_Ah, "Ah")));
            return;
        }
        std::string text = phrase("{} is more than a battery of {} holds. ",
                                  shortValue(q->value, "Ah"), shortValue(battery_.rated_Ah, "Ah"));
        if (share / 1000 < 1.3 && share / 1000 > 0.05)
            text += phrase("Are these mAh?");
        else if (share / 10 < 1.3)
            text += phrase("Is a decimal place wrong, or was a counter not reset?");
        out_.questions.push_back(std::move(text));
    }

    void energy() {
        const SpotReading* e = of("energy");
        const SpotReading* q = of("charge");
        const Chemistry* c = battery_.chemistryData();
        if (e == nullptr || q == nullptr || c == nullptr || battery_.series <= 0) return;
        const double mean = e->value / q->value / battery_.series;
        const double top = c->nickel() ? 1.6 : c->fault_V;
        if (mean > 0.75 * c->dischargeFloor_V && mean < top) return;
        std::string text = phrase("{} over {} is {:.3g} V a cell. ", shortValue(e->value, "Wh"),
                                  shortValue(q->value, "Ah"), mean);
        for (const double factor : {1e3, 1e-3, 10.0, 0.1})
            if (mean * factor > 0.75 * c->dischargeFloor_V && mean * factor < top) {
                text += std::abs(factor) > 99 || factor < 0.01
                            ? phrase("Is one of them in thousandths (mAh, mWh)?")
                            : phrase("Is a decimal place wrong?");
                out_.questions.push_back(std::move(text));
                return;
            }
        out_.questions.push_back(text + phrase("Are these watts, or the Wh of one cell?"));
    }

    void resistance() {
        const SpotReading* r = of("resistance");
        if (r == nullptr || battery_.rated_Ah <= 0) return;
        // A cell's resistance times its capacity lies between 1 mΩ·Ah and 3 Ω·Ah (common practice).
        const double scale = r->value * battery_.rated_Ah / battery_.cells();
        if (scale > 3)
            out_.questions.push_back(
                phrase("{} is very much for this battery. Are these milliohms?",
                       shortValue(r->value, "ohm")));
        if (scale < 1e-3)
            out_.questions.push_back(
                phrase("{} is very little for this battery. Is it one cell, or "
                       "ohms?",
                       shortValue(r->value, "ohm")));
    }

    const Battery& battery_;
    std::vector<Number> numbers_;
    std::vector<int> signs_;  ///< before each of them: 1 plus, −1 minus, 0 none
    int join_ = 0;            ///< a sign that waits for its number
    double temperature_C_ = kNaN, current_A_ = kNaN;
    std::size_t voltageChip_ = 0;
    bool rested_ = false, loaded_ = false;  ///< said in words
    bool underLoad_ = false;                ///< its volts
    PadLine out_;
};

}  // namespace

PadLine readPad(const std::string& line, const Battery& battery) {
    constexpr std::size_t kLongest = 1000;
    return Pad(line.substr(0, kLongest), battery).done();
}

std::string padText(const SpotReading& reading) {
    const bool ohms = reading.kind == "resistance";
    const double factor = ohms ? 1e-3 : 1;
    const char* unit = reading.kind == "charge"     ? "Ah"
                       : reading.kind == "energy"   ? "Wh"
                       : reading.kind == "voltage"  ? "V"
                       : ohms                       ? "mΩ"
                       : reading.kind == "duration" ? "s"
                                                    : "";
    const auto figure = [&](double x) {
        if (!(reading.resolution > 0)) return fmt::format("{:.9g}", x / factor);
        const double digits = std::round(-std::log10(reading.resolution / factor));
        return fmt::format("{:.{}f}", x / factor, static_cast<int>(std::clamp(digits, 0.0, 9.0)));
    };
    std::string out;
    if (reading.repeats.size() > 1)
        for (const double x : reading.repeats) out += (out.empty() ? "" : " ") + figure(x);
    else
        out = figure(reading.value);
    out += std::string(" ") + unit;
    if (reading.kind == "voltage" && reading.method == "under_load") out += " under load";
    if (std::isfinite(reading.current_A)) out += fmt::format(" {:.6g} A", reading.current_A);
    if (std::isfinite(reading.temperature_C))
        out += fmt::format(" {:.6g} °C", reading.temperature_C);
    return out;
}

}  // namespace nk
