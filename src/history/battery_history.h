// How a battery has changed: its readings over time, from logs and by hand, each with its
// conditions.
#pragma once

#include <string>
#include <vector>

#include "open_recording.h"

namespace nk {

struct HistoryPoint {
    StoredReading reading;  ///< recordingId 0: by hand
    double at_s = kNaN;     ///< when, seconds since 1970 UTC
    double efc = kNaN;  ///< equivalent full cycles before it: charge moved over twice the rating
    std::string title;  ///< of the recording, or how it was taken by hand
    /// Points of one group may be compared; empty: with none. The group of a resistance is
    /// normalised to 25 °C first.
    std::string comparable;
    std::string apart;         ///< why it is comparable with none, in words
    double normalised = kNaN;  ///< a resistance at 25 °C by the usual temperature law
    std::int64_t spot = 0;     ///< of a reading by hand, its id in the book
    bool byHand() const { return reading.recordingId == 0; }
};

struct BatteryHistory {
    BatteryEntry battery;
    std::vector<HistoryPoint> points;  ///< in order of time
    /// Recordings that cannot be read, each with the reason; they are in no point.
    std::vector<std::string> leftOut;
};

/// All measurable readings of a battery. Stale ones are computed anew first, and stored where the
/// book can be written. Errors: no such battery, the book cannot be read.
Expected<BatteryHistory> batteryHistory(BenchBook& book, std::int64_t batteryId);

/// Puts points into groups: capacities (and what follows from them) only from full, at equal set
/// voltage (± 0.02 V a cell) and cut-off, ± 15 % of the rate, ± 0.02 V a cell of the floor, ± 3 K;
/// resistances of one school within ± 10 % of the state of charge, at 25 °C. Tolerances count from
/// the first point of a group (methods.md §14).
void groupComparable(const Battery& battery, std::vector<HistoryPoint>& points);

}  // namespace nk
