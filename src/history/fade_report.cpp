#include "fade_report.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "quantity/number.h"
#include "quantity/phrase.h"
#include "quantity/plausible.h"

namespace nk {

Expected<void> readEnd(const std::string& text, FadeQuestion& into) {
    double value = 0;
    std::size_t used = 0;
    const bool number = parseNumberPrefix(text, '.', value, used);
    std::string unit;
    for (std::size_t k = used; number && k < text.size(); ++k)
        if (text[k] != ' ')
            unit +=
                text[k] >= 'A' && text[k] <= 'Z' ? static_cast<char>(text[k] - 'A' + 'a') : text[k];
    const bool resistance = into.of == FadeOf::Resistance;
    const auto refuse = [&] {
        return fail(ErrorKind::InvalidArgument, phrase("This is no end: {}", text), "--end",
                    resistance ? phrase("a share such as 150% (101 to 1000 %) or a figure such as "
                                        "30mohm.")
                               : phrase("a share such as 80% (1 to 99 %) or a figure such as 2.0Ah "
                                        "or 1900mAh."));
    };
    if (!number || !(value > 0)) return refuse();
    if (unit == "%" || unit.empty()) {
        if (unit == "%") value /= 100;
        if (resistance ? !(value >= 1.01 && value <= 10) : !(value >= 0.01 && value <= 0.99))
            return refuse();
        into.fraction = value;
        return {};
    }
    const std::map<std::string, double> units =
        resistance ? std::map<std::string, double>{{"ohm", 1}, {"mohm", 1e-3}, {"mΩ", 1e-3}}
                   : std::map<std::string, double>{{"ah", 1}, {"mah", 1e-3}};
    const auto it = units.find(unit);
    if (it == units.end()) return refuse();
    into.figure = value * it->second;
    return {};
}

void quoteStanding(FadeReport& report, const Standing& standing) {
    if (report.question.of != FadeOf::Capacity || report.table.unit != "Ah" || !standing.capacity)
        return;
    report.today = {standing.capacity->low, standing.capacity->value, standing.capacity->high};
}

Expected<FadeReport> fadeOf(CycleTable table, const FadeQuestion& question) {
    FadeReport out;
    out.question = question;
    out.table = std::move(table);
    auto used = cycleSeries(out.table, question.of, question.against);
    if (!used) return tl::unexpected<Error>(used.error());
    out.used = std::move(*used);
    out.end.fraction = question.fraction;
    out.end.absolute = question.figure;
    if (question.ofLabel && !std::isfinite(question.figure)) {
        if (!(question.rated_Ah > 0) && out.table.unit != "%")
            return fail(ErrorKind::InvalidArgument,
                        phrase("The end is to be a share of the label, and no rating is known."),
                        "--reference", phrase("--rated-ah with the label's capacity."));
        out.end.absolute = question.fraction * (out.table.unit == "%" ? 100 : question.rated_Ah);
    }
    for (const double y : out.used.series.value)
        if (!canBe(y, "Ah"))
            return fail(ErrorKind::InvalidArgument,
                        phrase("A figure of this table no battery has: {:.3g}", y), {},
                        phrase("capacities in Ah or %, resistances in ohm or mOhm."));
    auto result = fitFade(out.used.series, out.end);
    if (!result) return tl::unexpected<Error>(result.error());
    out.result = std::move(*result);
    out.today = out.result.model.at(out.result.model.last);
    const auto at = [&](std::size_t k) {
        return question.against == FadeAxis::Cycles ? out.table.cycle[out.used.rows[k]]
                                                    : out.used.series.at[k];
    };
    for (const std::size_t k : out.result.odd) out.oddCycles.push_back(at(k));
    for (const std::size_t k : out.result.ranIn) out.runInCycles.push_back(at(k));
    out.caveats = out.table.notes;
    out.caveats.insert(out.caveats.end(), out.result.caveats.begin(), out.result.caveats.end());
    if (!out.oddCycles.empty())
        out.caveats.push_back(
            out.oddCycles.size() == 1
                ? phrase("One odd cycle was set aside: more than five robust standard deviations "
                         "and 0.5 % from the median of eleven neighbours.")
                : phrase(
                      "{} odd cycles were set aside: more than five robust standard deviations and "
                      "0.5 % from the median of eleven neighbours.",
                      out.oddCycles.size()));
    if (!out.runInCycles.empty())
        out.caveats.push_back(
            out.runInCycles.size() == 1
                ? phrase("The first cycle rises beyond chance; it is running in and not fitted.")
                : phrase(
                      "The first {} cycles rise beyond chance; they are running in and not fitted.",
                      out.runInCycles.size()));
    if (out.result.correlation > 1.5)
        out.caveats.push_back(
            phrase("Neighbouring cycles agree more than chance: {:.1f} of them count as one.",
                   out.result.correlation));
    if (std::ranges::any_of(out.result.effects, [](double e) { return e != 0; }))
        out.caveats.push_back(
            phrase("Temperature or rate change from cycle to cycle: their effect was fitted with "
                   "the law and the curve stands for their medians."));
    if (question.against == FadeAxis::Cycles)
        out.day = dayOf(out.table, out.result.end.low, out.result.end.middle, out.result.end.high);
    else if (question.against == FadeAxis::Days && !out.table.day.empty())
        out.day = {out.table.day.front() + out.result.end.low,
                   out.table.day.front() + out.result.end.middle,
                   out.table.day.front() + out.result.end.high};
    return out;
}

Expected<CycleTable> cyclesOf(const BatteryHistory& history, FadeOf of) {
    std::map<std::string, std::vector<const HistoryPoint*>> groups;
    for (const HistoryPoint& p : history.points) {
        const bool wanted = of == FadeOf::Capacity ? p.reading.name == "delivered_capacity"
                                                   : p.reading.name.starts_with("resistance_") &&
                                                         std::isfinite(p.normalised);
        if (wanted && !p.comparable.empty()) groups[p.comparable].push_back(&p);
    }
    const std::vector<const HistoryPoint*>* best = nullptr;
    for (const auto& [name, points] : groups)
        if (best == nullptr || points.size() > best->size()) best = &points;
    if (best == nullptr)
        return fail(ErrorKind::InvalidArgument,
                    of == FadeOf::Capacity
                        ? phrase("The book holds no comparable capacities of this battery.")
                        : phrase("The book holds no comparable resistances of this battery."),
                    history.battery.battery.name,
                    phrase("full discharges to the same floor at the same rate and warmth."));
    CycleTable out;
    out.dated = true;
    for (const HistoryPoint* p : *best) {
        double cycle = p->efc;
        if (!std::isfinite(cycle)) continue;
        // Two readings of one day: the axis must rise.
        if (!out.cycle.empty() && !(cycle > out.cycle.back())) continue;
        out.cycle.push_back(cycle);
        out.day.push_back(p->at_s / 86400);
        out.capacity_Ah.push_back(of == FadeOf::Capacity ? std::abs(p->atFloor()) : kNaN);
        if (of == FadeOf::Resistance) out.resistance_ohm.push_back(p->normalised);
        out.lines.push_back(
            static_cast<std::size_t>(std::max<std::int64_t>(0, p->reading.recordingId)));
    }
    if (of == FadeOf::Resistance) out.capacity_Ah.clear();
    if (best->size() < history.points.size() && of == FadeOf::Capacity)
        out.notes.push_back(phrase("{} capacities that may be compared with each other are used.",
                                   out.cycle.size()));
    return out;
}

}  // namespace nk
