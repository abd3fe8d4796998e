// Files of the planner: chargers as JSON, modules and packs as tables (docs/formats.md).
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "formats/plain_table.h"
#include "planning/join.h"
#include "planning/queue.h"

namespace nk {

/// narrow-knee/chargers/1. What is left out is no limit. Errors: no JSON, another schema, a figure
/// that cannot be, no charger; named with file and charger.
Expected<std::vector<ChargerCard>> readChargers(std::string_view json, const std::string& where);
/// FILE or FILE:NAME. Errors: also a name that is not there, or left out where there are several.
Expected<ChargerCard> chargerOf(const std::string& fileAndName);
std::string writeChargers(const std::vector<ChargerCard>& chargers);

/// name, chemistry, series, rated_ah; capacity_ah, charge_a, discharge_a, floor_v_per_cell may be
/// blank or missing.
Expected<std::vector<QueueModule>> readQueueModules(const PlainTable& table);
/// name, chemistry, series, voltage_v, rated_ah; resistance_ohm, charge_limit_c, soc may be blank
/// or missing.
Expected<std::vector<JoinPack>> readJoinPacks(const PlainTable& table);

/// "07:00-22:30" into hours of presence. Errors: anything else, no time at all.
Expected<Presence> readPresence(const std::string& text);
/// "20min", "1h", "90s", "20" (minutes). Errors: anything else.
Expected<double> readMinutes(const std::string& text);

}  // namespace nk
