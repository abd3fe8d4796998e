// One battery's strength over all its recordings: resistances of every school with their
// conditions, the temperature law, the C rating. What the Strength station shows.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "analysis/compare/cold_warm.h"
#include "analysis/pack/pack.h"
#include "analysis/rating/rating.h"
#include "analysis/resistance/current_step.h"
#include "analysis/resistance/load_regression.h"
#include "analysis/resistance/open_circuit.h"
#include "analysis/resistance/standard.h"
#include "analysis/resistance/temperature_law.h"

namespace nk {

/// What one recording contributes; holds no samples, so that many logs can be studied in turn.
struct StudiedLog {
    std::int64_t id = 0;
    std::string title;
    std::vector<StepResistance> steps;
    std::vector<TwoLevel> standard;
    std::vector<LoadResistance> loads;
    std::vector<DischargeCurve> curves;
    HeatTrace heat;
    std::vector<PackDischarge> pack;
    CompareSide side;
};
StudiedLog studyLog(const AnalysisInput& in, std::int64_t id, const std::string& title);

struct StrengthStudy {
    Battery battery;
    std::vector<StudiedLog> logs;
    Expected<Rating> rating = fail(ErrorKind::InvalidArgument, "Not rated yet.");
    std::optional<TemperatureLaw> law;
    double lawDelay_s = kNaN;  ///< delay of the resistances the law is fitted to
    std::vector<ResistanceAt> lawReadings;
    std::optional<OpenCircuitEstimate> openCircuit;
    /// The coldest log with a discharge against the warmest, when they lie 8 K apart.
    std::optional<Comparison> coldWarm;
    std::string coldTitle, warmTitle;
    /// Recordings that could not be read, each with its reason: they are in nothing of the above.
    std::vector<std::string> leftOut;

    /// The curves of all logs, in order.
    std::vector<DischargeCurve> curves() const;
};

/// Rates and fits over all logs. The temperature law takes the readings of one delay only: the
/// longest up to 10 s that has two temperatures, between a fifth and nine tenths charged.
StrengthStudy studyStrength(std::vector<StudiedLog> logs, const Battery& battery,
                            const InstrumentAccuracy& accuracy, const RatingOptions& options = {});

}  // namespace nk
