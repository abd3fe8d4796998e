#include "text.h"

#include <fmt/format.h>

#include <cmath>

#include "words.h"

namespace nk {

std::string analysisText(const Recording& recording, const Analysis& a, const std::string& file) {
    std::string out = fmt::format("{}\n{} samples over {}, every {:.3g} s\n{}\n", file,
                                  recording.size(), durationText(recording.duration_s()),
                                  recording.usualInterval_s(), batteryWords(a.battery));
    if (!a.findings.empty()) out += "\nFindings\n";
    for (const Finding& f : a.findings) {
        out += fmt::format("  {:8} {}\n", toString(f.severity), f.text);
        if (!f.advice.empty()) out += fmt::format("           {}\n", f.advice);
    }
    out += "\nSteps\n";
    for (std::size_t k = 0; k < a.steps.list.size(); ++k) {
        const Step& s = a.steps.list[k];
        out += fmt::format("  {:>3}  {:>9} to {:>9}  {}", k, clockText(s.start_s),
                           clockText(s.end_s), kindWords(s));
        if (s.isActive())
            out += fmt::format(", {} A, {} Ah, {} to {} V", fixed(s.meanCurrent_A, 3),
                               fixed(s.sum.charge_Ah, 4), fixed(s.startVoltage_V, 3),
                               fixed(s.endVoltage_V, 3));
        out += fmt::format("; ended: {}\n", endingWords(s.endedBy));
    }
    out += "\nReadings (± is the expanded uncertainty, k = 2, about 95 %)\n";
    for (const Reading& r : a.readings) {
        const Metric* m = a.registry->metric(r.name);
        out += fmt::format("  {}: {}\n", m != nullptr ? m->title : r.name.c_str(),
                           valueText(r).joined());
        for (const std::string& c : r.caveats) out += fmt::format("      {}\n", c);
    }
    return out;
}

}  // namespace nk
