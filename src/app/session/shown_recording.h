// What a recording needs to be shown: all made in a worker, immutable afterwards.
#pragma once

#include <QString>
#include <vector>

#include "analysis/analysis.h"
#include "book/bench_book.h"
#include "report/cards.h"

namespace nk {

struct ShownRecording {
    std::int64_t id = 0;
    std::int64_t batteryId = 0, instrumentId = 0;
    double at_s = kNaN;  ///< when it was taken
    QString title, subtitle;
    std::string sign;  ///< of all that makes it look as it does; another one: it is to be made anew
    RecordingPtr recording;  ///< with the corrections applied
    std::vector<Correction> corrections;
    std::vector<StepEdit> edits;
    Analysis analysis;
    InstrumentAccuracy accuracy;
    std::vector<double> charge_Ah, energy_Wh;
    /// Checks of its instrument that may hold for it and are not applied.
    std::vector<MeterCheck> offers;

    /// Borrowed from this object, for analyses that are run when a station asks for them.
    AnalysisInput input() const { return {*recording, analysis.steps, analysis.battery, accuracy}; }
};

using ShownPtr = std::shared_ptr<const ShownRecording>;

/// Its cards in the order they are shown: hazards, corrections, offers, then the rest.
std::vector<Card> cardsOf(const ShownRecording& shown);

}  // namespace nk
