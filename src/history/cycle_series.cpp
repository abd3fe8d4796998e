// A table of cycles as a series to be fitted, and the day of a cycle that is still to come.
#include <algorithm>
#include <cmath>

#include "cycle_table.h"
#include "quantity/phrase.h"

namespace nk {

Expected<CycleSeries> cycleSeries(const CycleTable& table, FadeOf of, FadeAxis against) {
    const std::vector<double>& value =
        of == FadeOf::Capacity ? table.capacity_Ah : table.resistance_ohm;
    if (value.empty())
        return fail(ErrorKind::ColumnsUnknown, of == FadeOf::Capacity
                                                   ? phrase("The table has no capacities.")
                                                   : phrase("The table has no resistances."));
    std::vector<double> at = table.cycle;
    if (against == FadeAxis::Days) at = table.day;
    if (against == FadeAxis::Throughput) {
        at = table.throughput_Ah;
        if (at.empty() && table.unit == "Ah") {
            double sum = 0;  // in and out again, cycle by cycle
            for (std::size_t k = 0; k < table.cycle.size(); ++k) {
                const double step = k == 0 ? 1 : table.cycle[k] - table.cycle[k - 1];
                if (std::isfinite(table.capacity_Ah[k])) sum += 2 * step * table.capacity_Ah[k];
                at.push_back(sum);
            }
        }
    }
    if (at.empty())
        return fail(ErrorKind::ColumnsUnknown, against == FadeAxis::Days
                                                   ? phrase("The table has no dates or days.")
                                                   : phrase("The table has no charge moved."));
    CycleSeries out;
    out.series.rising = of == FadeOf::Resistance;
    out.series.resolution = of == FadeOf::Capacity ? table.resolution : 0;
    double before = -1e300;
    const double firstDay = against == FadeAxis::Days ? at.front() : 0;
    for (std::size_t k = 0; k < at.size(); ++k) {
        if (!(value[k] > 0) || !(at[k] - firstDay > before)) continue;
        before = at[k] - firstDay;
        out.series.at.push_back(before);
        out.series.value.push_back(value[k]);
        out.rows.push_back(k);
    }
    // Conditions that change enough to matter.
    const auto condition = [&](const std::vector<double>& from, double least, bool logarithm) {
        if (from.empty()) return;
        std::vector<double> c;
        for (const std::size_t k : out.rows) {
            const double x = logarithm ? std::log(from[k]) : from[k];
            if (!std::isfinite(x)) return;
            c.push_back(x);
        }
        if (c.empty()) return;
        const auto [low, high] = std::ranges::minmax(c);
        if (high - low > least) out.series.conditions.push_back(std::move(c));
    };
    condition(table.temperature_C, 1.5, false);
    condition(table.rate, 0.05, true);
    return out;
}

DayRange dayOf(const CycleTable& table, double cycleLow, double cycle, double cycleHigh) {
    DayRange out;
    if (table.day.size() < 4) return out;
    // The pace of the last half, and of its thirds: how far they lie apart is the range.
    const std::size_t from = table.day.size() / 2;
    const std::size_t to = table.day.size() - 1;
    const auto pace = [&](std::size_t a, std::size_t b) {
        return (table.day[b] - table.day[a]) / (table.cycle[b] - table.cycle[a]);
    };
    const double mean = pace(from, to);
    double quick = mean;
    double slow = mean;
    if (to - from >= 6)
        for (std::size_t k = 0; k < 3; ++k) {
            const double third = pace(from + (to - from) * k / 3, from + (to - from) * (k + 1) / 3);
            quick = std::min(quick, third);
            slow = std::max(slow, third);
        }
    if (!std::isfinite(mean + quick + slow) || mean < 0) return out;
    const double last = table.cycle.back();
    const auto on = [&](double n, double days) { return table.day.back() + (n - last) * days; };
    out.middle = on(cycle, mean);
    out.low = on(cycleLow, cycleLow > last ? quick : slow);
    out.high = on(cycleHigh, cycleHigh > last ? slow : quick);
    return out;
}

}  // namespace nk
