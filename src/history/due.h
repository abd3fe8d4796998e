// What is due at the bench: one list over all batteries in use.
#pragma once

#include <string>
#include <vector>

#include "book/bench_book.h"

namespace nk {

/// Periods in days (common practice, no source).
struct DueRules {
    double balance_days = 90;        ///< lithium in series: a charge to the very end
    double nickelRefresh_days = 90;  ///< nickel: a whole discharge and charge
    double storageCheck_days = 90;   ///< untouched: look at the rested voltage
    double retest_days = 365;        ///< since its capacity was measured
    double rotation_days = 30;       ///< of equal batteries the one longest unused is next
};

struct DueTask {
    std::int64_t batteryId = 0;
    std::string battery;  ///< its name
    std::string
        task;  ///< balance_charge, nickel_refresh, storage_check, retest, rotation, ready_by
    double due_s = kNaN;  ///< since 1970 UTC; in the past: overdue
    std::string text;     ///< what to do, one sentence
    std::string reason;   ///< what it counts from

    bool overdue(double now_s) const { return due_s <= now_s; }
};

/// Of every battery that is in use and of which anything was logged or read; soonest first. A task
/// that was done counts anew from then. Retired batteries and those out of use have none. Errors:
/// the book cannot be read.
Expected<std::vector<DueTask>> dueTasks(BenchBook& book, double now_s, const DueRules& rules);

/// Ticks a task off: one step of undo.
Expected<void> tickOff(BenchBook& book, const DueTask& task, double now_s);

/// The line for the start of a day: how much is overdue and what comes first; empty: nothing.
std::string dueLine(const std::vector<DueTask>& tasks, double now_s);

}  // namespace nk
