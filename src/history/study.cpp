#include "study.h"

#include <cmath>
#include <map>
#include <tuple>

#include "analysis/resistance/resistance_findings.h"
#include "conditions.h"
#include "quantity/phrase.h"
#include "summary.h"

namespace nk {

namespace {

/// The sentences of the findings, written down for whoever reads them later in his own language.
std::vector<std::string> recordedTexts(const AnalysisInput& in, const Analysis& a) {
    std::vector<Finding> again;
    {
        const Recorded down;
        for (const Check& c : a.registry->checks) c.compute(in, again);
    }
    // By what they are about: a log of hundreds of cycles has thousands of them.
    std::map<std::tuple<std::string, int, double>, const std::string*> text;
    const auto about = [](const Finding& f) {
        const double from_s = std::isfinite(f.evidence.from_s) ? f.evidence.from_s : -1e300;
        return std::tuple(f.code, f.evidence.step, from_s);
    };
    for (const Finding& f : again) text.try_emplace(about(f), &f.text);
    std::vector<std::string> out;
    out.reserve(a.findings.size());
    for (const Finding& f : a.findings) {
        const auto same = text.find(about(f));
        out.push_back(same != text.end() ? *same->second : f.text);
    }
    return out;
}

}  // namespace

StoredStudy studyOf(const OpenedRecording& opened) {
    const Presenting plain({});  // what is stored is English
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
    const auto texts = recordedTexts(in, a);
    for (std::size_t k = 0; k < a.findings.size(); ++k) {
        const Finding& f = a.findings[k];
        out.findings.push_back(
            {opened.entry.id, f.severity, f.code, texts[k], f.evidence.from_s, f.evidence.to_s});
    }
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
