// The knee: where constant current turns into constant voltage.
#pragma once

#include <optional>

#include "quantity/uncertainty.h"
#include "recording/recording.h"

namespace nk {

struct Knee {
    std::size_t sample =
        0;  ///< earliest sample from which the current is below its plateau for good
    double uncertainty_s = 0;  ///< standard uncertainty
    double before_s = 0;       ///< how long before that sample the turn most likely was
    double plateau_A = 0;      ///< the constant current before
    bool fromStart = false;    ///< there was no constant-current part
};

/// Looks for a constant-voltage tail in the samples [first, last] of one charge without jumps of
/// the current. Nothing when the current does not fall or the voltage does not hold.
std::optional<Knee> findKnee(const Recording& recording, std::size_t first, std::size_t last);

/// Width of the band in which a regulated voltage counts as constant, V.
double constantVoltageBand_V(const Recording& recording, double set_V);

}  // namespace nk
