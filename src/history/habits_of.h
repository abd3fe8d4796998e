// What the book tells of a battery's habits: its record, its fade, and how far off the laws were.
#pragma once

#include <functional>
#include <optional>
#include <stop_token>

#include "ageing/habit_compare.h"
#include "ageing/habit_record.h"
#include "fade_report.h"

namespace nk {

/// How a law's loss compares with the battery's own over what its book holds.
struct OwnAgainstLaw {
    School school = School::Table;
    double own = kNaN, law = kNaN;  ///< losses as fractions, over `years`
    double years = 0;
    double scale() const { return law > 0 ? own / law : 1; }
};

/// A change of slope at a given place, and whether it is real.
struct SlopeChange {
    double at = kNaN;                    ///< on the axis of the fade
    double before = kNaN, after = kNaN;  ///< loss a unit, fraction of the initial
    double probability = kNaN;           ///< that chance alone makes such a difference
};

/// How fast cells drift apart, as the charge lost to imbalance shows it over months.
struct CellDrift {
    double perMonth = kNaN, low = kNaN, high = kNaN;  ///< fraction of the rating a month, 95 %
    int discharges = 0;
};

struct BatteryHabits {
    BatteryEntry battery;
    std::optional<CellDrift> drift;
    HabitRecord record;
    std::optional<FadeReport> fade;
    std::string whyNoFade;
    bool mostlyUnknown = false;       ///< most days are in no log: the fade runs over days
    std::vector<OwnAgainstLaw> laws;  ///< where the book has enough fade
    std::optional<SlopeChange> change;
    std::vector<std::string> leftOut;  ///< logs that cannot be read
};

/// Reads all logs of a battery. `question`: which fade, and its end; its rating and axis are the
/// battery's own. Errors: no such battery, stopped, the book cannot be read.
Expected<BatteryHabits> habitsOf(BenchBook& book, std::int64_t batteryId, std::stop_token stop = {},
                                 const std::function<void(double)>& progress = {},
                                 FadeQuestion question = {});

/// A straight line through the charges lost to imbalance, with Student's interval. Nothing with
/// under four discharges, under 30 days or without a rating. `day`, `lost_Ah`: one a discharge.
std::optional<CellDrift> cellDrift(const std::vector<double>& day,
                                   const std::vector<double>& lost_Ah, double rated_Ah);

/// Slopes before and after a place by least squares with one line each that meet there, and the
/// chance of such a difference by Student's t. Nothing with under four points on a side.
std::optional<SlopeChange> slopeChange(const FadeSeries& series, double at);

}  // namespace nk
