// "What if another rule had been used": stop rules replayed on recorded charges (methods.md §5,
// docs/analysis-json.md "replay"). Pure and fast, so that dragging a flag feels immediate.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "analysis/analysis.h"

namespace nk {

/// One condition of a rule.
struct StopCondition {
    enum class Kind {
        NegativeDeltaV,
        ZeroDeltaV,
        Inflection,
        DTdt,
        DeltaT,
        MaxTemperature,
        MaxVoltage,
        Timer,
        Input,
        Taper
    } kind = Kind::Timer;
    double threshold = 0;      ///< V per cell, s, °C/min, °C, V per cell, s, fraction of rated, A
    double rise_V = 0;         ///< ZeroDeltaV: a rise counts only from this size, V per cell
    double taperFraction = 0;  ///< Taper given as C/n: 1/n; 0 when given in A
};

/// Conditions joined by "whichever comes first", with a hold-off in which voltage and slope
/// conditions are deaf.
struct StopRule {
    std::string text;  ///< exactly as given
    std::vector<StopCondition> conditions;
    double holdOff_s = 600;
};

/// Reads "-dv:5mV", "0dv:5min:1mV", "inflection", "dtdt:1C/min", "dt:15C", "tmax:50C", "timer:16h",
/// "input:120%", "taper:C/20", joined by "|", with "@holdoff=10min". Errors list what is accepted.
Expected<StopRule> parseRule(const std::string& text);

enum class Fired { Yes, No, Undecidable };

struct ReplayResult {
    std::string rule;
    int step = -1;  ///< first step of the charge
    Fired fired = Fired::No;
    double time_s = kNaN;     ///< recording time, smoothing lag included
    double charge_Ah = kNaN;  ///< put in until then
    double temperature_C = kNaN;
    double overcharge_Ah =
        kNaN;            ///< put in after the peak; 0 when it fired before; NaN without a peak
    int condition = -1;  ///< index of the condition that fired
    std::vector<std::string> caveats;
};

/// A charge to replay on: steps first … last of one event.
struct ChargeSpan {
    int firstStep = -1, lastStep = -1;
    std::size_t first = 0, last = 0;
    double peak_s = kNaN;  ///< of a nickel charge
    /// Charge put in since `first`, Ah, one value a sample of the span: every rule asks for it.
    std::shared_ptr<const std::vector<double>> running_Ah;

    double chargeUntil_Ah(std::size_t sample) const { return (*running_Ah)[sample - first]; }
};

std::vector<ChargeSpan> chargeSpans(const AnalysisInput& in);
ReplayResult replay(const AnalysisInput& in, const ChargeSpan& charge, const StopRule& rule);
/// One result per rule and charge, rule by rule.
std::vector<ReplayResult> replayAll(const AnalysisInput& in, const std::vector<StopRule>& rules);

}  // namespace nk
