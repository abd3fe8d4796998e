#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "pack.h"
#include "quantity/format.h"

namespace nk {

namespace {

Reading start(const PackDischarge& d, const char* name, const char* unit, const char* method) {
    Reading r;
    r.name = name;
    r.unit = unit;
    r.method = method;
    r.evidence = {d.from_s, d.to_s, d.step};
    return r;
}

const char* kNoFloor =
    "Not measurable from this log: no cell reached its floor. Log the discharge down to the end.";

}  // namespace

void computeWeakestCell(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const PackDischarge& d : packDischarges(in)) {
        Reading r = start(d, "weakest_cell", "", "first_cell_at_floor");
        if (d.reachedFloor) {
            r.value = d.weakest;
            r.uncertainty = 0;
            r.caveats.push_back(
                phrase("Counted from 1 in the order of the log's columns; at its "
                       "floor after {}.",
                       durationText(d.weakestAt_s - d.from_s)));
        } else {
            r.caveats.push_back(kNoFloor);
        }
        out.push_back(std::move(r));
    }
}

void computeImbalanceLoss(const AnalysisInput& in, std::vector<Reading>& out) {
    for (const PackDischarge& d : packDischarges(in)) {
        Reading r = start(d, "imbalance_loss", "Ah", "cell_curve_overlay");
        if (d.reachedFloor && std::isfinite(d.lost_Ah) && !d.told()) {
            r.caveats.push_back(phrase(
                "Not measurable from this log: the curves of these cells are too flat to tell what "
                "the others still held. Charge and discharge each cell alone, or log down to where "
                "every cell bends."));
        } else if (d.reachedFloor && std::isfinite(d.lost_Ah)) {
            r.value = d.lost_Ah;
            r.uncertainty = d.lostUncertainty_Ah;
            // The first cell at its floor has no more than the others.
            if (!keepWithin(r, 0, INFINITY)) {
                r.value = r.uncertainty = kNaN;
                r.caveats.push_back(
                    phrase("Not measurable from this log: the curves of these cells do not lie on "
                           "one another. Charge and discharge each cell alone."));
                out.push_back(std::move(r));
                continue;
            }
            r.caveats.push_back(phrase(
                "What the other cells still held, on average, when cell {} was at its floor.",
                d.weakest));
            if (in.chemistry() != nullptr && in.chemistry()->steepHead())
                r.caveats.push_back(phrase("A flat curve tells little before its end."));
        } else {
            r.caveats.push_back(kNoFloor);
        }
        out.push_back(std::move(r));
    }
}

void checkWeakCell(const AnalysisInput& in, std::vector<Finding>& out) {
    for (const PackDischarge& d : packDischarges(in)) {
        if (!d.reachedFloor || !std::isfinite(d.lost_Ah) || !d.told()) continue;
        if (d.lost_Ah < std::max(0.03 * d.delivered_Ah, 2 * d.lostUncertainty_Ah)) continue;
        // Which kind of spread: capacity, state of charge, resistance.
        double others = 0;
        double n = 0;
        double own = kNaN;
        for (const PackCell& c : d.cells) {
            if (c.cell == d.weakest)
                own = c.resistance_ohm;
            else if (std::isfinite(c.resistance_ohm))
                others += c.resistance_ohm, ++n;
        }
        const bool resistive = n > 0 && std::isfinite(own) && own > 1.25 * others / n;
        std::string text = phrase(
            "Cell {} ends the discharge: it was at its floor while the others still held {} each "
            "on "
            "average.",
            d.weakest, shortValue(d.lost_Ah, "Ah"));
        if (resistive)
            text +=
                phrase(" Its resistance is {:.0f} % over theirs.", 100 * (own / (others / n) - 1));
        std::string advice;
        if (d.balancing_Ah > 0.5 * d.lost_Ah)
            advice = phrase(
                "It started with less charge than the others: a full charge, long enough for the "
                "balancer, would give back about {}.",
                shortValue(d.balancing_Ah, "Ah"));
        else
            advice = phrase(
                "It started as full as the others, so balancing gives little back: its capacity is "
                "smaller. Replace it, or stop by its own voltage and never by the pack's.");
        out.push_back({Severity::Verdict, "weak_cell", text, advice, {d.from_s, d.to_s, d.step}});
    }
}

void checkResistiveCell(const AnalysisInput& in, std::vector<Finding>& out) {
    const ChannelQuality& q = in.recording.voltageQuality();
    for (const PackDischarge& d : packDischarges(in)) {
        // On the steep head of a full cell's curve a step of the current is no resistance: where it
        // rests over what any cell of its kind holds, or LFP over its plateau.
        const Chemistry* kind = in.chemistry();
        const double head = kind == nullptr     ? 1e9
                            : kind->steepHead() ? kind->headFrom_V
                            : kind->nickel()    ? 1e9
                                                : kind->set_V + 0.01;
        std::vector<double> all;
        for (const PackCell& c : d.cells)
            if (std::isfinite(c.resistance_ohm) && !(c.rest_V > head))
                all.push_back(c.resistance_ohm);
        if (all.size() < 3) continue;
        const auto middle = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2);
        std::nth_element(all.begin(), middle, all.end());
        const double usual = *middle;
        // Half as much again as its neighbours (common practice, no source), and more than the
        // display could make up at this step of the current.
        const double doubt = 4 * std::max(q.sigma(), q.resolution) / std::max(d.step_A, 1e-9);
        for (const PackCell& c : d.cells) {
            if (c.rest_V > head) continue;
            if (!(c.resistance_ohm > 1.5 * usual && c.resistance_ohm - usual > doubt)) continue;
            out.push_back(
                {Severity::Verdict,
                 "high_resistance",
                 phrase("Cell {} has {:.1f} times the resistance of its neighbours: {} against {}.",
                        c.cell, c.resistance_ohm / usual, shortValue(c.resistance_ohm, "ohm"),
                        shortValue(usual, "ohm")),
                 phrase(
                     "Check its connections first. If it stays, it warms more than the others and "
                     "meets the floor first under load."),
                 {d.from_s, d.to_s, d.step}});
        }
        return;  // the first discharge that tells it is enough
    }
}

namespace {

/// Full first and empty first is small; full first alone may be small or too full; at rest the
/// cells differ in charge.
std::string whatSpreads(const AnalysisInput& in, int fullFirst) {
    if (fullFirst > 0)
        for (const PackDischarge& d : packDischarges(in))
            if (d.reachedFloor)
                return d.weakest == fullFirst
                           ? phrase(
                                 "Cell {} is full first and empty first: it holds less than the "
                                 "others, and no balancing mends that. Replace it, or stop by "
                                 "its own voltage and never by the pack's.",
                                 fullFirst)
                           : phrase(
                                 "They differ in state of charge. A full charge every few "
                                 "weeks, long enough for the balancer, brings them together.");
    if (fullFirst > 0)
        return phrase(
            "Cell {} is full first: it holds more charge than the others, which a "
            "balancer brings together, or less capacity, which nothing does. A discharge "
            "with the cells logged tells: a small one is empty first too.",
            fullFirst);
    return phrase(
        "They differ in state of charge. A full charge every few weeks, long enough for "
        "the balancer, brings them together.");
}

}  // namespace

void checkImbalance(const AnalysisInput& in, std::vector<Finding>& out) {
    const auto& cells = in.recording.cells_V();
    const Chemistry* c = in.chemistry();
    if (cells.size() < 2 || c == nullptr) return;
    const auto spreadOver = [&](const Step& s, int& low, int& high) {
        // Means over the last minute of the step, so that noise is no spread.
        const auto t = in.recording.time_s();
        std::size_t from = s.last;
        while (from > s.first && t[s.last] - t[from - 1] <= 60) --from;
        double least = 1e300;
        double most = -1e300;
        for (std::size_t n = 0; n < cells.size(); ++n) {
            double sum = 0;
            for (std::size_t k = from; k <= s.last; ++k) sum += cells[n][k];
            const double mean = sum / static_cast<double>(s.last - from + 1);
            if (mean < least) least = mean, low = static_cast<int>(n) + 1;
            if (mean > most) most = mean, high = static_cast<int>(n) + 1;
        }
        return most - least;
    };
    // At rest over 20 mV, at the end of a charge over 30 mV apart (common practice, no source);
    // LFP's steep end is judged at the end of charge only, from 100 mV.
    const bool flat = c->steepHead();
    double worst = 0;
    Finding f;
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        const bool endOfCharge = s.kind == StepKind::CvCharge;
        const bool rested = s.kind == StepKind::Rest && s.end_s - s.start_s >= 300 && !flat &&
                            !(k > 0 && in.steps.list[k - 1].isDischarge() &&
                              in.perCell(s.endVoltage_V) < c->ocv.voltage_V(0.15));
        if (!endOfCharge && !rested) continue;
        int low = 0;
        int high = 0;
        const double spread = spreadOver(s, low, high);
        const double limit = endOfCharge ? (flat ? 0.10 : 0.03) : 0.02;
        if (spread <= limit || spread / limit <= worst) continue;
        worst = spread / limit;
        f = {Severity::Verdict,
             "imbalance",
             phrase(
                 "The cells lie {:.0f} mV apart {}: cell {} lowest, cell {} highest.", 1e3 * spread,
                 endOfCharge ? phrase("at the end of the charge") : phrase("at rest"), low, high),
             whatSpreads(in, endOfCharge || (k > 0 && in.steps.list[k - 1].isCharge()) ? high : 0),
             {s.start_s, s.end_s, static_cast<int>(k)}};
    }
    if (worst > 0) out.push_back(std::move(f));
}

void checkWarmConnector(const AnalysisInput& in, std::vector<Finding>& out) {
    const auto drop = leadDrop(in);
    if (!drop || drop->resistance_ohm < 3 * drop->uncertainty_ohm) return;
    // Over 2 W in leads and connectors is felt as warmth (common practice, no source).
    if (drop->hottest_W < 2) return;
    const auto t = in.recording.time_s();
    out.push_back(
        {Severity::Note,
         "warm_connector",
         phrase("Leads and connectors inside the pack take {} at {}: {} between the cells' sum "
                "and the pack's voltage.",
                shortValue(drop->hottest_W, "W"), shortValue(drop->atCurrent_A, "A"),
                shortValue(drop->resistance_ohm, "ohm")),
         phrase("Feel the connector after a discharge. A warm one is worn, dirty or too small."),
         {t.front(), t.back(), -1}});
}

}  // namespace nk
