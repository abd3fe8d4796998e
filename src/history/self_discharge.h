// What a battery loses on the shelf: rested voltages days apart with nothing moved between them.
#pragma once

#include <vector>

#include "battery_history.h"

namespace nk {

struct SelfDischarge {
    double from_s = kNaN, to_s = kNaN;  ///< when the two voltages were read, since 1970
    double fall_V_per_cell = kNaN;      ///< positive: it fell
    double uncertainty_V = kNaN;        ///< standard, of that fall
    double mV_per_day = kNaN;           ///< a cell
    /// Charge lost in 30 days, % of what it holds, at 95 %, by its open-circuit curve; NaN without
    /// one, or where the curve is too flat to tell.
    double lowPercent = kNaN, highPercent = kNaN;
    std::int64_t fromRecording = 0, toRecording = 0;  ///< 0: by hand
};

/// Every pair of neighbouring rested voltages (logs) or voltages by hand at least two days apart
/// between which no log of the battery moved charge. A hand reading is taken as rested when the
/// newest log before it ended three hours earlier or more. Pure.
std::vector<SelfDischarge> selfDischarge(const BatteryHistory& history,
                                         const std::vector<RecordingEntry>& recordings);

}  // namespace nk
