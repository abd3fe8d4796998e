// What is looked at before a charge, and the cautions that always stand beside it.
#include "charge_plan.h"
#include "quantity/phrase.h"

namespace nk {

std::vector<std::string> preflightList(const Battery& battery, double current_A,
                                       double reference_Ah) {
    const Chemistry* c = battery.chemistryData();
    std::vector<std::string> out;
    if (c != nullptr)
        out.push_back(phrase("The charger's program is for {}, nothing else.", c->name()));
    out.push_back(
        battery.series == 1
            ? phrase("One cell: its own voltage fits one cell.")
            : phrase("{} cells in series: the voltage at rest fits that count.", battery.series));
    out.push_back(phrase("Red to plus, black to minus; the charger's end of the leads first."));
    if (battery.series > 1 && c != nullptr && !c->nickel())
        out.push_back(phrase("The balance lead is in, from the right end."));
    if (reference_Ah > 0 && current_A > 0)
        out.push_back(phrase("The current is in A, not mA: {:.3g} A is {:.2f}C.", current_A,
                             current_A / reference_Ah));
    if (c != nullptr)
        out.push_back(
            phrase("The battery is between {:.0f} and {:.0f} °C.", c->chargeMin_C, c->chargeMax_C));
    out.push_back(phrase("Its skin is whole: no dent, no swelling, no torn wrap."));
    out.push_back(phrase("The charger's counter stands at zero."));
    out.push_back(phrase("It stands on something that does not burn, away from what does."));
    out.push_back(phrase("Somebody is there, awake, with a smoke alarm."));
    return out;
}

std::vector<std::string> chargeCautions(const Battery& battery) {
    std::vector<std::string> out;
    out.push_back(phrase("Never leave charging unattended."));
    out.push_back(phrase("The maker's data sheet comes first."));
    const Chemistry* c = battery.chemistryData();
    const double top = c == nullptr ? 0 : (c->nickel() ? c->nominal_V * 1.25 : c->set_V);
    if (top * battery.series > 60)
        out.push_back(phrase("Over 60 V d.c.: work for trained people, by the local codes."));
    return out;
}

}  // namespace nk
