#include "samples.h"

#include <fmt/format.h>
#include <zstd.h>

#include <algorithm>
#include <cmath>

#include "chunk_codec.h"
#include "guard.h"
#include "hash.h"

namespace nk {

namespace {

std::size_t blocksOf(std::size_t samples) {
    return (samples + kChunkSamples - 1) / kChunkSamples;
}

std::string_view bytesOf(const SQLite::Column& blob) {
    return {static_cast<const char*>(blob.getBlob()), static_cast<std::size_t>(blob.getBytes())};
}

bool essential(const std::string& channel) {
    return channel == "time_s" || channel == "voltage_V" || channel == "current_A";
}

/// Leaves out the rows of these blocks; indexes of repairs and gaps follow.
void leaveOut(RecordingData& d, const std::vector<bool>& block) {
    const std::size_t n = d.time_s.size();
    std::vector<std::size_t> to(n);  // new index of each row; of the row before where it goes
    std::size_t kept = 0;
    for (std::size_t k = 0; k < n; ++k) {
        const bool stays = !block[k / kChunkSamples];
        to[k] = stays ? kept : kept == 0 ? 0 : kept - 1;
        kept += stays ? 1 : 0;
    }
    const auto stays = [&](std::size_t k) { return !block[k / kChunkSamples]; };
    for (const std::string& channel : channelsOf(d)) {
        auto& column = columnOf(d, channel);
        if (column.empty()) continue;
        for (std::size_t k = 0; k < n; ++k)
            if (stays(k)) column[to[k]] = column[k];
        column.resize(kept);
    }
    std::erase_if(d.repairs, [&](const Repair& r) { return r.index >= n || !stays(r.index); });
    for (Repair& r : d.repairs) r.index = to[r.index];
    std::erase_if(d.gaps, [&](const Gap& g) {
        return g.before + 1 >= n || !stays(g.before) || !stays(g.before + 1);
    });
    for (Gap& g : d.gaps) g.before = to[g.before];
    for (std::size_t b = 0; b < block.size(); ++b) {
        if (!block[b] || (b > 0 && block[b - 1])) continue;
        const std::size_t from = b * kChunkSamples;
        std::size_t end = b;
        while (end < block.size() && block[end]) ++end;
        if (from == 0 || end == block.size()) continue;
        const std::size_t before = to[from - 1];
        d.gaps.push_back({before, d.time_s[before + 1] - d.time_s[before], false});
    }
    std::ranges::sort(d.gaps, {}, &Gap::before);
}

}  // namespace

std::vector<std::string> channelsOf(const RecordingData& d) {
    std::vector<std::string> out = {"time_s",        "voltage_V",  "current_A",
                                    "temperature_C", "counter_Ah", "counter_Wh"};
    for (std::size_t k = 0; k < d.cells_V.size(); ++k)
        out.push_back(fmt::format("cell_V_{}", k + 1));
    for (std::size_t k = 0; k < d.moreTemperatures_C.size(); ++k)
        out.push_back(fmt::format("temperature_C_{}", k + 2));
    return out;
}

std::vector<double>& columnOf(RecordingData& d, const std::string& channel) {
    if (channel == "time_s") return d.time_s;
    if (channel == "voltage_V") return d.voltage_V;
    if (channel == "current_A") return d.current_A;
    if (channel == "temperature_C") return d.temperature_C;
    if (channel == "counter_Ah") return d.counter_Ah;
    if (channel == "counter_Wh") return d.counter_Wh;
    const std::size_t number = std::stoul(channel.substr(channel.rfind('_') + 1));
    return channel.starts_with("cell") ? d.cells_V.at(number - 1)
                                       : d.moreTemperatures_C.at(number - 2);
}

const std::vector<double>& columnOf(const RecordingData& d, const std::string& channel) {
    return columnOf(const_cast<RecordingData&>(d), channel);  // the same places, only read
}

bool consistent(const RecordingData& d) {
    const std::size_t n = d.time_s.size();
    for (std::size_t k = 0; k < n; ++k)
        if (!std::isfinite(d.time_s[k]) || (k > 0 && d.time_s[k] < d.time_s[k - 1])) return false;
    for (std::size_t k = 0; k < d.gaps.size(); ++k)
        if (d.gaps[k].before + 1 >= n || (k > 0 && d.gaps[k].before <= d.gaps[k - 1].before))
            return false;
    return std::ranges::all_of(d.repairs, [&](const Repair& r) {
        return r.index < n && r.channel >= Channel::Voltage && r.channel <= Channel::Time;
    });
}

StoredColumn readColumn(SQLite::Database& db, std::int64_t recording, const std::string& channel,
                        std::size_t samples, bool checked) {
    StoredColumn out;
    out.channel = channel;
    const std::size_t blocks = blocksOf(samples);
    {
        // A damaged count of samples must not ask for all memory: what is there is the bound.
        SQLite::Statement q(db,
                            "SELECT count(*) FROM sample_chunk WHERE recording_id=? AND channel=?");
        q.bind(1, recording);
        q.bind(2, channel);
        const auto rows = q.executeStep() ? static_cast<std::size_t>(q.getColumn(0).getInt64()) : 0;
        out.present = rows > 0;
        if (rows == 0) return out;
        if (rows > blocks)
            throw Refused{
                {ErrorKind::Storage,
                 phrase("This recording has more blocks of samples than it counts ({}).", channel),
                 phrase("bench book"), ""}};
        if (rows * 8 + 64 < blocks)
            throw Refused{{ErrorKind::Storage,
                           phrase("Most samples of this recording are missing ({}).", channel),
                           phrase("bench book"), ""}};
    }
    out.values.assign(samples, kNaN);
    std::vector<bool> good(blocks);
    SQLite::Statement q(
        db,
        checked
            ? "SELECT chunk, data, checksum FROM sample_chunk WHERE recording_id=? AND channel=?"
            : "SELECT chunk, data FROM sample_chunk WHERE recording_id=? AND channel=?");
    q.bind(1, recording);
    q.bind(2, channel);
    std::vector<double> block;
    while (q.executeStep()) {
        const std::int64_t index = q.getColumn(0).getInt64();
        if (index < 0 || static_cast<std::size_t>(index) >= blocks) continue;
        const auto at = static_cast<std::size_t>(index);
        const std::string_view packed = bytesOf(q.getColumn(1));
        if (checked && bytesOf(q.getColumn(2)) != blockChecksum(channel, index, packed)) continue;
        block.clear();
        if (!unpackChunk(packed, block)) continue;
        const std::size_t first = at * kChunkSamples;
        if (block.size() != std::min(kChunkSamples, samples - first)) continue;
        std::ranges::copy(block, out.values.begin() + static_cast<std::ptrdiff_t>(first));
        good[at] = true;
    }
    for (std::size_t b = 0; b < blocks; ++b)
        if (!good[b]) out.damaged.push_back(b);
    return out;
}

std::vector<DamagedBlock> readSamples(SQLite::Database& db, std::int64_t recording,
                                      std::size_t samples, RecordingData& d,
                                      const std::string& where) {
    std::vector<DamagedBlock> damaged;
    std::vector<bool> gone;  // made when a column has shown that there are about so many blocks
    std::vector<std::string> channels = channelsOf(d);
    for (const std::string& channel : channels) {
        StoredColumn column = readColumn(db, recording, channel, samples, true);
        const bool optional = channel == "temperature_C" || channel.starts_with("counter");
        if (!column.present && (optional || samples == 0)) continue;
        if (!column.present)
            throw Refused{{ErrorKind::Storage,
                           phrase("Samples of this recording are missing ({}).", channel), where,
                           ""}};
        gone.resize(blocksOf(samples));
        for (const std::size_t b : column.damaged) {
            damaged.push_back({channel, b});
            if (essential(channel)) gone[b] = true;
        }
        columnOf(d, channel) = std::move(column.values);
    }
    if (damaged.empty()) return damaged;
    if (std::ranges::all_of(gone, [](bool b) { return b; }))
        throw Refused{{ErrorKind::Storage,
                       phrase("All samples of this recording are damaged ({}). Its original file "
                              "may still be whole: "
                              "export it and bring it in again.",
                              damaged.front().channel),
                       where, phrase("a backup from before the damage.")}};
    for (const DamagedBlock& b : damaged) {
        const std::size_t first = b.index * kChunkSamples;
        const std::size_t last = std::min(samples, first + kChunkSamples) - 1;
        // A time that is damaged itself is told by its neighbours.
        double at = d.time_s[first];
        for (std::size_t k = first; !std::isfinite(at) && k-- > 0;) at = d.time_s[k];
        d.problems.push_back(
            {0, std::isfinite(at) ? at : 0, "damaged_block",
             phrase("{}: samples {} to {} are damaged in the bench book and are not used",
                    b.channel, first + 1, last + 1)});
    }
    if (std::ranges::any_of(gone, [](bool b) { return b; })) leaveOut(d, gone);
    return damaged;
}

Expected<void> readOriginal(SQLite::Database& db, std::int64_t recording, const std::string& where,
                            const std::function<bool(std::string_view)>& sink) {
    const auto damaged = [&](const std::string& reason) -> tl::unexpected<Error> {
        return fail(ErrorKind::Unreadable,
                    phrase("The original file of this recording is damaged: {}.", reason), where,
                    phrase("a backup from before the damage."));
    };
    SQLite::Statement q(db,
                        "SELECT o.size, o.bytes, r.sha256 FROM original o JOIN recording r ON r.id "
                        "= o.recording_id "
                        "WHERE o.recording_id=?");
    q.bind(1, recording);
    if (!q.executeStep())
        return fail(ErrorKind::Storage, phrase("This recording is no longer in the book."), where,
                    "");
    const std::int64_t size = q.getColumn(0).getInt64();
    const std::string_view packed = bytesOf(q.getColumn(1));
    const std::string wanted = q.getColumn(2).getString();
    const std::unique_ptr<ZSTD_DCtx, std::size_t (*)(ZSTD_DCtx*)> context(ZSTD_createDCtx(),
                                                                          ZSTD_freeDCtx);
    if (!context || size < 0) return damaged(phrase("it does not unpack to its size"));
    ZSTD_DCtx_setParameter(context.get(), ZSTD_d_windowLogMax, 27);
    std::string part(std::size_t{1} << 20, '\0');
    ZSTD_inBuffer in{packed.data(), packed.size(), 0};
    Sha256 sum;
    std::int64_t done = 0;
    while (true) {
        ZSTD_outBuffer out{part.data(), part.size(), 0};
        const std::size_t left = ZSTD_decompressStream(context.get(), &out, &in);
        if (ZSTD_isError(left) != 0) return damaged(phrase("it does not unpack"));
        done += static_cast<std::int64_t>(out.pos);
        if (done > size) return damaged(phrase("it does not unpack to its size"));
        const std::string_view bytes(part.data(), out.pos);
        sum.add(bytes);
        if (!sink(bytes))
            return fail(ErrorKind::Cancelled, phrase("Cancelled. Nothing was changed."), where, "");
        if (left == 0) break;
        if (out.pos == 0 && in.pos == in.size) return damaged(phrase("it is cut off"));
    }
    if (done != size) return damaged(phrase("it does not unpack to its size"));
    if (sum.hex() != wanted) return damaged(phrase("its hash does not agree"));
    return {};
}

}  // namespace nk
