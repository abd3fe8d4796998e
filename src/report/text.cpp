#include "text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <iterator>
#include <map>

#include "words.h"

namespace nk {

namespace {

// More than a screen of one thing is summed up.
constexpr std::size_t kMostSteps = 40;
constexpr std::size_t kFirstSteps = 25;
constexpr std::size_t kLastSteps = 5;
constexpr std::size_t kMostOfOneName = 12;

using Out = std::back_insert_iterator<std::string>;

void stepLine(Out out, std::size_t k, const Step& s) {
    fmt::format_to(out, "  {:>3}  {:>9} to {:>9}  {}", k, clockText(s.start_s), clockText(s.end_s),
                   kindWords(s));
    if (s.isActive())
        fmt::format_to(out, ", {} A, {} Ah, {} to {} V", fixed(s.meanCurrent_A, 3),
                       fixed(s.sum.charge_Ah, 4), fixed(s.startVoltage_V, 3),
                       fixed(s.endVoltage_V, 3));
    fmt::format_to(out, "; ended: {}\n", endingWords(s.endedBy));
}

/// "… 74 more, to 3:12:00: 37 × rest; 37 × discharge pulse. 0.000 Ah in, 12.1 Ah out."
void passedOver(Out out, const std::vector<Step>& steps, std::size_t from, std::size_t to) {
    std::map<std::string, std::size_t> kinds;
    double in = 0;
    double given = 0;
    for (std::size_t k = from; k < to; ++k) {
        ++kinds[kindWords(steps[k])];
        (steps[k].sum.charge_Ah > 0 ? in : given) += std::abs(steps[k].sum.charge_Ah);
    }
    std::vector<std::pair<std::string, std::size_t>> most(kinds.begin(), kinds.end());
    std::ranges::stable_sort(most, std::greater(), &std::pair<std::string, std::size_t>::second);
    fmt::format_to(out, "    …  {} more, to {}: ", to - from, clockText(steps[to - 1].end_s));
    for (std::size_t k = 0; k < most.size(); ++k)
        fmt::format_to(out, "{}{} × {}", k > 0 ? "; " : "", most[k].second, most[k].first);
    fmt::format_to(out, ". {} Ah in, {} Ah out. --full tells each.\n", fixed(in, 3),
                   fixed(given, 3));
}

void stepList(Out out, const std::vector<Step>& steps, bool full) {
    const bool all = full || steps.size() <= kMostSteps;
    const std::size_t first = all ? steps.size() : kFirstSteps;
    for (std::size_t k = 0; k < first; ++k) stepLine(out, k, steps[k]);
    if (all) return;
    passedOver(out, steps, first, steps.size() - kLastSteps);
    for (std::size_t k = steps.size() - kLastSteps; k < steps.size(); ++k)
        stepLine(out, k, steps[k]);
}

void readingLine(Out out, const std::string& title, const Reading& r, bool telling) {
    fmt::format_to(out, "  {}", title);
    if (telling && r.evidence.step >= 0) fmt::format_to(out, ", step {}", r.evidence.step);
    fmt::format_to(out, ": {}\n", valueText(r).joined());
    for (const std::string& c : r.caveats) fmt::format_to(out, "      {}\n", c);
}

/// Many readings of one name in one line: where their middle lies and how far they reach. Times
/// and the number of a cell have no middle.
void sumUp(Out out, const std::string& title, std::vector<const Reading*> all) {
    const std::size_t asked = all.size();
    std::erase_if(all, [](const Reading* r) { return !r->measurable(); });
    fmt::format_to(out, "  {}, {} steps: ", title, asked);
    if (all.empty()) {
        fmt::format_to(out, "{}. --full tells why.\n", valueText(Reading{}).joined());
        return;
    }
    std::ranges::stable_sort(all, {}, &Reading::value);
    const bool time = all.front()->unit == "s";
    const auto plain = [&](const Reading* r) {
        return time ? clockText(r->value) : shortValue(r->value, r->unit);
    };
    if (!time && !all.front()->unit.empty())
        fmt::format_to(out, "{} in the middle of ", valueText(*all[(all.size() - 1) / 2]).joined());
    fmt::format_to(out, "{} to {}", plain(all.front()), plain(all.back()));
    if (all.size() < asked) fmt::format_to(out, "; {} not measurable", asked - all.size());
    fmt::format_to(out, ". --full tells each.\n");
}

void readingList(Out out, const Analysis& a, bool full) {
    std::map<std::string_view, std::vector<const Reading*>> named;
    for (const Reading& r : a.readings) named[r.name].push_back(&r);
    for (const Reading& r : a.readings) {
        const auto& all = named[r.name];
        const Metric* m = a.registry->metric(r.name);
        const std::string title = m != nullptr ? m->title : r.name;
        if (full || all.size() <= kMostOfOneName)
            readingLine(out, title, r, all.size() > 1);
        else if (&r == all.front())
            sumUp(out, title, all);
    }
}

}  // namespace

std::string analysisText(const Recording& recording, const Analysis& a, const std::string& file,
                         bool full) {
    std::string text = fmt::format("{}\n{} samples over {}, every {:.3g} s\n{}\n", file,
                                   recording.size(), durationText(recording.duration_s()),
                                   recording.usualInterval_s(), batteryWords(a.battery));
    const Out out(text);
    if (!a.findings.empty()) fmt::format_to(out, "\nFindings\n");
    for (const Finding& f : a.findings) {
        fmt::format_to(out, "  {:8} {}\n", toString(f.severity), f.text);
        if (!f.advice.empty()) fmt::format_to(out, "           {}\n", f.advice);
    }
    fmt::format_to(out, "\nSteps\n");
    stepList(out, a.steps.list, full);
    fmt::format_to(out, "\nReadings (± is half the 95 % interval)\n");
    readingList(out, a, full);
    return text;
}

}  // namespace nk
