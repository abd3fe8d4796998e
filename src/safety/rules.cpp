#include "rules.h"

#include <fmt/format.h>

#include <algorithm>
#include <cassert>
#include <cmath>

#include "chemistry/chemistry.h"
#include "quantity/sentence.h"

namespace nk {

namespace {

constexpr std::string_view kPractice = "common practice, no source";
constexpr std::string_view kFile = "the chemistry's file (assets/chemistry), or the maker's figure";

}  // namespace

const std::vector<GateRule>& gateRules() {
    static const std::vector<GateRule> all = {
        {"figures", sentence("A figure that no battery of this kind has is asked about first."),
         kPractice},
        {"unknown_kind", sentence("A battery of an unknown kind is asked about, never guessed."),
         kPractice},
        {"primary", sentence("A primary battery is never charged."), kPractice},
        {"volts_of_one_cell", sentence("Volts that only a single cell can have are asked about."),
         kPractice},
        {"out_of_use",
         sentence("A cell that rests under the out-of-use voltage is recycled: nothing else is "
                  "done to it."),
         kFile},
        {"reversed", sentence("A reversed cell is out of use: nothing is done to its pack."),
         kPractice},
        {"over_fault",
         sentence("A battery that rests over the fault voltage is only discharged, to storage."),
         kFile},
        {"skin", sentence("A battery whose skin is not whole is out of use."), kPractice},
        {"hazard",
         sentence("A battery that was grossly overcharged, reversed or driven under its lowest "
                  "limit is retired, cool or not."),
         kPractice},
        {"over_drained",
         sentence("A cell that rests between out of use and over-drained is charged with a tenth "
                  "of C at most, attended, for 30 min, up to 40 °C."),
         kPractice},
        {"measure_cells",
         sentence("A nickel pack that rests low is measured cell by cell first: the mean hides a "
                  "reversed one."),
         kPractice},
        {"cells_apart",
         sentence("With cells over 0.10 V apart at rest the whole pack is not charged, unless the "
                  "named charger balances and the highest cell is under its set voltage."),
         kPractice},
        {"cells_watch", sentence("With cells 0.05 to 0.10 V apart at rest each cell is watched."),
         kPractice},
        {"charge_cold", sentence("No charge below the lowest temperature of its kind."), kFile},
        {"charge_hot", sentence("No charge above the highest temperature of its kind."), kFile},
        {"charge_slow_cold",
         sentence("Between the lowest temperature and \"slowly\" the slow rate is the most."),
         kFile},
        {"own_warmth",
         sentence("No charge whose own warmth would take it over the highest temperature."),
         "heat balance of a lumped cell, I²R against its heat capacity (1000 J/(kg K), memory) and "
         "a cooling time of 25 min; nickel 15 K at 1C (common practice, no source)"},
        {"discharge_cold", sentence("No discharge below the lowest temperature of its kind."),
         kFile},
        {"discharge_hot", sentence("No discharge above the highest temperature of its kind."),
         kFile},
        {"level_unknown",
         sentence("A level that is not known is asked for by volts at rest, never assumed."),
         kPractice},
        {"level_range", sentence("A storage level lies between 20 and 80 %."), kPractice},
        {"rate",
         sentence("No charge faster than usual without the explicit step, and none over 10C."),
         kFile},
        {"maker_rate", sentence("The maker's highest charge rate is never passed."),
         "the maker's figure on the card"},
        {"set_voltage", sentence("No set voltage above the usual one of its kind."), kFile},
        {"floor",
         sentence("No discharge to a floor under that of its kind, nor to one over its nominal "
                  "voltage; nickel 1.00 V a cell in a pack, 0.90 V alone."),
         kFile},
        {"discharge_rate", sentence("No discharge faster than its cells allow."), kFile},
        {"lamp", sentence("No lamp that draws more than the discharge current its cells allow."),
         kFile},
        {"nickel_only",
         sentence("Deep discharge and overcharge are for nickel alone: they ruin lithium."),
         kPractice},
        {"nickel_peak",
         sentence("A peak rule ends a nickel charge from 0.3C; from 0.15 to 0.3C it may be "
                  "missed, below there is none."),
         "Linden, Handbook of Batteries (memory)"},
        {"nickel_slow",
         sentence("A nickel charge of 0.1C or less ends by its timer: 16 h at 0.1C, 160 %."),
         "IEC 61951-2 (memory)"},
        {"temperature_end",
         sentence("Every nickel charge names a temperature that ends it, and its rise from 0.5C."),
         kFile},
        {"backstop",
         sentence("A charge limit stands behind every end: lithium its capacity and a tenth, "
                  "nickel 120 %, 160 % at 0.1C, of today's capacity."),
         kPractice},
        {"attended",
         sentence("The latest end of a charge lies in hours in which somebody is there; where no "
                  "hours are given nothing begins between 22:00 and 07:00."),
         kPractice},
        {"overnight",
         sentence("What is longer than the attended hours needs an explicit permission, stays "
                  "marked and keeps to a tenth of C."),
         kPractice},
        {"hold",
         sentence("Lithium is not held on at its set voltage once it is full; nickel at C/20 at "
                  "the most."),
         kPractice},
        {"charger", sentence("What a charger cannot do is not planned on it."),
         "the charger's card"},
        {"join_kind", sentence("Only the same kind and series count is joined, polarity checked."),
         kPractice},
        {"join_gap",
         sentence("Volts may differ by 0.1 V a cell, and by the smallest charge limit times the "
                  "resistances between them."),
         "Ohm's law; 0.1 V a cell is common practice, no source"},
        {"join_levels", sentence("Flat kinds are joined by known levels, never by volts alone."),
         kPractice},
        {"join_nickel",
         sentence("Nickel is joined only full, each charged to its own end: equal volts prove "
                  "nothing."),
         kPractice},
        {"join_ratio", sentence("Capacities may differ, but not ten times."), kPractice},
    };
    return all;
}

const GateRule& gateRule(std::string_view id) {
    const auto it = std::ranges::find(gateRules(), id, &GateRule::id);
    assert(it != gateRules().end());
    return it == gateRules().end() ? gateRules().front() : *it;
}

std::string gateRulesPage() {
    std::string out =
        "# The gate: what may be done to a battery\n\n"
        "Made from the table in `src/safety/rules.cpp` by `narrow-knee-cli plan rules`; a test "
        "keeps both in step. Every refusal names one of these rules. The maker's data sheet, local "
        "codes and licensed practice come first.\n\n"
        "| rule | what it says | source |\n|---|---|---|\n";
    for (const GateRule& r : gateRules())
        out += fmt::format("| `{}` | {} | {} |\n", r.id, r.says, r.source);
    out +=
        "\n## Limits of the kinds\n\nPer cell, from `assets/chemistry/*.json`, where each figure "
        "has its source; a maker's figure on the card takes their place.\n\n"
        "| kind | set | fault | over-drained at rest | out of use at rest | floor | too deep under "
        "load | ruined under load | balancer from | charge °C | slowly below | slow rate | "
        "discharge °C | charge rate | discharge rate | largest cell |\n"
        "|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|\n";
    const auto volts = [](double v) {
        return std::isfinite(v) ? fmt::format("{:.2f} V", v) : std::string("–");
    };
    for (const Chemistry& c : chemistries())
        out += fmt::format(
            "| {} | {} | {} | {} | {} | {} | {} | {} | {} | {:.0f} to {:.0f} | {:.0f} °C | {:g}C | "
            "{:.0f} to {:.0f} | {:g}C | {:g}C | {:g} Ah |\n",
            c.id, volts(c.set_V), volts(c.fault_V), volts(c.overdrained_V),
            c.nickel() ? std::string("reversed") : volts(c.outOfUse_V), volts(c.dischargeFloor_V),
            volts(c.overdischarge_V), volts(c.ruined_V), volts(c.balancerFrom_V), c.chargeMin_C,
            c.chargeMax_C, c.chargeSlowBelow_C, c.chargeSlowRate_C, c.dischargeMin_C,
            c.dischargeMax_C, c.chargeC, c.dischargeC, c.mostCell_Ah);
    return out;
}

}  // namespace nk
