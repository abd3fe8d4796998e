// Settings are not facts: what was set on the charger against what the log shows, and chargers that
// begin anew (methods.md §4 and §5).
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/finish/audit.h"
#include "analysis/finish/nickel.h"
#include "quantity/format.h"

namespace nk {

namespace {

/// Why the current of a charge step stayed under what was set, as far as the log shows it.
std::string shortfallCause(const AnalysisInput& in, std::size_t k) {
    const Step& s = in.steps.list[k];
    if (s.powerLimited)
        return phrase("The charger ran at its power limit: voltage times current stayed the same.");
    if (s.kind == StepKind::CvCharge)
        return phrase(
            "The set voltage was reached at once, so the current tapered from the start.");
    const auto i = in.recording.current_A();
    const std::size_t part = std::max<std::size_t>(1, (s.last - s.first) / 10);
    double early = 0;
    double late = 0;
    for (std::size_t n = 0; n < part; ++n) {
        early += i[s.first + n + (s.last - s.first > 20 ? 1 : 0)] / static_cast<double>(part);
        late += i[s.last - n] / static_cast<double>(part);
    }
    if (late < 0.97 * early)
        return phrase(
            "It fell on the way while the voltage rose: a supply that sags, or a charger that "
            "warms and throttles.");
    return phrase(
        "It was steady at the lower value: the charger's own step or limit, or a supply too "
        "small for it.");
}

}  // namespace

void checkCurrentNotAsSet(const AnalysisInput& in, std::vector<Finding>& out) {
    const double set = in.battery.charger.current_A;
    if (set <= 0) return;
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (!s.isCharge() || s.kind == StepKind::Pulse || s.end_s - s.start_s < 120) continue;
        if (k > 0 && in.steps.list[k - 1].isCharge()) continue;  // the taper after it
        const double seen =
            s.kind == StepKind::CvCharge ? in.recording.current_A()[s.first + 1] : s.meanCurrent_A;
        // 5 %, or two steps of the log: what a charger's display and a logger may differ by.
        const double tolerance = std::max(0.05 * set, 2 * in.recording.currentQuality().resolution);
        if (std::abs(seen - set) <= tolerance) continue;
        const bool more = seen > set;
        out.push_back(
            {Severity::Verdict,
             "current_not_as_set",
             phrase("{} was set on the charger, {} flowed.", shortValue(set, "A"),
                    shortValue(seen, "A")),
             more ? phrase("More than was set: check the setting and the logger's range before it "
                           "is used "
                           "again.")
                  : shortfallCause(in, k) + phrase(" Plan the charging time with what flows."),
             {s.start_s, s.end_s, static_cast<int>(k)}});
    }
}

void checkChargerRestarted(const AnalysisInput& in, std::vector<Finding>& out) {
    // A charge that broke off without a sign of its end, a short pause, and a charge at the same
    // current again: its timers, limits and hold-offs began anew.
    const auto& list = in.steps.list;
    const Chemistry* c = in.chemistry();
    if (c == nullptr) return;
    for (std::size_t k = 0; k + 2 < list.size(); ++k) {
        const Step& first = list[k];
        const Step& pause = list[k + 1];
        const Step& again = list[k + 2];
        const bool plain = first.kind == StepKind::CcCharge && again.kind == StepKind::CcCharge &&
                           (pause.kind == StepKind::Rest || pause.kind == StepKind::Gap);
        if (!plain || pause.end_s - pause.start_s > 1800 || first.end_s - first.start_s < 300 ||
            std::abs(again.meanCurrent_A - first.meanCurrent_A) > 0.05 * first.meanCurrent_A)
            continue;
        if (first.endedBy == EndedBy::NegativeDeltaV || first.endedBy == EndedBy::VoltageLimit)
            continue;
        double total = 0;
        std::size_t last = k;
        for (std::size_t n = k; n < list.size() && !list[n].isDischarge(); ++n)
            if (list[n].isCharge()) total += list[n].sum.charge_Ah, last = n;
        std::string text = phrase(
            "The charge broke off after {} and began again {} later, as after a power cut: {} in "
            "all",
            durationText(first.end_s - first.start_s), durationText(pause.end_s - pause.start_s),
            shortValue(total, "Ah"));
        if (in.battery.rated_Ah > 0)
            text += phrase(", {:.0f} % of the rating", 100 * total / in.battery.rated_Ah);
        out.push_back(
            {Severity::Verdict,
             "charger_restarted",
             text + ".",
             c->nickel()
                 ? phrase("A charger that starts anew runs its timer and its capacity limit from "
                          "zero again and can overcharge. Count what went in before.")
                 : phrase("Its timer and capacity limit start from zero again; the set voltage "
                          "still protects."),
             {first.start_s, list[last].end_s, static_cast<int>(k)}});
        k = last;
    }
}

}  // namespace nk
