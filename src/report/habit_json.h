// Habits beside one another as JSON (narrow-knee/habit/1) and as sentences.
#pragma once

#include <string>

#include "ageing/habit_compare.h"

namespace nk {

/// `years`: the horizon of `capacity_after`.
std::string habitJson(const std::vector<HabitAnswer>& answers,
                      const std::vector<HabitChange>& changes, const HabitBattery& battery,
                      double years);
std::string habitText(const std::vector<HabitAnswer>& answers,
                      const std::vector<HabitChange>& changes, const HabitBattery& battery);

}  // namespace nk
