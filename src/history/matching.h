// Modules into a pack: groups of P in parallel, S of them in series, so that the groups hold as
// nearly the same as they can (methods.md §14). Pure.
#pragma once

#include <algorithm>
#include <chrono>
#include <stop_token>
#include <string>
#include <vector>

#include "quantity/error.h"
#include "quantity/reading.h"

namespace nk {

struct MatchModule {
    std::string name;
    double capacity_Ah = kNaN;
    double capacityUncertainty_Ah = kNaN;  ///< standard; NaN: not known
    double resistance_ohm = kNaN;          ///< NaN: not known
    double resistanceUncertainty_ohm = kNaN;
    double selfDischarge_percent = kNaN;  ///< in 30 days; NaN: not known
};

struct MatchWish {
    int series = 0, parallel = 0;  ///< S groups of P
    /// Modules of each group, where they are not all P: takes the place of both.
    std::vector<int> shape;

    /// One count for each group.
    std::vector<int> counts() const {
        return shape.empty()
                   ? std::vector<int>(static_cast<std::size_t>(std::max(0, series)), parallel)
                   : shape;
    }
    /// How much an equal relative difference of the groups' resistances counts beside one of their
    /// capacities; 0: it decides between arrangements of like capacities alone.
    double resistanceWeight = 0;
    /// Modules that lose more in 30 days are set apart.
    double mostSelfDischarge_percent = 10;
    std::chrono::milliseconds longest{400};  ///< it stops looking then
    std::uint64_t seed = 1;
};

struct MatchGroup {
    std::vector<int> modules;      ///< indices
    double capacity_Ah = 0;        ///< their sum
    double resistance_ohm = kNaN;  ///< all in parallel; NaN when one is not known
};

struct Matching {
    std::vector<MatchGroup> groups;
    std::vector<int> spares;    ///< not placed
    std::vector<int> setApart;  ///< not placed because of their self-discharge
    double spread_Ah = 0;       ///< largest less smallest group
    double lowerBound_Ah = 0;   ///< no arrangement of S·P of these modules has a smaller spread
    bool proven = false;        ///< all arrangements were looked at: the spread is the bound
    double pack_Ah = 0;         ///< the smallest group: what the pack holds
    /// What it holds when the modules' own uncertainties are drawn: 95 % interval and standard
    /// deviation; NaN where they are not known.
    double low_Ah = kNaN, high_Ah = kNaN, uncertainty_Ah = kNaN;
};

/// The shape of a pack as typed, "4 4 3" or "4, 4, 3": modules of each group. Errors: no whole
/// numbers from 1 to 1000, over 1000 groups.
Expected<std::vector<int>> parseShape(const std::string& text);

/// The smallest spread among packs that hold nine tenths or more of what the strongest modules
/// would make: weak modules are no help for being equally weak. Where not all arrangements can be
/// looked at, groups whose sums differ by under half a thousandth of their mean count as equal, and
/// of those the pack that holds most is taken. The same input and seed, the same answer, as long as
/// time does not run out. Groups of a shape keep its order, others stand largest first. Errors: S
/// or P under 1, a group without modules, fewer modules than the groups hold, a capacity that is no
/// positive number, cancelled.
Expected<Matching> matchModules(const std::vector<MatchModule>& modules, const MatchWish& wish,
                                std::stop_token stop = {});

/// Classes of modules by a person's limits.
enum class ModuleClass { A, B, Reject };
struct ClassLimits {
    double a = 0.95, b = 0.85;  ///< of the median capacity: A from, B from
    double mostResistance_a = 1.25, mostResistance_b = 1.6;  ///< of the median resistance
};
/// The worse of what capacity and resistance allow; a resistance that is not known allows all.
/// Medians are those of all modules. Losing over `mostSelfDischarge_percent` in 30 days rejects.
std::vector<ModuleClass> classify(const std::vector<MatchModule>& modules,
                                  const ClassLimits& limits, double mostSelfDischarge_percent = 10);

/// Figures of an arrangement that a person made: `groups` hold indices.
Matching measureMatching(const std::vector<MatchModule>& modules,
                         std::vector<std::vector<int>> groups);

/// "4", or "4, 4 and 3" where the groups differ: how many modules the groups hold.
std::string groupSizes(const std::vector<MatchGroup>& groups);

/// A bound on the spread of any S groups of P out of these capacities, Ah.
double spreadBound(std::vector<double> capacities_Ah, int series, int parallel);

}  // namespace nk
