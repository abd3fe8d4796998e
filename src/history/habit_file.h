// A habit as a file (narrow-knee/habit-file/1, docs/formats.md): read, checked and written.
#pragma once

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

}  // namespace nk
