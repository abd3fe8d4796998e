#include "study.h"

#include "analysis/resistance/resistance_findings.h"
#include "conditions.h"
#include "quantity/phrase.h"
#include "summary.h"

namespace nk {

namespace {

/// Sentences of this thread are English while it lives.
Presentation english() {
    return {};
}

}  // namespace

StoredStudy studyOf(const OpenedRecording& opened) {
    const Presenting plain(english());
    StoredStudy out;
    out.fingerprint = opened.fingerprint;
    const Analysis& a = opened.analysis;
    const AnalysisInput in = opened.input();
    const Reading* capacity = quotedCapacity(a);
    const Reading* resistance = quotedResistance(a);
    out.readings.reserve(a.readings.size());
    for (const Reading& r : a.readings) {
        if (!r.measurable()) continue;
        StoredReading s;
        s.recordingId = opened.entry.id;
        s.name = r.name;
        s.step = r.evidence.step;
        s.value = r.value;
        s.uncertainty = r.uncertainty;
        s.low = r.value - r.expanded();
        s.high = r.value + r.expanded();
        s.unit = r.unit;
        s.method = r.method;
        s.from_s = r.evidence.from_s;
        s.to_s = r.evidence.to_s;
        s.quoted = &r == capacity || &r == resistance;
        s.conditions = conditionsOf(in, a, r);
        out.readings.push_back(std::move(s));
    }
    for (const Finding& f : a.findings)
        out.findings.push_back(
            {opened.entry.id, f.severity, f.code, f.text, f.evidence.from_s, f.evidence.to_s});
    out.strength = packStrength(studyLog(in, opened.entry.id, opened.entry.title));
    return out;
}

StoredStudy studyOf(const Error& problem, const std::string& fingerprint) {
    StoredStudy out;
    out.fingerprint = fingerprint;
    out.problem = problem.text();
    return out;
}

}  // namespace nk
