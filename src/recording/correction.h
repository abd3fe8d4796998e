// Named corrections of a recording: what an independent meter showed to be wrong with the log, or a
// current path that the logger did not see. The logged samples stay as they are; a correction makes
// a corrected recording beside them, and taking it away brings the old numbers back.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "recording.h"

namespace nk {

struct Correction {
    enum class Kind {
        VoltageOffset,     ///< V, added to the logged voltage
        LeadResistance,    ///< Ω between where the logger measures and the battery's terminals
        UnseenCurrent,     ///< A, positive charges: added to the logged current
        UnseenPower,       ///< W, positive charges: power/voltage is added to the current
        UnseenResistance,  ///< Ω across the terminals: voltage/resistance is taken out
    };
    std::int64_t id = 0;  ///< of the bench book; 0 when it is not stored
    Kind kind = Kind::VoltageOffset;
    double value = 0;
    double uncertainty = 0;          ///< standard, in the unit of `value`
    double from_s = 0, to_s = kNaN;  ///< recording time it holds for; NaN: to the end
    std::string name;                ///< in words, with where it comes from
    bool operator==(const Correction&) const = default;
};

/// Identifiers for storage: voltage_offset, lead_resistance, unseen_current, unseen_power,
/// unseen_resistance.
std::string toString(Correction::Kind kind);
/// Nothing for an unknown identifier (a book of a later version).
bool correctionKindFrom(const std::string& name, Correction::Kind& kind);
std::string correctionUnit(Correction::Kind kind);

/// The recording with the corrections applied in order; the same pointer when there is none.
/// Corrections with a value that is not finite, or a resistance of 0 or less, change nothing.
RecordingPtr applyCorrections(const RecordingPtr& recording,
                              std::span<const Correction> corrections);

}  // namespace nk
