// What a battery's card tells a reader of logs: the one place where formats and chemistry meet.
#pragma once

#include "chemistry/chemistry.h"
#include "formats/text_table.h"

namespace nk {

/// Usual voltages of the whole battery and its rating, as far as they are known.
BatteryHint hintOf(const Battery& battery);

}  // namespace nk
