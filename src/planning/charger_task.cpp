#include "charger_task.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

Expected<std::vector<ChargerTask>> compareChargers(const TaskWish& wish,
                                                   const std::vector<ChargerCard>& chargers) {
    ChargeWish free = wish.charge;
    free.charger.reset();
    free.fromSoc = 0;
    free.rested_V = 0;
    if (wish.capacity_Ah > 0) free.capacity_Ah = wish.capacity_Ah;
    const auto wanted = planCharge(free);
    if (!wanted) return tl::unexpected<Error>(wanted.error());
    if (wish.cycles < 1 || wish.cycles > 100)
        return fail(ErrorKind::InvalidArgument, phrase("{} cycles are no task.", wish.cycles),
                    "--cycles", phrase("1 to 100."));
    const Battery& b = wish.charge.battery;
    const Chemistry& c = *b.chemistryData();
    const double capacity = free.reference_Ah();
    const double askedDischarge = wish.discharge_A > 0 ? wish.discharge_A : 0.2 * capacity;
    std::vector<ChargerTask> out;
    for (const ChargerCard& card : chargers) {
        ChargerTask task;
        task.charger = card.name;
        ChargeWish with = free;
        with.charger = card;
        const auto plan = planCharge(with);
        if (!plan) {
            task.words = plan.error().what;
            out.push_back(std::move(task));
            continue;
        }
        task.charge_A = plan->effectiveCurrent_A;
        const double charge_h = plan->time_s[1] / 3600;
        double discharge_h = 0;
        if (wish.discharge) {
            task.discharge_A = card.effectiveDischarge_A(askedDischarge, c, b.series);
            if (!(task.discharge_A > 0)) {
                task.words = phrase("{} cannot discharge it.", card.name);
                out.push_back(std::move(task));
                continue;
            }
            discharge_h = capacity / task.discharge_A;
        }
        const int steps = wish.cycles * (wish.discharge ? 2 : 1);
        task.hours = wish.cycles * (charge_h + discharge_h) + (steps - 1) * wish.rest_min / 60;
        const double chargeCost = charge_h - wanted->time_s[1] / 3600;
        const double dischargeCost = wish.discharge ? discharge_h - capacity / askedDischarge : 0;
        constexpr double kCounts_h = 0.02;
        if (std::max(chargeCost, dischargeCost) > kCounts_h) {
            const bool byDischarge = dischargeCost > chargeCost;
            const bool watts = byDischarge ? card.maxDischarge_W / (c.nominal_V * b.series) <
                                                 std::min(askedDischarge, card.maxDischarge_A)
                                           : plan->limitedBy == "charger_power";
            task.decides = byDischarge ? (watts ? "discharge_power" : "discharge_current")
                                       : (watts ? "charge_power" : "charge_current");
            task.words =
                byDischarge
                    ? (watts ? phrase("the discharge watts decide: {:.2f} A flow", task.discharge_A)
                             : phrase("its discharge current decides: {:.2f} A", task.discharge_A))
                    : (watts ? phrase("the charge watts decide: {:.2f} A flow", task.charge_A)
                             : phrase("its charge current decides: {:.2f} A", task.charge_A));
        }
        out.push_back(std::move(task));
    }
    std::ranges::stable_sort(
        out, {}, [](const ChargerTask& t) { return std::isfinite(t.hours) ? t.hours : 1e18; });
    return out;
}

}  // namespace nk
