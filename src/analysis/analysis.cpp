#include "analysis.h"

#include <algorithm>
#include <future>

#include "quantity/phrase.h"

namespace nk {

namespace {

/// From here on a second thread is worth its start.
constexpr std::size_t kManySamples = 200'000;

}  // namespace

bool AnalysisInput::assumed(const char* field) const {
    return std::find(battery.assumed.begin(), battery.assumed.end(), field) !=
           battery.assumed.end();
}

const Reading* Analysis::reading(const std::string& name) const {
    for (const Reading& r : readings)
        if (r.name == name && r.measurable()) return &r;
    return nullptr;
}

bool Analysis::hasHazard() const {
    return std::any_of(findings.begin(), findings.end(),
                       [](const Finding& f) { return f.severity == Severity::Hazard; });
}

const Metric* findMetric(const std::string& name) {
    for (const Metric& m : metrics())
        if (name == m.name) return &m;
    return nullptr;
}

const Check* findCheck(const std::string& code) {
    for (const Check& c : checks())
        if (code == c.code) return &c;
    return nullptr;
}

Analysis analyse(const Recording& recording, const Battery& battery,
                 const std::vector<StepEdit>& edits, const InstrumentAccuracy& accuracy) {
    Analysis out;
    out.battery = completeBattery(battery, recording.voltage_V(), recording.current_A(),
                                  static_cast<int>(recording.cells_V().size()));
    out.steps = applyEdits(recording, out.battery, findSteps(recording, out.battery), edits);
    const auto look = [&] {
        const AnalysisInput input{recording, out.steps, out.battery, accuracy};
        std::vector<Finding> found;
        for (const Check& check : checks()) check.compute(input, found);
        return found;
    };
    // Readings and findings of a long log are made side by side, each with a memory of its own:
    // nothing is shared, so nothing depends on which is faster.
    std::future<std::vector<Finding>> findings;
    if (recording.size() > kManySamples)
        findings = std::async(std::launch::async, [&look, words = presentation()] {
            const Presenting presenting(words);
            return look();
        });
    const AnalysisInput input{recording, out.steps, out.battery, accuracy};
    for (const Metric& metric : metrics()) metric.compute(input, out.readings);
    out.findings = findings.valid() ? findings.get() : look();
    std::stable_sort(out.findings.begin(), out.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

}  // namespace nk
