// A habit as a file (narrow-knee/habit-file/1, docs/formats.md): read, checked and written.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "ageing/habit.h"

namespace nk {

struct HabitFile {
    Habit habit;
    std::vector<std::string> defaults;  ///< what was left out and took a default, in words
    std::vector<std::string> unknown;   ///< fields that mean nothing here
};

/// Errors: no JSON, another schema, a field of the wrong kind; named with the file and the field.
Expected<HabitFile> readHabit(std::string_view text, const std::string& where);
std::string writeHabit(const Habit& habit);

/// Habits that ship with the program, the observatory's weeks, for a battery of this chemistry.
std::vector<Habit> presetHabits(const Chemistry& chemistry);

/// Habits as they are kept in the book with a battery, the first being the one it lives by; damaged
/// text gives none.
std::string keptHabits(const std::vector<Habit>& habits);
std::vector<Habit> habitsIn(const std::string& text);
/// The name of the setting that holds them.
std::string habitsSetting(std::int64_t battery);

}  // namespace nk
