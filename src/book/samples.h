// Stored samples back into columns, block by block, with damage found on the way; and the kept
// original.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "quantity/error.h"
#include "recording/recording.h"

namespace SQLite {
class Database;
}

namespace nk {

/// A block of samples that is missing, does not unpack, or is not what was stored.
struct DamagedBlock {
    std::string channel;
    std::size_t index = 0;
};

/// One column of a recording as it is stored.
struct StoredColumn {
    std::string channel;
    std::vector<double> values;  ///< as many as the recording has samples; NaN in damaged blocks
    std::vector<std::size_t> damaged;  ///< indexes of damaged blocks
    bool present = false;              ///< some block is there
};

/// Names of the channels a recording with these notes has: time_s, voltage_V, current_A, then the
/// optional ones.
std::vector<std::string> channelsOf(const RecordingData& data);

/// Where a channel lies in the recording.
std::vector<double>& columnOf(RecordingData& data, const std::string& channel);
const std::vector<double>& columnOf(const RecordingData& data, const std::string& channel);

/// What every analysis takes for granted, and a damaged book may break: times that rise, gaps and
/// repairs inside.
bool consistent(const RecordingData& data);

/// Reads one column. `checked`: checksums are compared (schema 4). Throws SQLite::Exception.
StoredColumn readColumn(SQLite::Database& db, std::int64_t recording, const std::string& channel,
                        std::size_t samples, bool checked);

/// Fills the columns of `data`, whose notes are read already, and leaves damaged stretches out:
/// rows without a time, voltage or current go, with a gap and a problem "damaged_block"; other
/// channels become NaN there. Returns what is damaged. Throws Refused when nothing is left.
std::vector<DamagedBlock> readSamples(SQLite::Database& db, std::int64_t recording,
                                      std::size_t samples, RecordingData& data,
                                      const std::string& where);

/// The original file in parts, never more of them than its recorded size. Errors: no longer there;
/// it does not unpack to its size or its hash does not agree (ErrorKind::Unreadable; `sink` has had
/// what could be unpacked).
Expected<void> readOriginal(SQLite::Database& db, std::int64_t recording, const std::string& where,
                            const std::function<bool(std::string_view)>& sink);

}  // namespace nk
