// The standing of a battery: what is known of it, once (methods.md §16). Made from its stored
// readings; shelf, page, verdict, due list, habits, plan, bench, sheets and the command line quote
// it, nobody concludes for himself.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "battery_history.h"
#include "hazards.h"
#include "self_discharge.h"

namespace nk {

/// A figure of today, with its day and conditions.
struct StandingFigure {
    double value = kNaN, low = kNaN, high = kNaN;  ///< 95 % interval
    std::string unit;
    double at_s = kNaN;  ///< day of the reading it rests on, since 1970 UTC
    ReadingConditions conditions;
    double floor_V_per_cell = kNaN;  ///< of a capacity: down to here
    bool carried = false;            ///< of a capacity: its discharge ended beside that floor
    double more_Ah = 0;          ///< of a capacity: what was left under it at the most; 0: nothing
    bool trend = false;          ///< drawn to the line of the comparable ones
    std::int64_t recording = 0;  ///< its evidence
    std::string school;          ///< of a resistance: its kind
};

/// A whole discharge of a known day, from full to the common floor, under fair conditions.
struct WholeTest {
    double at_s = kNaN, efc = kNaN;
    double value_Ah = kNaN, uncertainty_Ah = kNaN;  ///< at the common floor
    double more_Ah = 0;  ///< left under its end at the most, by its own last slope; 0: nothing
    std::int64_t recording = 0;
    const HistoryPoint* point = nullptr;  ///< in the history that it was found in
};

/// Capacity lost a year, % of the label (of its first figure where none is known), at 95 %.
struct FadePace {
    double percent = kNaN, low = kNaN, high = kNaN;
};

/// A load that ran beside the logged one and that the log did not see: proposed, never applied by
/// itself (methods.md §16).
struct UnseenLoad {
    std::int64_t recording = 0;
    int step = -1;
    double seen_Ah = kNaN, before_Ah = kNaN;  ///< what the log counted; the test before it
    double missing_Ah = kNaN;                 ///< what the other load took, were both alike
    double ohm = kNaN;                        ///< as a constant resistance
    double low_A = kNaN, high_A = kNaN;       ///< its current at the end and at the start
    double from_s = kNaN, to_s = kNaN;        ///< of the steps it fits, in the log's time
    std::string because;                      ///< what contradicts the log, one sentence
};

struct Standing {
    BatteryEntry battery;
    BatteryLife life;
    std::optional<StandingFigure> capacity, resistance;
    std::optional<FadePace> fade;
    std::vector<HazardOnFile> hazards;
    std::optional<UnseenLoad> unseen;
    std::optional<SelfDischarge> selfDischarge;  ///< the newest that tells a loss
    std::vector<std::int64_t> daysUnknown;
    double floor_V_per_cell = kNaN;
    double firstDay_s = kNaN;       ///< first dated log, or the day it was put into use
    double lastSeen_s = kNaN;       ///< any log or reading of a known day
    double lastUse_s = kNaN;        ///< a log that moved charge
    double lastBalancing_s = kNaN;  ///< end of a charge held in its balancer's range to its taper
    double lastFull_s = kNaN;       ///< end of a charge to its usual end
    double lastTest_s = kNaN;       ///< a capacity was measured
    /// Bought new, and tested within a year of being put into use: its label can be held against
    /// its maker.
    bool claimTestable = false;

    /// What C counts of: today's capacity where there is one, else the rating; Ah.
    double reference_Ah() const { return capacity ? capacity->value : battery.battery.rated_Ah; }
    /// "95 %" of the label; NaN: not known.
    double shareOfLabel() const {
        const double rated = battery.battery.rated_Ah;
        return capacity && rated > 0 ? capacity->value / rated : kNaN;
    }
};

/// Whole discharges of known days in their order, fair ones alone where `fair`; without those that
/// an unseen load makes doubtful. Where there is none, those that stopped early: what was left is
/// told with them.
std::vector<WholeTest> wholeTests(const BatteryHistory& history, bool fair = true);

/// Pure. `recordings`: of the whole book or of this battery; only what lies up to `at_s` counts.
Standing standingOf(const BatteryHistory& history, const std::vector<HazardOnFile>& hazards,
                    const BatteryLife& life, const std::vector<RecordingEntry>& recordings,
                    double at_s = 1e18);

/// From the book. Errors: no such battery, the book cannot be read.
Expected<Standing> standingOf(BenchBook& book, std::int64_t batteryId, double at_s = 1e18);
/// The same, where its history is at hand.
Expected<Standing> standingOf(BenchBook& book, const BatteryHistory& history, double at_s = 1e18);

/// The newest of comparable figures, drawn to their local line: value and standard uncertainty.
/// y = a + b t + w(t) + e, w a random walk whose size is averaged over by its restricted
/// likelihood, e the points' own uncertainties (generalised least squares and kriging with a drift,
/// N. Cressie, *Statistics for Spatial Data*, §3.4, from memory). Also the pace b with its
/// uncertainty. `days`: in order. Fewer than three points: the last as it is, no pace.
struct LocalLine {
    double value = kNaN, uncertainty = kNaN;
    double pace = kNaN, paceUncertainty = kNaN;  ///< a day
};
LocalLine localLine(const std::vector<double>& days, const std::vector<double>& values,
                    const std::vector<double>& uncertainties);

}  // namespace nk
