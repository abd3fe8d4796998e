#include "cards.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/measured.h"
#include "quantity/phrase.h"

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

Card fromFinding(const Finding& f, const Registry& registry) {
    Card c;
    const Check* check = registry.check(f.code);
    const bool log = check != nullptr && check->aboutLog;
    c.tone = f.severity == Severity::Hazard ? CardTone::Hazard
             : log                          ? CardTone::Log
                                            : CardTone::Verdict;
    c.kind = f.severity == Severity::Hazard    ? phrase("HAZARD")
             : log                             ? phrase("LOG")
             : f.severity == Severity::Verdict ? phrase("VERDICT")
                                               : phrase("NOTE");
    c.title = f.text;
    if (!f.advice.empty()) c.lines.push_back(f.advice);
    if (check != nullptr) {
        c.how = phrase(check->explanation);
        c.question = check->question;
    }
    c.everywhere = f.severity == Severity::Hazard;
    c.evidence = f.evidence;
    c.code = f.code;
    return c;
}

CardTone toneOf(Topic topic) {
    return topic == Topic::Capacity  ? CardTone::Capacity
           : topic == Topic::Voltage ? CardTone::Voltage
                                     : CardTone::Temperature;
}

Card fromReading(const Reading& r, const Metric& metric, const Analysis& a,
                 const NumberStyle& style) {
    const ReadingCard& how = metric.card;
    Card c;
    c.code = r.name;
    c.tone = toneOf(how.topic);
    c.kind = phrase(how.label);
    c.title = how.words != nullptr ? how.words(r, a)
                                   : phrase(*how.sentence != 0 ? how.sentence : metric.title);
    const ValueText v = valueText(r, style);
    c.value = v.value + (v.unit.empty() ? "" : "\u202F" + v.unit);
    if (!v.plusMinus.empty()) c.plusMinus = "± " + v.plusMinus;
    c.lines = r.caveats;
    if (how.under != nullptr) how.under(r, a, style, c.lines);
    c.how = phrase(metric.explanation);
    c.question = metric.question;
    c.atFinish = how.atFinish;
    c.how += phrase(" ± is the expanded uncertainty, about 95 %.");
    if (const int held = measuredCoverage(r.name); held > 0)
        c.how += phrase(
            " Measured on {} logs of cells and loggers of another kind: {} of 100 such intervals "
            "held the truth.",
            kCoverageLogs, held);
    c.evidence = r.evidence;
    return c;
}

/// From so many on, readings of one kind share a card: four equal ones in a row say less than one
/// with their figures and the trend.
constexpr std::size_t kTogether = 4;

Card together(const std::vector<const Reading*>& same, const Metric& metric, const Analysis& a,
              const NumberStyle& style) {
    Card c = fromReading(*same.back(), metric, a, style);
    c.title = phrase("{}: {} times in this log, last", phrase(metric.title), same.size());
    c.lines.clear();
    constexpr std::size_t kListed = 6;
    std::string figures;
    std::vector<const Reading*> known;
    for (const Reading* r : same)
        if (r->measurable()) known.push_back(r);
    for (std::size_t k = 0; k < known.size(); ++k) {
        // The first and the last few of many.
        if (known.size() > kListed && k == kListed / 2) {
            figures += ", …";
            k = known.size() - kListed / 2;
        }
        const ValueText v = valueText(*known[k], style);
        figures += (figures.empty() ? "" : ", ") + v.value;
        if (k + 1 == known.size()) figures += "\u202F" + v.unit;
    }
    if (!figures.empty()) c.lines.push_back(figures + ".");
    if (known.size() > 1 && known.front()->value > 0) {
        const double change = 100 * (known.back()->value / known.front()->value - 1);
        const bool told = std::abs(known.back()->value - known.front()->value) >
                          std::hypot(known.back()->expanded(), known.front()->expanded());
        c.lines.push_back(told ? phrase("From the first to the last {:+.1f} %.", change)
                               : phrase("From the first to the last no change that the figures "
                                        "could tell."));
    }
    if (known.size() < same.size())
        c.lines.push_back(phrase("{} of them are not measurable; the table has the reasons.",
                                 same.size() - known.size()));
    if (!same.back()->caveats.empty())
        c.lines.push_back(phrase("The last: ") + same.back()->caveats.front());
    c.evidence = same.back()->evidence;
    return c;
}

/// Cards of readings, by rank, then as they are reported.
void readingCards(const Analysis& a, const NumberStyle& style, std::vector<Card>& out) {
    struct Ranked {
        const Metric* metric;
        const Reading* reading;
    };
    std::vector<Ranked> list;
    for (const Reading& r : a.readings) {
        const Metric* m = a.registry->metric(r.name);
        if (m == nullptr || m->card.rank == 0) continue;
        if (!r.measurable() && !m->card.alsoUnmeasurable) continue;
        if (m->card.applies != nullptr && !m->card.applies(r, a)) continue;
        list.push_back({m, &r});
    }
    std::stable_sort(list.begin(), list.end(), [](const Ranked& x, const Ranked& y) {
        return std::pair(x.metric->card.rank, x.metric) < std::pair(y.metric->card.rank, y.metric);
    });
    for (std::size_t k = 0; k < list.size();) {
        std::vector<const Reading*> same;
        const Metric* metric = list[k].metric;
        for (; k < list.size() && list[k].metric == metric; ++k) same.push_back(list[k].reading);
        if (same.size() >= kTogether)
            out.push_back(together(same, *metric, a, style));
        else
            for (const Reading* r : same) out.push_back(fromReading(*r, *metric, a, style));
    }
}

}  // namespace

std::vector<Card> makeCards(const Recording& recording, const Analysis& a,
                            const NumberStyle& style) {
    std::vector<Card> out;
    for (const Finding& f : a.findings)
        if (f.severity != Severity::Note) out.push_back(fromFinding(f, *a.registry));
    readingCards(a, style, out);
    for (const Finding& f : a.findings)
        if (f.severity == Severity::Note) out.push_back(fromFinding(f, *a.registry));
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

std::vector<Card> checkCards(std::span<const MeterCheck> checks, const NumberStyle& style) {
    std::vector<Card> out;
    for (const MeterCheck& m : checks) {
        Card card;
        card.tone = CardTone::Log;
        card.kind = phrase("INSTRUMENT");
        card.code = "meter_check";
        card.title = phrase("The instrument of this log was checked: ") + m.correction.name + ".";
        const ValueText v = valueText(m.correction.value, m.correction.uncertainty,
                                      correctionUnit(m.correction.kind), style);
        card.lines.push_back(
            phrase("{}. It may hold for this log too, unless leads or ranges were changed since.",
                   v.joined()));
        card.everywhere = true;
        card.action = phrase("Apply it to this log");
        card.actionId = m.id;
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
        const bool turn = question == Question::Finish && c.atFinish;
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
