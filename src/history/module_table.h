// A table of modules to be matched, as people keep it.
#pragma once

#include <string>
#include <vector>

#include "formats/plain_table.h"
#include "matching.h"

namespace nk {

/// Columns: name; capacity_Ah or capacity_mAh; resistance_ohm or resistance_mohm; optional
/// capacity_u, resistance_u (standard, in the unit of their column), self_discharge_percent (in 30
/// days). Without a unit in its title a capacity over 50 is taken as mAh, a resistance over 1 as
/// mΩ. Errors: no name or capacity column, a name that is blank or stands twice, a cell that is no
/// number or not above 0, no rows.
Expected<std::vector<MatchModule>> readModules(const PlainTable& table);

}  // namespace nk
