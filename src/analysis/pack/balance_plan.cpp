#include "balance_plan.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

BalancePlan balancePlan(const PackDischarge& d, double current_A) {
    BalancePlan out;
    if (!(current_A > 0) || !std::isfinite(current_A)) {
        out.why = phrase("A balancing current above 0 is needed.");
        return out;
    }
    if (d.cells.size() < 2 || !d.reachedFloor || !d.told()) {
        out.why = phrase(
            "This discharge does not tell how much the cells lack: it must reach the floor of a "
            "cell, on curves "
            "that are not too flat. Log a whole discharge at C/5 after a rest at full.");
        return out;
    }
    const auto [low, high] = std::ranges::minmax(d.cells, {}, &PackCell::offset_Ah);
    const double least = 0.01 * d.capacity_Ah;
    // Both cells of a difference are known against the weakest; itself it is known to nothing less.
    const auto step = [&](const PackCell& c, const PackCell& other, double charge) {
        BalanceStep s;
        s.cell = c.cell;
        s.charge_Ah = charge;
        s.uncertainty_Ah = 0;
        for (const double u : {c.remainingUncertainty_Ah, other.remainingUncertainty_Ah})
            if (std::isfinite(u)) s.uncertainty_Ah = std::max(s.uncertainty_Ah, u);
        if (s.uncertainty_Ah <= 0) s.uncertainty_Ah = 0.5 * std::abs(charge);
        s.least_h = std::max(0.0, charge - 2 * s.uncertainty_Ah) / current_A;
        s.most_h = (charge + 2 * s.uncertainty_Ah) / current_A;
        return s;
    };
    for (const PackCell& c : d.cells) {
        const BalanceStep lacks = step(c, high, high.offset_Ah - c.offset_Ah);
        const BalanceStep over = step(c, low, c.offset_Ah - low.offset_Ah);
        if (lacks.charge_Ah > std::max(least, 2 * lacks.uncertainty_Ah))
            out.single.push_back(lacks);
        if (over.charge_Ah > std::max(least, 2 * over.uncertainty_Ah)) out.bleed.push_back(over);
    }
    std::ranges::sort(out.single, std::greater{}, &BalanceStep::charge_Ah);
    std::ranges::sort(out.bleed, std::greater{}, &BalanceStep::charge_Ah);
    out.givesBack_Ah = out.single.empty() && out.bleed.empty() ? 0 : std::max(0.0, d.balancing_Ah);
    return out;
}

}  // namespace nk
