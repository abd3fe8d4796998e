// Keep it, watch it, recondition it, sell it as weak, retire it, return it: a verdict on a battery
// from its history, by rules that are seen and can be changed (methods.md §11 and §14). The most
// serious rule that applies decides; every rule that applies is a reason with its evidence.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "battery_history.h"
#include "standing.h"

namespace nk {

/// Common practice, no source.
struct VerdictRules {
    double good = 0.80;  ///< of the rating and over: good
    double weak = 0.60;  ///< under: weak
    double out = 0.40;   ///< under: out
    double falseLabel =
        0.75;               ///< a new battery's own first capacity under this: the label is false
    double newCycles = 15;  ///< new: not more equivalent full cycles than this
    double resistanceWatch = 1.5;  ///< times its own first value
    double resistanceRetire = 2.0;
    double siblings = 0.85;     ///< of the siblings' median
    double imbalance = 0.05;    ///< of the rating, charge lost to imbalance
    double gain = 0.02;         ///< of the rating: less gained by the last cycle is no gain
    double selfDischarge = 15;  ///< % of its charge in 30 days, lithium; nickel twice that
};

struct VerdictReason {
    std::string rule;  ///< hazard, capacity, false_label, resistance, imbalance, siblings,
                       ///< reconditioning, self_discharge, unseen_load, skin
    std::string text;
    double value = kNaN, limit = kNaN;
    std::int64_t recording = 0;  ///< its evidence; 0: by hand, or none
};

struct Verdict {
    std::string verdict;  ///< keep, watch, recondition, sell, retire, return, unknown
    std::vector<VerdictReason> reasons;  ///< those that decided first
    struct {
        double label = kNaN;           ///< rated capacity, Ah
        double ownFirst = kNaN;        ///< its own first whole discharge, Ah
        double siblingsMedian = kNaN;  ///< latest capacity of batteries of the same kind, Ah
        double latest = kNaN;          ///< Ah
    } yardsticks;
    std::string logNext;  ///< what would tell more; empty: nothing
    /// Its capacity's interval holds a limit: on this side of it by the rule alone.
    bool straddles = false;
    std::string change;  ///< what would change it, one sentence; empty: nothing is near
};

/// Middle of some figures; NaN of none.
double medianOf(std::vector<double> figures);

/// Pure: hazards stand before every figure (one that ends its use retires it, others are watched).
/// The class of its capacity is found in the order of its days: the first takes the better side of
/// a limit that its interval holds, later ones change it only when the nearer end of the interval
/// lies a quarter of its width beyond (methods.md §16). `siblings_Ah` are today's capacities of
/// batteries of the same kind and rating.
Verdict judge(const BatteryHistory& history, const Standing& standing,
              const std::vector<double>& siblings_Ah, const VerdictRules& rules = {});

/// With the book's siblings, findings and rules (others where given). A battery that is out of
/// use is to be retired, whatever its figures. Errors: no such battery, the book cannot be read.
Expected<Verdict> judgeBattery(BenchBook& book, std::int64_t batteryId,
                               const std::optional<VerdictRules>& rules = {});
/// The same, where its history is at hand.
Expected<Verdict> judgeBattery(BenchBook& book, const BatteryHistory& history,
                               const std::optional<VerdictRules>& rules = {});
/// The same, where its standing is at hand too.
Expected<Verdict> judgeBattery(BenchBook& book, const BatteryHistory& history,
                               const Standing& standing,
                               const std::optional<VerdictRules>& rules = {});

}  // namespace nk
