#include "log_next.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

Expected<Program> planCapacityLog(const ProgramWish& wish, double rate_C) {
    const ChargeWish charge = wish.charge();
    const auto plan = planCharge(charge);
    if (!plan) return tl::unexpected<Error>(plan.error());
    const Battery& b = wish.battery;
    const Chemistry& c = *b.chemistryData();
    ActWish act = charge.act(Act::Cycle);
    act.discharge_A = rate_C * charge.reference_Ah();
    act.floor_V = std::max(0.0, wish.floor_V);
    const auto limits = askGate(charge.state(), act);
    if (!limits) return tl::unexpected<Error>(limits.error());
    const double floor = limits->floor_V;
    double amps = limits->discharge_A;
    if (wish.charger) amps = wish.charger->effectiveDischarge_A(amps, c, b.series);
    if (!(amps > 0))
        return refusal(Act::Cycle, "charger", phrase("This charger cannot discharge it."),
                       phrase("another charger, or a steady load beside a logger."));
    Program out;
    out.name = "log";
    PlannedStep full;
    full.what = "charge";
    full.current_A = plan->effectiveCurrent_A;
    full.until = endsWords(*plan);
    full.time_s = plan->time_s;
    PlannedStep rest;
    rest.what = "rest";
    rest.until = phrase("half an hour is over");
    rest.time_s = {1800, 1800, 1800};
    rest.attended = false;
    rest.why = phrase("so that the start is known");
    PlannedStep down;
    down.what = "discharge";
    down.current_A = amps;
    down.until = phrase("{:.2f} V ({:.2f} V a cell)", floor * b.series, floor);
    const double hours = charge.reference_Ah() / amps;
    down.time_s = {3600 * hours * 0.6, 3600 * hours, 3600 * hours * 1.1};
    down.why = phrase("log it whole: that is the capacity");
    out.steps = {full, rest, down};
    out.reasons = {phrase("The same rate and floor as before, or figures cannot be compared.")};
    out.preflight = plan->preflight;
    out.preflight.push_back(phrase("The logger runs before the first step begins."));
    out.preflightCurrent_A = plan->current_A;
    out.temperatureEnd_C = plan->temperatureEnd_C;
    out.endsBy = plan->endsBy;
    out.left = "empty";
    out.cautions = plan->cautions;
    out.cautions.push_back(
        phrase("It is left empty after the reading: charge it before it is put away."));
    return out;
}

}  // namespace nk
