// Reconditioning as a staircase: what each whole discharge of a run gave, where it settles, and
// whether another cycle is worth it (methods.md §14).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "battery_history.h"

namespace nk {

struct StaircaseRules {
    double gain = 0.02;    ///< of the rating: a cycle that gains less is not worth its wear
    double target = 0.80;  ///< of the rating: reached, no more cycles
    double longestGap_s = 60 * 86400.0;  ///< between two discharges of one run
};

struct Staircase {
    std::vector<const HistoryPoint*> stairs;  ///< in order of time, at least two
    std::vector<std::string> aside;           ///< discharges left out, each with its reason
    double settles_Ah = kNaN, settlesLow_Ah = kNaN, settlesHigh_Ah = kNaN;  ///< 95 %
    double next_Ah = kNaN, nextLow_Ah = kNaN, nextHigh_Ah = kNaN;  ///< gain of the next cycle
    double probability = kNaN;   ///< that the next cycle gains more than the rule asks
    bool targetReached = false;  ///< for certain: the whole interval of the last one is over it
    bool worthAnother = false;
};

/// The last run of comparable capacities in `whole` (whole discharges, in order of time; they must
/// outlive the result), or nothing when it has fewer than two or the rating is not known.
///
/// Model: C(k) = C(0) + g (1 − ρᵏ)/(1 − ρ), a gain that shrinks by the same factor each cycle. The
/// factor and the repeatability are not known and are averaged over (flat from 0.05 to 0.95; about
/// 0.4 % of the rating within a factor of two: common practice, no source); given both, C(0) and g
/// are a linear regression with flat priors (Gelman et al., *Bayesian Data Analysis*, 3rd ed.,
/// §14.2, from memory). What the discharges share, a meter's gain, cancels.
std::optional<Staircase> staircaseOf(const std::vector<const HistoryPoint*>& whole, double rated_Ah,
                                     const StaircaseRules& rules = {});

}  // namespace nk
