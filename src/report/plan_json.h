// Plans as JSON (narrow-knee/plan/1, join/1, queue/1), as text and as a calendar.
#pragma once

#include <array>
#include <string>

#include "planning/charger_task.h"
#include "planning/join.h"
#include "planning/program.h"
#include "planning/queue.h"

namespace nk {

/// narrow-knee/refusal/1 of a plan's error: what was asked for, why not, by which rule and source,
/// and what to do instead.
std::string refusalJson(const Error& refused);

/// `timeFrom`: own_model, logged, usual; empty: usual, without a book.
std::string chargePlanJson(const ChargePlan& plan, const std::string& timeFrom = {});
/// `how`: what else could be said of its time.
std::string chargePlanText(const ChargePlan& plan, const std::vector<std::string>& how = {});
/// narrow-knee/charger-task/1.
std::string chargerTasksJson(const std::vector<ChargerTask>& tasks);
std::string chargerTasksText(const std::vector<ChargerTask>& tasks);
std::string programJson(const Program& program);
std::string programText(const Program& program);
std::string joinJson(const JoinAnswer& answer);
std::string joinText(const JoinAnswer& answer);
std::string queueJson(const QueuePlan& plan, const QueueWish& wish);
std::string queueText(const QueuePlan& plan, const QueueWish& wish);
/// One event a step on a channel, in local time without a zone (RFC 5545, form 1). `stamp_s`: since
/// 1970 UTC.
std::string queueCalendar(const QueuePlan& plan, const QueueWish& wish, double stamp_s);

/// The charges of a program as events; `days` (Monday first): every week on these.
std::string programCalendar(const Program& program, const std::array<bool, 7>& days,
                            const std::string& battery, double stamp_s);

/// "2026-05-01T18:00" of seconds since 1970 taken as local time; to the minute.
std::string localTime(double at_s);

}  // namespace nk
