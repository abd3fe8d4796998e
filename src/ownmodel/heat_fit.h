// Heat capacity and loss of a battery from the temperatures of its logs.
#pragma once

#include "model_log.h"

namespace nk {

/// Heat capacity and loss from the log's own temperatures: dT/dt = P/C − (T − T_room)·h/C by least
/// squares over windows; usual figures where it was never warm enough to tell.
void fitHeat(OwnModel& m, const std::vector<ThinnedLog>& logs, double ambient_C, double rated_Ah);

}  // namespace nk
