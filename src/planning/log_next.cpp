#include "log_next.h"

#include <cmath>

#include "quantity/phrase.h"

namespace nk {

Expected<Program> planCapacityLog(const ProgramWish& wish, double rate_C) {
    ChargeWish charge;
    charge.battery = wish.battery;
    charge.charger = wish.charger;
    charge.ambient_C = wish.ambient_C;
    charge.fromSoc = wish.fromSoc;
    const auto plan = planCharge(charge);
    if (!plan) return tl::unexpected<Error>(plan.error());
    const Battery& b = wish.battery;
    const Chemistry& c = *b.chemistryData();
    const double floor = wish.floor_V > 0 ? wish.floor_V : c.dischargeFloor_V;
    double amps = rate_C * b.rated_Ah;
    if (wish.charger) amps = wish.charger->effectiveDischarge_A(amps, c, b.series);
    if (!(amps > 0))
        return fail(ErrorKind::InvalidArgument, phrase("This charger cannot discharge it."), {},
                    phrase("another charger, or a steady load beside a logger."));
    Program out;
    out.name = "log";
    PlannedStep full;
    full.what = "charge";
    full.current_A = plan->effectiveCurrent_A;
    full.until = c.nickel() ? phrase("its peak")
                            : phrase("{:.2f} V and down to {:.2f} A", plan->set_V, plan->cutoff_A);
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
    const double hours = (wish.capacity_Ah > 0 ? wish.capacity_Ah : b.rated_Ah) / amps;
    down.time_s = {3600 * hours * 0.6, 3600 * hours, 3600 * hours * 1.1};
    down.why = phrase("log it whole: that is the capacity");
    out.steps = {full, rest, down};
    out.reasons = {phrase("The same rate and floor as before, or figures cannot be compared.")};
    out.preflight = plan->preflight;
    out.preflight.push_back(phrase("The logger runs before the first step begins."));
    out.cautions = plan->cautions;
    return out;
}

}  // namespace nk
