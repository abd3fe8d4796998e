#include "log_quality.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "quantity/format.h"

namespace nk {

void checkGaps(const AnalysisInput& in, std::vector<Finding>& out) {
    double total = 0;
    double longest = 0;
    std::size_t count = 0;
    Evidence where;
    const auto t = in.recording.time_s();
    for (const Gap& gap : in.recording.gaps()) {
        if (gap.restart) continue;
        ++count;
        total += gap.duration_s;
        if (gap.duration_s > longest) {
            longest = gap.duration_s;
            where = {t[gap.before], t[gap.before + 1], in.steps.at(t[gap.before])};
        }
    }
    if (count == 0) return;
    out.push_back(
        {Severity::Note, "gaps",
         count == 1 ? phrase("One gap of {} in the log.", durationText(longest))
                    : phrase("{} gaps in the log, {} in all, the longest {}.", count,
                             durationText(total), durationText(longest)),
         phrase("Charge across a gap is bridged with the current on both sides; its uncertainty "
                "counts in every number."),
         where});
}

void checkRestarts(const AnalysisInput& in, std::vector<Finding>& out) {
    std::size_t count = 0;
    Evidence where;
    const auto t = in.recording.time_s();
    for (const Gap& gap : in.recording.gaps())
        if (gap.restart && count++ == 0)
            where = {t[gap.before], t[gap.before + 1], in.steps.at(t[gap.before])};
    if (count == 0) return;
    out.push_back(
        {Severity::Note, "logger_restart",
         count == 1 ? phrase("The logger's clock started again in the middle of the log.")
                    : phrase("The logger's clock started again {} times.", count),
         phrase("How long it was off is unknown: charge moved meanwhile is missing. Give the "
                "logger a supply of its own."),
         where});
}

void checkDerived(const AnalysisInput& in, std::vector<Finding>& out) {
    for (const Problem& p : in.recording.problems())
        if (p.kind == "derived_current")
            out.push_back(
                {Severity::Note,
                 "derived_current",
                 p.message + ".",
                 phrase("Every figure of current, charge and energy here is as true as that load."),
                 {}});
        else if (p.kind == "no_voltage")
            out.push_back({Severity::Note,
                           "no_voltage",
                           p.message + ".",
                           phrase("Log the voltage beside it to learn energy, capacity at a "
                                  "cut-off and resistance."),
                           {}});
}

void checkDamage(const AnalysisInput& in, std::vector<Finding>& out) {
    std::size_t count = 0;
    const Problem* first = nullptr;
    for (const Problem& p : in.recording.problems())
        if (p.kind == "damaged_block" && count++ == 0) first = &p;
    if (first == nullptr) return;
    const auto t = in.recording.time_s();
    const double to_s = t.empty() ? first->time_s : std::min(first->time_s + 1, t.back());
    out.push_back(
        {Severity::Verdict,
         "damaged_samples",
         count == 1 ? phrase("A block of this recording's samples is damaged. {}.", first->message)
                    : phrase("{} blocks of this recording's samples are damaged. {}.", count,
                             first->message),
         phrase("What is shown is the rest. The kept original may still be whole: export it and "
                "bring it in "
                "again, or bring back a backup from before the damage."),
         {first->time_s, to_s, -1}});
}

void checkBadRows(const AnalysisInput& in, std::vector<Finding>& out) {
    std::size_t count = 0;
    std::string first;
    for (const Problem& p : in.recording.problems())
        if ((p.kind == "bad_row" || p.kind == "truncated_line") && count++ == 0)
            first = phrase("line {}: {}", p.line, p.message);
    if (count == 0) return;
    out.push_back(
        {Severity::Note,
         "bad_rows",
         phrase("{} {} set aside, first {}.", count, phrase(count == 1 ? "row" : "rows"), first),
         phrase("The original file is kept as it was."),
         {}});
}

void checkCounter(const AnalysisInput& in, std::vector<Finding>& out) {
    const auto counter = in.recording.counter_Ah();
    if (counter.empty()) return;
    // Each step on its own: counters reset between steps, and some count down.
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (!s.isActive() || s.last <= s.first) continue;
        double moved = 0;
        bool reset = false;
        bool any = false;
        double previous = kNaN;
        for (std::size_t n = s.first; n <= s.last; ++n) {
            if (!std::isfinite(counter[n])) continue;
            if (any) {
                const double d = counter[n] - previous;
                if (std::abs(d) > 0.2 * std::abs(s.sum.charge_Ah) && std::abs(d) > 0.005)
                    reset = true;
                else
                    moved += d;
            }
            previous = counter[n];
            any = true;
        }
        const double inside = std::abs(integrate(in.recording, s.first, s.last).charge_Ah);
        if (reset || inside < 0.02) continue;
        const double ratio = std::abs(moved) / inside;
        if (std::abs(ratio - 1) <= 0.02) continue;
        out.push_back(
            {Severity::Verdict,
             "counter_disagrees",
             phrase("The logger's own counter says {}, the integral of its current {}: {:+.1f} %.",
                    shortValue(std::abs(moved), "Ah"), shortValue(inside, "Ah"), 100 * (ratio - 1)),
             phrase("Usually a current path that the logger did not see, or a counter that was not "
                    "reset. "
                    "The integral is used here."),
             {s.start_s, s.end_s, static_cast<int>(k)}});
    }
}

}  // namespace nk
