// How a battery has changed: its readings over time, from logs and by hand, each with its
// conditions.
#pragma once

#include <cmath>
#include <set>
#include <string>
#include <vector>

#include "open_recording.h"

namespace nk {

struct HistoryPoint {
    StoredReading reading;  ///< recordingId 0: by hand
    double at_s = kNaN;     ///< when, seconds since 1970 UTC; NaN: of no known day
    double efc = kNaN;  ///< equivalent full cycles before it: charge moved over twice the rating
    std::string title;  ///< of the recording, or how it was taken by hand
    /// Points of one group may be compared; empty: with none. The group of a resistance is
    /// normalised to 25 °C first.
    std::string comparable;
    std::string apart;  ///< why it is comparable with none, in words
    /// Of a capacity: what its discharge would still have given down to the battery's common floor,
    /// Ah (may be negative); NaN where it cannot be carried there. Its standard uncertainty.
    double carried_Ah = kNaN, carriedUncertainty_Ah = 0;
    double normalised = kNaN;  ///< a resistance at 25 °C by the usual temperature law
    std::int64_t spot = 0;     ///< of a reading by hand, its id in the book
    bool byHand() const { return reading.recordingId == 0; }
    bool dayKnown() const { return std::isfinite(at_s); }
    /// A capacity down to the common floor, where it can be carried there.
    double atFloor() const { return reading.value + (std::isfinite(carried_Ah) ? carried_Ah : 0); }
    /// Standard uncertainty of that.
    double atFloorUncertainty() const {
        return std::hypot((reading.high - reading.low) / 4, carriedUncertainty_Ah);
    }
};

struct BatteryHistory {
    BatteryEntry battery;
    std::vector<HistoryPoint> points;  ///< in order of time; those of no known day last
    /// Where its full discharges end, V a cell (methods.md §16); NaN: no chemistry is known.
    double floor_V_per_cell = kNaN;
    std::vector<std::int64_t> daysUnknown;  ///< recordings of no known day
    /// Recordings that cannot be read, each with the reason; they are in no point.
    std::vector<std::string> leftOut;
};

/// The recordings of one battery with all that makes their readings.
struct OwnLogs {
    BatteryEntry battery;
    std::vector<RecordingEntry> recordings;
    std::vector<Makings> makings;  ///< in their order
};

/// Of these batteries (all where empty), in the order of the book, with one pass over it. Errors:
/// the book cannot be read.
Expected<std::vector<OwnLogs>> ownLogs(BenchBook& book, const std::set<std::int64_t>& ids = {});

/// What C counts of (see above) as these readings tell: today's capacity where whole, fair tests of
/// a known day give one, to two digits, Ah; else 0.
double countedCapacity_Ah(const BatteryHistory& history);

/// All measurable readings of a battery whose logs are at hand; the summaries of those that were
/// stale are made new in `own`.
Expected<BatteryHistory> batteryHistory(BenchBook& book, OwnLogs& own);

/// All measurable readings of a battery. Stale ones are computed anew first, and stored where the
/// book can be written. Errors: no such battery, the book cannot be read.
Expected<BatteryHistory> batteryHistory(BenchBook& book, std::int64_t batteryId);

/// Puts points into groups: capacities (and what follows from them) only from full, at equal set
/// voltage (± 0.02 V a cell) and cut-off, ± 15 % of the rate, ± 3 K, and to one floor: within
/// ± 0.02 V a cell of it, or carried there by their own last slope (methods.md §16); resistances of
/// one school within ± 10 % of the state of charge, at 25 °C. Tolerances count from the first point
/// of a group in the order of days (methods.md §14). `points` are in that order. Returns the common
/// floor, V a cell.
double groupComparable(const Battery& battery, std::vector<HistoryPoint>& points);

}  // namespace nk
