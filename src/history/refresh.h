// Keeps the stored readings of a book true to what makes them.
#pragma once

#include <filesystem>
#include <functional>
#include <stop_token>
#include <vector>

#include "open_recording.h"

namespace nk {

struct Stale {
    RecordingEntry entry;
    Makings makings;
};

/// The recordings whose stored readings are missing or were made by something else than what holds
/// today; of one battery only where `batteryId` is not 0.
Expected<std::vector<Stale>> staleRecordings(BenchBook& book, std::int64_t batteryId = 0);

struct RefreshReport {
    std::size_t stale = 0;   ///< found at the start
    std::size_t stored = 0;  ///< made anew and stored
    std::size_t broken = 0;  ///< of those, recordings that cannot be read: their reason is stored
};

/// Called from a worker now and then: how many of how many are done.
using RefreshProgress = std::function<void(std::size_t done, std::size_t all)>;

/// Computes what is stale on `threads` threads, each with a connection of its own, and stores it in
/// short transactions, so that nobody else waits for the book. What is stored stays when it is
/// stopped or killed. A recording that was changed meanwhile is left for the next time. Errors: the
/// book cannot be opened or written.
Expected<RefreshReport> refreshBook(const std::filesystem::path& book, std::stop_token stop = {},
                                    const RefreshProgress& progress = {}, unsigned threads = 2,
                                    std::int64_t batteryId = 0);

/// Stores what an analysis that was made anyway tells, when the book has it otherwise. Errors of
/// writing are none: it is computed again.
void keepStudy(BenchBook& book, const OpenedRecording& opened);

}  // namespace nk
