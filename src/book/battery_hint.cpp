#include "battery_hint.h"

#include <cmath>

namespace nk {

BatteryHint hintOf(const Battery& battery) {
    BatteryHint out;
    out.rated_Ah = battery.rated_Ah;
    if (battery.chemistry.empty() || battery.series <= 0) return out;
    const auto chemistry = findChemistry(battery.chemistry);
    if (!chemistry) return out;
    const Chemistry& c = **chemistry;
    constexpr double kNickelFull_V = 1.5;  // at the end of a charge; common practice, no source
    out.lowest_V = battery.series * c.dischargeFloor_V;
    out.highest_V = battery.series * (std::isfinite(c.set_V) ? c.set_V : kNickelFull_V);
    return out;
}

}  // namespace nk
