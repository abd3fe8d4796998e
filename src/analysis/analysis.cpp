#include "analysis.h"

#include <algorithm>

namespace nk {

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
    // Findings look at what the readings found: the memory is shared, and nothing is made twice.
    const AnalysisInput input{recording, out.steps, out.battery, accuracy};
    out.memo = input.memo;
    for (const Metric& metric : metrics()) metric.compute(input, out.readings);
    for (const Check& check : checks()) check.compute(input, out.findings);
    std::stable_sort(out.findings.begin(), out.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

}  // namespace nk
