// The meter check: an independent meter's reading beside the log's own tells an offset of the
// logger, or the resistance of the lead between where the logger measures and where the meter did.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "quantity/error.h"
#include "recording/correction.h"

namespace nk {

/// One reading of an independent meter.
struct MeterReading {
    double time_s = 0;  ///< recording time
    double meter_V = 0;
    double resolution_V = 0.001;  ///< last digit of the meter
    double gain = 0.005;          ///< half-width, fraction of reading (common practice, no source)
    /// Where the meter stood: at the battery's terminals, or at the logger's (the charger's) own.
    enum class Place { Terminals, Logger } place = Place::Terminals;
};

/// What one or more meter readings say of the log.
struct MeterVerdict {
    std::vector<Correction> proposals;  ///< offset first, then the lead
    std::vector<std::string> words;     ///< what was found, in sentences
};

/// Compares each reading with the mean of the log within ±5 s (at least three samples). At the
/// logger's own terminals the difference is the logger's offset. At the battery's terminals it is
/// that offset plus lead resistance times current; with readings at two currents both are found by
/// least squares, with one reading the lead alone (offset taken as 0), and it is said so.
/// Errors: no reading, outside the recording, a reading that cannot belong to this battery (off by
/// more than a quarter: pack against cell voltage, or mV against V).
Expected<MeterVerdict> checkMeter(const Recording& recording,
                                  const std::vector<MeterReading>& readings);

}  // namespace nk
