// The standing of a battery as JSON (narrow-knee/standing/1) and as text.
#pragma once

#include <optional>
#include <string>

#include "history/known_charge.h"
#include "ownmodel/own_model.h"

namespace nk {

/// What is made with a standing rather than found in it.
struct StandingExtras {
    std::string verdict;
    std::optional<OwnModel> model;
    std::optional<KnownCharge> charge;  ///< at its own current, from empty
    std::string noCharge;               ///< why there is none
};

std::string standingJson(const Standing& standing, const StandingExtras& more);
std::string standingText(const Standing& standing, const StandingExtras& more);

}  // namespace nk
