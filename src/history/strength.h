// One battery's strength over all its recordings, from what the book keeps of each.
#pragma once

#include <functional>
#include <memory>
#include <stop_token>

#include "study.h"

namespace nk {

struct BatteryStrength {
    std::shared_ptr<const StrengthStudy> study;
    std::vector<SpotReading> spots;
    std::vector<StoredReading> readings;  ///< of all its recordings
};

/// What is stored is taken, what is stale is analysed once and stored; each log with its own
/// completed card. A recording that cannot be read is left out and named (StrengthStudy::leftOut).
/// `shown`, when it has no battery, is studied alone. Errors: the book cannot be read; cancelled.
Expected<BatteryStrength> studyBattery(BenchBook& book, std::int64_t batteryId,
                                       const StudiedLog& shown, const Battery& battery,
                                       const InstrumentAccuracy& accuracy,
                                       std::stop_token stop = {},
                                       const std::function<void(double)>& progress = {});

}  // namespace nk
