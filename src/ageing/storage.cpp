#include "storage.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

StorageAdvice storageAdvice(const Habit& habit, const Chemistry& chemistry) {
    StorageAdvice out;
    if (!chemistry.ocv.empty()) {
        out.low_V = chemistry.ocv.voltage_V(out.lowSoc);
        out.high_V = chemistry.ocv.voltage_V(out.highSoc);
    }
    if (habit.charge_C > 0) out.plugInBefore_min = 1.1 * 60 * habit.depth / habit.charge_C;
    return out;
}

std::vector<std::string> storageWords(const Habit& habit, const Chemistry& chemistry) {
    const StorageAdvice a = storageAdvice(habit, chemistry);
    std::vector<std::string> out;
    if (chemistry.nickel()) {
        out.push_back(
            phrase("Put away: at any level, dry and cool; refresh it every 6 to 12 months."));
        return out;
    }
    out.push_back(
        phrase("Put away: about half full, {:.2f} to {:.2f} V a cell rested, at {:.0f} to "
               "{:.0f} °C, not in the refrigerator; look again after {:.0f} days.",
               a.low_V, a.high_V, a.low_C, a.high_C, a.lookAgain_days));
    if (habit.usesPerWeek > 0) {
        const double at = std::fmod(habit.useAt_h * 60 - a.plugInBefore_min + 14400, 1440);
        const int minutes = static_cast<int>(std::lround(at)) % 1440;
        const int use = static_cast<int>(std::lround(habit.useAt_h * 60)) % 1440;
        out.push_back(
            phrase("Ready by {:02d}:{:02d}: plug in at {:02d}:{:02d}, with a tenth of the "
                   "time in hand, while somebody is there.",
                   use / 60, use % 60, minutes / 60, minutes % 60));
    }
    return out;
}

}  // namespace nk
