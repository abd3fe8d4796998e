// A queue as the book keeps it: modules, chargers, hours, what has really ended, what was moved and
// who is out. One at a time.
#pragma once

#include <optional>
#include <string>

#include "book/bench_book.h"
#include "planning/queue.h"

namespace nk {

/// JSON, narrow-knee/queue-kept/1. Nothing when it is none of ours or does not hold together.
std::string keptQueueText(const QueueWish& wish);
std::optional<QueueWish> keptQueueIn(const std::string& text);
inline const char* const kQueueSetting = "queue";

/// The steps that run at a moment, the next one that begins, and whose hand is asked for.
struct QueueNow {
    std::vector<std::size_t> running;  ///< of plan.steps
    std::optional<std::size_t> next;
};
QueueNow queueNow(const QueuePlan& plan, double now_s);

/// The step has begun as planned and ended at `end_s`; all that had begun before counts as begun as
/// planned. A pin of it falls away.
void stepEnded(QueueWish& wish, const QueuePlan& plan, std::size_t step, double end_s);

/// Logs of the book that end a step of the queue: a recording of a battery with the module's name
/// that began within its time and moved charge that way. Returns how many steps were marked.
int takeLogs(QueueWish& wish, const QueuePlan& plan, const std::vector<BatteryEntry>& batteries,
             const std::vector<RecordingEntry>& recordings, double utcOffset_s);

}  // namespace nk
