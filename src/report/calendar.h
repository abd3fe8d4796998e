// What is due, as a calendar that other programs read (iCalendar, RFC 5545), written by libical.
#pragma once

#include <string>
#include <vector>

#include "history/due.h"

namespace nk {

/// One event of a whole day for each task, on the day it is due; what is overdue on the day of
/// `now_s`. The identifier of an event stays the same for a battery and task, so that a calendar
/// that takes the file in again moves it. `now_s`: since 1970 UTC, the stamp of the file.
std::string dueCalendar(const std::vector<DueTask>& tasks, double now_s);

}  // namespace nk
