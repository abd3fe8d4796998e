#include "rule_ranking.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/finish/rule_moves.h"
#include "analysis/finish/taper.h"
#include "quantity/format.h"

namespace nk {

namespace {

bool isNickel(const AnalysisInput& in) {
    return in.chemistry() != nullptr && in.chemistry()->nickel();
}

double chargeRate_C(const AnalysisInput& in, const ChargeSpan& charge) {
    const Integral sum = integrate(in.recording, charge.first, charge.last);
    return in.battery.capacity_Ah() > 0 && sum.duration_s > 0
               ? sum.charge_Ah * 3600 / sum.duration_s / in.battery.capacity_Ah()
               : kNaN;
}

std::string whenWords(const RankedRule& r, const FullReference& full) {
    if (r.result.fired == Fired::Undecidable) return phrase("cannot be decided from this log");
    if (r.result.fired == Fired::No && !r.extrapolated) return phrase("does not stop this charge");
    if (!std::isfinite(full.time_s) || !std::isfinite(r.beyond_Ah))
        return shortValue(r.result.charge_Ah, "Ah") + phrase(" in");
    const double late = r.result.time_s - full.time_s;
    if (std::abs(late) < 45 || std::abs(r.beyond_Ah) < 1e-4) return phrase("at full");
    return phrase("{} {} full, {} {}{}", durationText(std::abs(late)),
                  phrase(late > 0 ? "after" : "before"), shortValue(std::abs(r.beyond_Ah), "Ah"),
                  phrase(r.beyond_Ah > 0 ? "more" : "less"),
                  r.extrapolated ? " (extrapolated)" : "");
}

/// A cut-off current that the log does not reach: when the fitted taper would.
void extrapolateTaper(const AnalysisInput& in, const ChargeSpan& charge, const StopRule& rule,
                      RankedRule& r) {
    if (rule.conditions.size() != 1 || rule.conditions[0].kind != StopCondition::Kind::Taper)
        return;
    const StopCondition& c = rule.conditions[0];
    const double limit =
        c.taperFraction > 0 ? c.taperFraction * in.battery.capacity_Ah() : c.threshold;
    for (int s = charge.firstStep; s <= charge.lastStep; ++s) {
        const Step& step = in.steps.list[static_cast<std::size_t>(s)];
        if (step.kind != StepKind::CvCharge || limit <= 0) continue;
        const CutoffRow row = cutoffAt(in, s, taperOf(in, s), limit);
        if (!row.extrapolated) continue;
        r.extrapolated = true;
        r.result.time_s = row.time_s;
        r.result.charge_Ah = row.charge_Ah;
    }
}

/// The charge itself against full, in a sentence.
std::string whatTheChargerDid(const AnalysisInput& in, const ChargeSpan& charge,
                              const FullReference& full) {
    if (!std::isfinite(full.charge_Ah)) return "";
    const double total = charge.chargeUntil_Ah(charge.last);
    const double beyond = total - full.charge_Ah;
    const double late = in.recording.time_s()[charge.last] - full.time_s;
    const std::string amount = shortValue(std::abs(beyond), "Ah");
    const std::string minutes = std::isfinite(late) ? durationText(std::abs(late)) : "";
    const double size = in.battery.capacity_Ah() > 0 ? in.battery.capacity_Ah() : full.charge_Ah;
    if (std::abs(beyond) < 0.002 * size) return phrase("This charge stopped at full.");
    const std::string mark = isNickel(in) ? phrase("the peak") : "C/20";
    std::string out =
        phrase("This charge {} {} {} {}{}.", beyond > 0 ? phrase("went on") : phrase("stopped"),
               minutes, phrase(beyond > 0 ? "after" : "before"), mark,
               fmt::format(", {} {}", amount, phrase(beyond > 0 ? "more" : "less")));
    if (!isNickel(in))
        out += beyond > 0
                   ? phrase(" C/30 to C/50 is patient, and gains little.")
                   : phrase(
                         " A lower cut-off current fills it; a higher set voltage would cost "
                         "life.");
    return out;
}

std::string adviceFor(const AnalysisInput& in, const ChargeSpan& charge, const Ranking& ranking) {
    const double rate = chargeRate_C(in, charge);
    const bool nickel = isNickel(in);
    std::string out;
    if (nickel && !std::isfinite(charge.peak_s)) {
        out = rate < 0.3 ? phrase(
                               "At {:.2g}C this battery shows no voltage peak, so no voltage rule "
                               "can see the end. A timer counted from empty, with a temperature "
                               "limit behind it, is the honest choice.",
                               rate)
                         : std::string(phrase(
                               "This charge shows no voltage peak. A temperature rule, with a "
                               "timer behind it, is the honest choice."));
        return out;
    }
    std::string did = whatTheChargerDid(in, charge, ranking.full);
    if (!nickel) return did;
    if (ranking.rules.empty() || ranking.rules.front().score >= 100)
        return did +
               phrase(" None of these rules stops this charge. Add one, or loosen a threshold.");
    const RankedRule& best = ranking.rules.front();
    const auto rule = parseRule(best.result.rule);
    std::string words = rule ? conditionWords(rule->conditions.front()) : best.result.rule;
    if (rule)
        for (std::size_t k = 1; k < rule->conditions.size(); ++k)
            words += phrase(" or ") + conditionWords(rule->conditions[k]);
    return did + phrase(" Best here: {} ({}), with a timer and a temperature limit behind it.",
                        words, best.words);
}

}  // namespace

FullReference fullReference(const AnalysisInput& in, const ChargeSpan& charge) {
    FullReference full;
    const auto t = in.recording.time_s();
    if (isNickel(in)) {
        if (std::isfinite(charge.peak_s)) {
            full.time_s = charge.peak_s;
            full.charge_Ah = charge.chargeUntil_Ah(in.recording.nearest(charge.peak_s));
            full.words = phrase("the voltage peak");
        } else if (in.battery.capacity_Ah() > 0) {
            full.charge_Ah = 1.1 * in.battery.capacity_Ah();
            full.words = phrase("110 % of the rating put in, as there is no peak");
            const auto& running = *charge.running_Ah;
            const auto reached = std::find_if(running.begin(), running.end(),
                                              [&](double x) { return x >= full.charge_Ah; });
            if (reached != running.end())
                full.time_s = t[charge.first + static_cast<std::size_t>(reached - running.begin())];
        }
        return full;
    }
    for (int s = charge.firstStep; s <= charge.lastStep; ++s) {
        if (in.steps.list[static_cast<std::size_t>(s)].kind != StepKind::CvCharge) continue;
        for (const CutoffRow& row : cutoffTable(in, s)) {
            if (row.denominator != 20 || !row.reachable) continue;
            full.time_s = row.time_s;
            full.charge_Ah = row.charge_Ah;
            full.extrapolated = row.extrapolated;
            full.words = phrase("the taper at C/20");
        }
    }
    return full;
}

Ranking rankRules(const AnalysisInput& in, const ChargeSpan& charge,
                  const std::vector<StopRule>& rules) {
    Ranking out;
    out.full = fullReference(in, charge);
    const double size = in.battery.capacity_Ah() > 0        ? in.battery.capacity_Ah()
                        : std::isfinite(out.full.charge_Ah) ? out.full.charge_Ah
                                                            : 1;
    const double hot = in.chemistry() != nullptr ? in.chemistry()->chargeMax_C : 45;
    for (const StopRule& rule : rules) {
        RankedRule r;
        r.result = replay(in, charge, rule);
        if (r.result.fired == Fired::No) extrapolateTaper(in, charge, rule, r);
        if (r.result.fired == Fired::Yes || r.extrapolated) {
            r.beyond_Ah = r.result.charge_Ah - out.full.charge_Ah;
            const double share = std::isfinite(r.beyond_Ah) ? r.beyond_Ah / size : 0.5;
            r.score = share > 0 ? 3 * share : -share;
            if (r.result.temperature_C > hot) r.score += 0.1 * (r.result.temperature_C - hot);
        } else {
            r.score = r.result.fired == Fired::Undecidable ? 200 : 100;
        }
        r.words = whenWords(r, out.full);
        out.rules.push_back(std::move(r));
    }
    std::stable_sort(out.rules.begin(), out.rules.end(),
                     [](const RankedRule& a, const RankedRule& b) { return a.score < b.score; });
    out.anySuits = !out.rules.empty() && out.rules.front().score < 0.3;
    out.advice = adviceFor(in, charge, out);
    return out;
}

}  // namespace nk
