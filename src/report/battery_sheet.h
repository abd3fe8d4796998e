// The bench sheet of a battery: its card, every log with what it gave, the course of its capacity,
// readings taken by hand, and its strength where that was studied.
#pragma once

#include <string>
#include <vector>

#include "analysis/rating/strength_study.h"
#include "book/bench_book.h"
#include "history/verdict.h"
#include "quantity/format.h"

namespace nk {

struct BatterySheetInput {
    Battery battery;
    std::vector<RecordingEntry> recordings;  ///< of this battery, in order
    std::vector<StoredReading> readings;     ///< of those recordings
    std::vector<SpotReading> spots;
    Verdict verdict;  ///< empty: none was made
    BatteryLife life;
    const StrengthStudy* study = nullptr;  ///< may be null
    std::string madeOn;                    ///< date of the sheet (the core has no clock)
    NumberStyle style;
};

/// Capacity of each log as a column against the rating; empty when no log has a capacity.
std::string capacitySvg(const BatterySheetInput& input, int width, int height);

/// A whole HTML page. `picture` is the markup of the chart: an inline SVG, or an img element.
std::string batterySheetHtml(const BatterySheetInput& input, const std::string& picture);

}  // namespace nk
