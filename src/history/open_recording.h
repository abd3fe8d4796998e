// A recording of the book as it counts: with its battery's card, corrections, edits of the steps
// and the accuracy of its instrument. Whoever looks at a recording gets it from here.
#pragma once

#include <vector>

#include "analysis/analysis.h"
#include "book/bench_book.h"

namespace nk {

/// All that decides what is read from a recording, beside its samples.
struct Makings {
    Battery battery;  ///< as on the card, not completed
    std::vector<Correction> corrections;
    std::vector<StepEdit> edits;
    InstrumentAccuracy accuracy;
};

struct OpenedRecording : Makings {
    RecordingEntry entry;
    RecordingPtr recording;  ///< corrected
    Analysis analysis;
    std::string fingerprint;  ///< of the makings

    AnalysisInput input() const {
        return {*recording, analysis.steps, analysis.battery, accuracy, analysis.memo};
    }
};

/// Identifies what makes the readings: versions of metrics and checks, the parts of the card that
/// any of them looks at (not its name, not its rules), corrections, edits, accuracy.
std::string fingerprintOf(const Makings& makings, const Registry& registry = ownRegistry());

/// What C rates, tapers and thresholds of a battery count of instead of its label: its capacity of
/// today as the standing had it, to two digits, Ah; 0: not known (methods.md §16).
double countedCapacity_Ah(BenchBook& book, std::int64_t batteryId);
Expected<void> keepCounted(BenchBook& book, std::int64_t batteryId, double holds_Ah);

/// The makings of every recording on the shelf, in the order of `recordings`, with few passes over
/// the book.
Expected<std::vector<Makings>> allMakings(BenchBook& book,
                                          const std::vector<RecordingEntry>& recordings);

/// Loads, corrects and analyses. Errors: no such recording, damaged, of a later version.
Expected<OpenedRecording> openRecording(BenchBook& book, std::int64_t id);
/// The same where entry and makings are at hand.
Expected<OpenedRecording> openRecording(BenchBook& book, const RecordingEntry& entry,
                                        const Makings& makings);

/// The battery of an identifier or an exact name. Errors: none, or several of that name (listed).
Expected<BatteryEntry> findBattery(BenchBook& book, const std::string& idOrName);
/// The recording of an identifier or an exact title.
Expected<RecordingEntry> findRecording(BenchBook& book, const std::string& idOrTitle);

}  // namespace nk
