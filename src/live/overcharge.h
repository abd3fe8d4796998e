// Charging on behind the end, told from the rows alone: with no rule, and also where the watching
// began after the peak.
#pragma once

#include <optional>
#include <string>

#include "chemistry/chemistry.h"
#include "recording/recording.h"

namespace nk {

struct Overcharge {
    double since_s = 0;   ///< recording time from which on it is too much
    std::string code;     ///< past_peak, held_full
    std::string because;  ///< a sentence
};

/// Looks at the last rows of a charge that is under way. Nickel: for five minutes the voltage has
/// not risen under a steady current while it is high and falls, or the battery warms (a charge that
/// is not full rises; common practice). Lithium: ten minutes held at the set voltage under the
/// cut-off (C/20, or the card's). Nothing where the rows do not show it.
/// `until`: the rows before it count, as they stood at that moment.
std::optional<Overcharge> overchargeOf(const Recording& rows, const Battery& battery,
                                       double startOfCharge_s, std::size_t until);

}  // namespace nk
