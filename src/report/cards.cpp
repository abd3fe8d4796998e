#include "cards.h"
#include "analysis/measured.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/measured.h"
#include "quantity/phrase.h"
#include "words.h"

namespace nk {

std::string Card::plainText() const {
    std::string out = kind + ": " + title;
    if (!value.empty()) out += "\n" + value + (plusMinus.empty() ? "" : " " + plusMinus);
    for (const std::string& line : lines) out += "\n" + line;
    if (pointsAtCurve())
        out +=
            phrase("\nSeen from {} to {}.", clockText(evidence.from_s), clockText(evidence.to_s));
    return out + "\n";
}

namespace {

Card fromFinding(const Finding& f) {
    Card c;
    const bool log = f.code == "gaps" || f.code == "logger_restart" || f.code == "bad_rows" ||
                     f.code == "damaged_samples" || f.code == "derived_current" ||
                     f.code == "no_voltage" || f.code == "counter_disagrees" ||
                     f.code == "coarse_log" || f.code == "slow_log";
    c.tone = f.severity == Severity::Hazard ? CardTone::Hazard
             : log                          ? CardTone::Log
                                            : CardTone::Verdict;
    c.kind = f.severity == Severity::Hazard    ? phrase("HAZARD")
             : log                             ? phrase("LOG")
             : f.severity == Severity::Verdict ? phrase("VERDICT")
                                               : phrase("NOTE");
    c.title = f.text;
    if (!f.advice.empty()) c.lines.push_back(f.advice);
    if (const Check* check = findCheck(f.code)) {
        c.how = phrase(check->explanation);
        c.question = check->question;
    }
    c.everywhere = f.severity == Severity::Hazard;
    c.evidence = f.evidence;
    c.code = f.code;
    return c;
}

Card fromReading(const Reading& r, const Analysis& a, const NumberStyle& style) {
    Card c;
    c.code = r.name;
    c.title = headline(r, a);
    const ValueText v = valueText(r, style);
    c.value = v.value + (v.unit.empty() ? "" : "\u202F" + v.unit);
    if (!v.plusMinus.empty()) c.plusMinus = "± " + v.plusMinus;
    c.lines = r.caveats;
    if (const Metric* m = findMetric(r.name)) {
        c.how = phrase(m->explanation);
        c.question = m->question;
    }
    c.how += phrase(" ± is the expanded uncertainty, about 95 %.");
    if (const int held = measuredCoverage(r.name); held > 0)
        c.how += phrase(
            " Measured on {} logs of cells and loggers of another kind: {} of 100 such intervals "
            "held the truth.",
            kCoverageLogs, held);
    c.evidence = r.evidence;
    return c;
}

const Reading* sibling(const Analysis& a, const char* name, int step) {
    for (const Reading& r : a.readings)
        if (r.name == name && r.evidence.step == step) return &r;
    return nullptr;
}

void capacityCards(const Analysis& a, const NumberStyle& style, std::vector<Card>& out) {
    for (const Reading& r : a.readings) {
        if (r.name != "delivered_capacity") continue;
        Card c = fromReading(r, a, style);
        c.tone = CardTone::Capacity;
        c.kind = phrase("CAPACITY");
        std::vector<std::string> lines;
        if (const Reading* health = sibling(a, "health_capacity", r.evidence.step)) {
            if (health->measurable())
                lines.push_back(
                    phrase("{} of the {} on the label.",
                           valueText(health->value, health->expanded() / 2, "%", style).joined(),
                           shortValue(a.battery.rated_Ah, "Ah", style)));
            for (const std::string& caveat : health->caveats)
                if (std::find(lines.begin(), lines.end(), caveat) == lines.end())
                    lines.push_back(health->measurable() ? caveat : phrase("Health: ") + caveat);
        }
        const Reading* energy = sibling(a, "delivered_energy", r.evidence.step);
        const Reading* mean = sibling(a, "mean_voltage", r.evidence.step);
        if (energy != nullptr && energy->measurable() && mean != nullptr && mean->measurable())
            lines.push_back(phrase("{} at a mean of {}.", valueText(*energy, style).joined(),
                                   valueText(*mean, style).joined()));
        // The conditions come first, then the rest.
        c.lines.clear();
        if (!r.caveats.empty()) c.lines.push_back(r.caveats.front());
        c.lines.insert(c.lines.end(), lines.begin(), lines.end());
        if (r.caveats.size() > 1)
            c.lines.insert(c.lines.end(), r.caveats.begin() + 1, r.caveats.end());
        out.push_back(std::move(c));
    }
}

void chargeCards(const Analysis& a, const NumberStyle& style, std::vector<Card>& out) {
    for (const Reading& r : a.readings) {
        if (r.name != "knee_time" || !r.measurable()) continue;
        Card c = fromReading(r, a, style);
        c.tone = CardTone::Voltage;
        c.kind = phrase("KNEE");
        const int step = r.evidence.step;
        const Reading* set = sibling(a, "cv_set_voltage", step);
        const Reading* end = sibling(a, "taper_end_current", step);
        const Reading* inside = sibling(a, "charge_in_cv", step);
        if (set != nullptr && set->measurable()) {
            std::string text = phrase("Set voltage ") + valueText(*set, style).joined();
            if (a.battery.series > 1)
                text +=
                    phrase(", {} a cell", shortValue(set->value / a.battery.series, "V", style));
            c.lines.insert(c.lines.begin(), text + ".");
        }
        if (inside != nullptr && end != nullptr && inside->measurable() && end->measurable()) {
            std::string text =
                phrase("{} went in after it, down to {}", shortValue(inside->value, "Ah", style),
                       shortValue(end->value, "A", style));
            if (a.battery.rated_Ah > 0 && end->value > 0)
                text += fmt::format(" (C/\u2060{:.0f})", a.battery.rated_Ah / end->value);
            c.lines.insert(c.lines.begin() + (set != nullptr ? 1 : 0), text + ".");
        }
        out.push_back(std::move(c));
    }
    for (const Reading& r : a.readings) {
        if (r.name != "coulombic_efficiency" || !r.measurable()) continue;
        Card c = fromReading(r, a, style);
        c.tone = CardTone::Capacity;
        c.kind = phrase("EFFICIENCY");
        c.title = phrase("Of the charge put in, the battery gave back");
        if (const Reading* energy = sibling(a, "energy_efficiency", r.evidence.step);
            energy != nullptr && energy->measurable())
            c.lines.insert(c.lines.begin(),
                           phrase("Of the energy, ") + valueText(*energy, style).joined() + ".");
        out.push_back(std::move(c));
    }
}

/// Finish: fullness of a lithium charge, peak of a nickel one, the rested voltage after it.
void finishCards(const Analysis& a, const NumberStyle& style, std::vector<Card>& out) {
    for (const Reading& r : a.readings) {
        if (!r.measurable()) continue;
        const int step = r.evidence.step;
        if (r.name == "fullness_at_stop") {
            Card c = fromReading(r, a, style);
            c.tone = CardTone::Voltage;
            c.kind = phrase("FULLNESS");
            c.title = phrase("When the charge stopped, it was full to");
            if (const Reading* left = sibling(a, "charge_left_at_stop", step);
                left != nullptr && left->measurable())
                c.lines.insert(c.lines.begin(),
                               valueText(*left, style).joined() +
                                   phrase(" more would have gone in at this voltage."));
            out.push_back(std::move(c));
        } else if (r.name == "peak_time") {
            Card c = fromReading(r, a, style);
            c.tone = CardTone::Voltage;
            c.kind = phrase("PEAK");
            c.title = phrase("The voltage peaked at");
            const Reading* drop = sibling(a, "peak_drop_per_cell", step);
            if (drop != nullptr && drop->measurable())
                c.lines.push_back(phrase("Down ") + valueText(*drop, style).joined() +
                                  phrase(" a cell when the charge stopped."));
            const Reading* warming = sibling(a, "end_dtdt", step);
            if (warming != nullptr && warming->measurable())
                c.lines.push_back(phrase("Warming by ") + valueText(*warming, style).joined() +
                                  phrase(" then."));
            out.push_back(std::move(c));
        } else if (r.name == "rested_voltage" && step > 0 &&
                   a.steps.list[static_cast<std::size_t>(step) - 1].isCharge()) {
            Card c = fromReading(r, a, style);
            c.tone = CardTone::Voltage;
            c.kind = phrase("AT REST");
            c.title = phrase("After the charge the voltage settles at");
            out.push_back(std::move(c));
        }
    }
}

/// Strength: what imbalance costs, and the standard's resistance where the log has it.
void strengthCards(const Analysis& a, const NumberStyle& style, std::vector<Card>& out) {
    for (const Reading& r : a.readings) {
        if (!r.measurable()) continue;
        const bool standard = r.name == "resistance_iec61960" || r.name == "resistance_iec61951";
        if (r.name != "imbalance_loss" && !standard) continue;
        Card c = fromReading(r, a, style);
        c.tone = CardTone::Capacity;
        c.kind = standard ? phrase("RESISTANCE") : phrase("IMBALANCE");
        c.title = standard ? phrase("By the standard's two levels")
                           : phrase(
                                 "When the first cell was at its floor, "
                                 "each other one still held");
        out.push_back(std::move(c));
    }
}

void temperatureCard(const Analysis& a, const NumberStyle& style, std::vector<Card>& out) {
    for (const Reading& r : a.readings) {
        if (r.name != "max_temperature" || !r.measurable()) continue;
        Card c = fromReading(r, a, style);
        c.tone = CardTone::Temperature;
        c.kind = phrase("TEMPERATURE");
        const Chemistry* chemistry = a.battery.chemistryData();
        const double limit = chemistry != nullptr ? chemistry->dischargeMax_C : 60;
        if (r.value < limit - 10)
            c.lines.insert(
                c.lines.begin(),
                phrase("Far from the {} limit.", valueText(limit, 5, "C", style).value + "\u202F" +
                                                     valueText(limit, 5, "C", style).unit));
        out.push_back(std::move(c));
    }
}

}  // namespace

std::vector<Card> makeCards(const Recording& recording, const Analysis& a,
                            const NumberStyle& style) {
    std::vector<Card> out;
    for (const Finding& f : a.findings)
        if (f.severity != Severity::Note) out.push_back(fromFinding(f));
    capacityCards(a, style, out);
    chargeCards(a, style, out);
    finishCards(a, style, out);
    strengthCards(a, style, out);
    temperatureCard(a, style, out);
    for (const Finding& f : a.findings)
        if (f.severity == Severity::Note) out.push_back(fromFinding(f));
    if (out.empty()) {
        Card c;
        c.tone = CardTone::Log;
        c.kind = phrase("LOG");
        c.title = recording.duration_s() > 0
                      ? phrase("Nothing was charged or discharged in this log.")
                      : phrase("This log has a single row.");
        c.lines.push_back(phrase(
            "A log that begins with a short rest, and goes through a charge or a discharge to its "
            "end, tells most."));
        out.push_back(c);
    }
    return out;
}

std::vector<Card> correctionCards(std::span<const Correction> corrections,
                                  const NumberStyle& style) {
    std::vector<Card> out;
    for (const Correction& c : corrections) {
        Card card;
        card.tone = CardTone::Log;
        card.kind = phrase("CORRECTED");
        card.code = "correction";
        card.title = phrase("The log is corrected: ") + c.name + ".";
        const ValueText v = valueText(c.value, c.uncertainty, correctionUnit(c.kind), style);
        card.lines.push_back(v.joined() + phrase(". The logged samples are kept as they were."));
        card.how = phrase(
            "A voltage offset is added to the logged voltage; a lead's resistance times the "
            "current is taken off it; a load the logger did not see is added to the current. All "
            "numbers follow.");
        card.everywhere = true;
        card.action = phrase("Take it away");
        card.actionId = c.id;
        out.push_back(std::move(card));
    }
    return out;
}

std::vector<Card> cardsFor(const std::vector<Card>& all, Question question) {
    std::vector<Card> out;
    for (const Card& c : all) {
        const bool verdictOnCurve = question == Question::Curve && c.question != Question::Curve &&
                                    c.tone == CardTone::Verdict;
        // Knee and peak belong to both stations.
        const bool turn =
            question == Question::Finish && (c.code == "knee_time" || c.code == "peak_time");
        if (c.everywhere || c.question == question || verdictOnCurve || turn) out.push_back(c);
    }
    if (out.empty()) {
        Card c;
        c.tone = CardTone::Log;
        c.kind = phrase("NOTE");
        c.title = question == Question::Finish ? phrase("There is no charge in this log to judge.")
                                               : phrase("This log does not answer this question.");
        c.lines.push_back(
            question == Question::Finish
                ? phrase("Log a charge from its start until some minutes after its end.")
                : phrase("A log with a rest, a discharge and a few pauses tells most."));
        out.push_back(std::move(c));
    }
    return out;
}

}  // namespace nk
