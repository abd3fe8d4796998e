// The search behind matching.h: arrangements of modules, made by differencing and bettered by
// exchanges, or all of them where they are few.
#pragma once

#include <stop_token>
#include <vector>

#include "matching.h"

namespace nk {

/// An arrangement: groups and spares as lists of indices.
struct MatchArrangement {
    std::vector<std::vector<int>> groups;
    std::vector<int> spares;
    bool proven = false;        ///< all arrangements were looked at
    double leastSpread_Ah = 0;  ///< the smallest of all of them, where they were
};

/// The best found among `usable` modules within the wish's time; there are as many
/// as the groups hold, or more.
MatchArrangement searchArrangement(const std::vector<MatchModule>& modules, std::vector<int> usable,
                                   const MatchWish& wish, std::stop_token stop);

/// Resistance of modules in parallel, ohm; NaN when one is not known.
double parallelResistance(const std::vector<MatchModule>& modules, const std::vector<int>& group);

}  // namespace nk
