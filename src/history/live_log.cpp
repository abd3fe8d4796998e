#include "live_log.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "book/hash.h"
#include "formats/importer.h"
#include "quantity/iso_time.h"

namespace nk {

std::string liveHeader(std::size_t cells) {
    std::string out = "time,voltage_V,current_A,temperature_C";
    for (std::size_t k = 1; k <= cells; ++k) out += fmt::format(",cell_{}_V", k);
    return out;
}

std::string liveLines(const std::vector<LiveRow>& rows, std::size_t cells) {
    std::string out;
    for (const LiveRow& r : rows) {
        const double whole = std::floor(r.at_s);
        const int milli = std::min(999, static_cast<int>(std::lround((r.at_s - whole) * 1000)));
        out += fmt::format("{}.{:03}Z,{:.6f},{:.6f},", isoTime(whole).substr(0, 19), milli,
                           r.voltage_V, r.current_A);
        if (std::isfinite(r.temperature_C)) out += fmt::format("{:.2f}", r.temperature_C);
        for (std::size_t k = 0; k < cells; ++k) {
            out += ',';
            if (k < r.cells_V.size() && std::isfinite(r.cells_V[k]))
                out += fmt::format("{:.6f}", r.cells_V[k]);
        }
        out += '\n';
    }
    return out;
}

Expected<TakenIn> finishLive(BenchBook& book, std::int64_t liveId, double now_s) {
    const auto open = book.unfinished();
    if (!open) return tl::unexpected<Error>(open.error());
    const auto live = std::ranges::find(*open, liveId, &LiveEntry::id);
    const auto text = book.liveText(liveId);
    if (!text) return tl::unexpected<Error>(text.error());
    TakenIn out;
    if (std::ranges::count(*text, '\n') < 2) {
        if (auto gone = book.dropLive(liveId); !gone) return tl::unexpected<Error>(gone.error());
        return out;
    }
    const std::string hash = sha256(*text);
    const auto there = book.recordings();
    if (!there) return tl::unexpected<Error>(there.error());
    const auto same = std::ranges::find(*there, hash, &RecordingEntry::sha256);
    if (same != there->end()) {
        out.recordingId = same->id;
        out.batteryId = same->batteryId;
    } else {
        const auto imported = readLog(*text, live->title + ".csv", {});
        if (!imported) return tl::unexpected<Error>(imported.error());
        NewLog log;
        log.title = live->title;
        log.fileName = live->title + ".csv";
        log.bytes = *text;
        log.imported = &*imported;
        log.at_s = now_s;
        log.batteryId = live->batteryId;
        auto taken = takeIn(book, log);
        if (!taken) return tl::unexpected<Error>(taken.error());
        out = *taken;
        // What was ticked before the start stays with the log.
        if (live->details.find("ticked") != std::string::npos)
            (void)book.keepComputed("before_start:" + std::to_string(out.recordingId),
                                    live->details);
    }
    if (auto gone = book.dropLive(liveId); !gone) return tl::unexpected<Error>(gone.error());
    return out;
}

}  // namespace nk
