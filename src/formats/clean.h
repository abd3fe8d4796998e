// After parsing: time brought to one rising axis, isolated spikes and drop-outs repaired and
// listed, the sign of the current found. Works on plain columns; nothing here knows about text.
#pragma once

#include <functional>

#include "recording/recording.h"
#include "text_table.h"

namespace nk {

/// Line of the file a row came from.
using LineOf = std::function<std::int64_t(std::size_t row)>;

/// Makes time_s rising from 0: clocks over midnight, restarts, single rows out of order, repeated
/// stamps. Fills gaps and problems. Rows out of order are moved to their place.
void straightenTime(RecordingData& data, const Dialect& dialect,
                    const std::vector<std::size_t>& headerRepeats, const LineOf& lineOf);

/// Replaces isolated spikes and drop-outs that the physics rules out by interpolation, keeps the
/// originals in data.repairs and lists them in data.problems.
/// `quality` is that of the columns as they come.
void repairOutliers(RecordingData& data, const ChannelQualities& quality, const LineOf& lineOf);

/// +1 when positive current charges, −1 when it discharges, 0 when the data do not tell.
int findSign(const RecordingData& data, const ChannelQualities& quality);

/// Gives an unsigned current its sign, stretch by stretch, from how the voltage answers when the
/// current sets in. Changes nothing and returns false unless both directions are seen.
bool signByVoltage(RecordingData& data, const ChannelQualities& quality);

}  // namespace nk
