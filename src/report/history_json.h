// A battery's history as JSON, CSV and text for the command line and for exports.
#pragma once

#include <string>

#include "history/battery_history.h"

namespace nk {

/// "narrow-knee/history/1" (docs/analysis-json.md).
std::string historyJson(const BatteryHistory& history);
/// One point a row, the same fields.
std::string historyCsv(const BatteryHistory& history);
std::string historyText(const BatteryHistory& history);

}  // namespace nk
