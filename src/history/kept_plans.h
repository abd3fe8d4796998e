// Bench cards kept with a battery, and what the log that followed made of them: set against actual,
// planned against real.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "open_recording.h"
#include "planning/charge_plan.h"

namespace nk {

struct KeptPlan {
    double at_s = 0;  ///< when it was kept, since 1970 UTC
    std::string chemistry, charger;
    int cells = 1;
    double rated_Ah = 0;
    double current_A = 0;  ///< that will flow
    double setPerCell_V = kNaN, cutoff_A = kNaN;
    TimeRange time_s{};
    double expected_Ah = kNaN, expectedUncertainty_Ah = kNaN;  ///< by its own model
    bool beyondUsual = false;
    std::vector<std::string> ticked;  ///< of the list before the start
    std::vector<std::string> open;    ///< what was not ticked
};
KeptPlan keptPlan(const ChargePlan& plan, double rated_Ah, const std::string& charger, double at_s);

/// The plans of a battery in the book, the newest last; what cannot be read is left out.
std::vector<KeptPlan> plansOf(BenchBook& book, std::int64_t batteryId);
/// At most 50 are kept; the oldest go. One step of undo.
Expected<void> addPlan(BenchBook& book, std::int64_t batteryId, const KeptPlan& plan);
std::string keptPlansText(const std::vector<KeptPlan>& plans);
std::vector<KeptPlan> keptPlansIn(const std::string& text);

/// One figure of a plan beside the log.
struct AgainstLog {
    std::string name;  ///< current, set_voltage, cut_off, time, charge
    std::string set, actual, words;
    bool met = true;
};

/// The plan that a recording followed: the last one kept up to a day before its charge began and
/// not after it. −1: none.
int planBefore(const std::vector<KeptPlan>& plans, const OpenedRecording& opened);
/// Set against actual; empty where the recording holds no charge.
std::vector<AgainstLog> againstLog(const KeptPlan& plan, const OpenedRecording& opened);

}  // namespace nk
