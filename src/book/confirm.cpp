#include "confirm.h"

#include <SQLiteCpp/SQLiteCpp.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <optional>
#include <stdexcept>

#include "chunk_codec.h"
#include "formats/importer.h"
#include "guard.h"
#include "hash.h"
#include "notes.h"
#include "samples.h"

namespace nk {

namespace {

/// Larger originals are not read with one column after the other in place of a doubtful one.
constexpr std::size_t kSmallOriginal = std::size_t{20} << 20;

bool sameBits(double a, double b) {
    return std::memcmp(&a, &b, sizeof a) == 0;
}

/// Values as they were before single samples were repaired: what is repaired may change with the
/// reader.
void unrepair(RecordingData& d) {
    for (const Repair& r : d.repairs) {
        auto& column = r.channel == Channel::Voltage       ? d.voltage_V
                       : r.channel == Channel::Current     ? d.current_A
                       : r.channel == Channel::Temperature ? d.temperature_C
                                                           : d.time_s;
        if (r.index < column.size()) column[r.index] = r.original;
    }
}

/// One is the other times a factor between units, or has the other sign: that was chosen.
bool proportional(const std::vector<double>& stored, const std::vector<double>& read) {
    std::size_t top = 0;
    for (std::size_t k = 0; k < read.size(); ++k)
        if (std::abs(read[k]) > std::abs(read[top]) || !std::isfinite(read[top])) top = k;
    if (read.empty() || !(std::abs(read[top]) > 0)) return false;
    const double factor = stored[top] / read[top];
    constexpr std::array kFactors = {1.0, 1e3, 1e-3, 1e6, 1e-6, 60.0, 1 / 60.0, 3600.0, 1 / 3600.0};
    if (std::ranges::none_of(kFactors,
                             [&](double f) { return std::abs(std::abs(factor) / f - 1) < 1e-9; }))
        return false;
    for (std::size_t k = 0; k < read.size(); ++k) {
        if (std::isnan(stored[k]) && std::isnan(read[k])) continue;
        if (!(std::abs(stored[k] - factor * read[k]) <= 1e-9 * std::abs(stored[top]))) return false;
    }
    return true;
}

/// Equal steps: times that were made from an interval.
bool evenlySpaced(const std::vector<double>& t) {
    if (t.size() < 3) return true;
    const double step = t[1] - t[0];
    for (std::size_t k = 1; k < t.size(); ++k)
        if (!(std::abs(t[k] - step * static_cast<double>(k)) <= 1e-9 * t.back())) return false;
    return true;
}

/// Damage changes some samples, or, as blocks hold differences, shifts those behind it: most steps
/// from sample to sample are still as they were. Another column, or another reading of it, has
/// hardly a step in common.
bool mostStepsAgree(const std::vector<double>& stored, const std::vector<double>& read) {
    std::size_t same = 0;
    std::size_t moving = 0;
    for (std::size_t k = 1; k < read.size(); ++k) {
        const double a = stored[k] - stored[k - 1];
        const double b = read[k] - read[k - 1];
        if (b == 0 && a == 0) continue;
        ++moving;
        if (std::abs(a - b) <= 1e-9 * (std::abs(stored[k]) + std::abs(read[k]))) ++same;
    }
    return moving > 0 && same * 2 >= moving;
}

std::optional<Role> roleOf(const std::string& channel) {
    if (channel == "time_s") return Role::Time;
    if (channel == "voltage_V") return Role::Voltage;
    if (channel == "current_A") return Role::Current;
    if (channel == "temperature_C") return Role::Temperature;
    return std::nullopt;
}

/// Another column of the log gives what is stored: somebody chose it.
bool anotherColumn(const std::string& original, const std::string& name, const Dialect& dialect,
                   const std::string& channel, const std::vector<double>& stored) {
    const auto role = roleOf(channel);
    if (!role || original.size() > kSmallOriginal) return false;
    constexpr std::size_t kTried = 24;
    for (std::size_t k = 0; k < std::min(kTried, dialect.columns.size()); ++k) {
        ReadOptions options;
        options.map[*role] = std::to_string(k + 1);
        auto read = readLog(original, name, options);
        if (!read) continue;
        RecordingData data = read->recording->data();
        unrepair(data);
        const auto& column = columnOf(data, channel);
        if (column.size() == stored.size() && (column == stored || proportional(stored, column)))
            return true;
    }
    return false;
}

/// The blocks of a column that differ from the original beyond what choices at its import explain.
std::vector<std::size_t> differing(const StoredColumn& stored, const std::vector<double>& values,
                                   const std::vector<double>& read, const std::string& original,
                                   const std::string& name, const Dialect& dialect) {
    std::vector<std::size_t> blocks;
    for (std::size_t k = 0; k < read.size(); ++k) {
        if (sameBits(values[k], read[k]) || (std::isnan(values[k]) && std::isnan(read[k])))
            continue;
        const std::size_t block = k / kChunkSamples;
        if (blocks.empty() || blocks.back() != block) blocks.push_back(block);
        k = (block + 1) * kChunkSamples - 1;
    }
    if (blocks.empty() || mostStepsAgree(values, read)) return blocks;
    if (stored.damaged.empty() &&
        (proportional(values, read) ||
         (stored.channel == "time_s" && evenlySpaced(values) && !evenlySpaced(read)) ||
         anotherColumn(original, name, dialect, stored.channel, values)))
        return {};
    return blocks;
}

void setChecksums(SQLite::Database& db, std::int64_t recording, const std::string& channel,
                  const std::vector<std::size_t>& damaged) {
    std::vector<std::pair<std::int64_t, std::string>> sums;
    {
        SQLite::Statement q(
            db, "SELECT chunk, data FROM sample_chunk WHERE recording_id=? AND channel=?");
        q.bind(1, recording);
        q.bind(2, channel);
        while (q.executeStep()) {
            const std::int64_t index = q.getColumn(0).getInt64();
            if (std::ranges::find(damaged, static_cast<std::size_t>(index)) != damaged.end())
                continue;
            const auto blob = q.getColumn(1);
            sums.emplace_back(index, blockChecksum(channel, index,
                                                   {static_cast<const char*>(blob.getBlob()),
                                                    static_cast<std::size_t>(blob.getBytes())}));
        }
    }
    SQLite::Statement set(
        db, "UPDATE sample_chunk SET checksum=? WHERE recording_id=? AND channel=? AND chunk=?");
    for (const auto& [index, sum] : sums) {
        set.reset();
        set.bind(1, sum.data(), static_cast<int>(sum.size()));
        set.bind(2, recording);
        set.bind(3, channel);
        set.bind(4, index);
        set.exec();
    }
}

void confirm(SQLite::Database& db, std::int64_t id, std::size_t samples, const std::string& notes,
             const std::string& name) {
    RecordingData data;
    std::vector<std::string> ignored;
    if (!readNotes(notes, data, ignored)) return;  // damaged anyway
    std::string original;
    const bool whole = readOriginal(db, id, name, [&](std::string_view part) {
                           original.append(part);
                           return true;
                       }).has_value();
    std::optional<Imported> read;
    if (whole)
        if (auto again = readLog(original, name)) read = std::move(*again);
    RecordingData again;
    if (read && read->recording->size() == samples) {
        again = read->recording->data();
        unrepair(again);
    }
    std::vector<StoredColumn> columns;
    for (const std::string& channel : channelsOf(data)) {
        columns.push_back(readColumn(db, id, channel, samples, false));
        columnOf(data, channel) = columns.back().values;
    }
    unrepair(data);
    for (const StoredColumn& column : columns) {
        if (!column.present) continue;
        std::vector<std::size_t> damaged = column.damaged;
        const bool both = !again.time_s.empty() && data.cells_V.size() == again.cells_V.size() &&
                          data.moreTemperatures_C.size() == again.moreTemperatures_C.size();
        if (both)
            if (const auto& other = columnOf(again, column.channel); other.size() == samples)
                for (const std::size_t b : differing(column, columnOf(data, column.channel), other,
                                                     original, name, read->dialect))
                    damaged.push_back(b);
        setChecksums(db, id, column.channel, damaged);
    }
}

}  // namespace

void confirmSamples(SQLite::Database& db) {
    struct Entry {
        std::int64_t id;
        std::size_t samples;
        std::string notes, name;
    };
    std::vector<Entry> all;
    {
        SQLite::Statement q(db, "SELECT id, samples, notes, file_name FROM recording ORDER BY id");
        while (q.executeStep())
            all.push_back(
                {q.getColumn(0).getInt64(),
                 static_cast<std::size_t>(std::max<std::int64_t>(0, q.getColumn(1).getInt64())),
                 q.getColumn(2).getString(), q.getColumn(3).getString()});
    }
    for (const Entry& e : all) {
        try {
            confirm(db, e.id, e.samples, e.notes, e.name);
        } catch (const Refused&) {
            // What cannot even be looked at gets no checksum.
        } catch (const std::logic_error&) {
        }
    }
}

}  // namespace nk
