// Work on the bench book that runs in a worker: reading a log, storing it, loading a recording,
// filling the demo bench. Each opens its own connection; nothing here touches a widget.
#pragma once

#include <functional>
#include <memory>
#include <stop_token>

#include "app/shell/shown_recording.h"
#include "app/strength/strength_station.h"
#include "book/bench_book.h"

namespace nk {

using WorkProgress = std::function<void(double)>;

/// A log that was read but not stored yet: it waits for the battery card.
struct PendingLog {
    QString fileName, title;
    std::string bytes;
    Imported imported;
    Battery guess;
};

Expected<std::shared_ptr<PendingLog>> readPending(const QString& path, std::stop_token stop,
                                                  const WorkProgress& progress);
Expected<std::shared_ptr<PendingLog>> readPendingText(const std::string& text, const QString& name,
                                                      std::stop_token stop,
                                                      const WorkProgress& progress);

/// Stores a pending log under a battery of the book (0: none) with its summary; returns its id.
Expected<std::int64_t> storePending(const std::filesystem::path& book, const PendingLog& log,
                                    std::int64_t batteryId, const Battery& battery, double now_s,
                                    std::stop_token stop);

/// Loads and analyses a recording.
Expected<std::shared_ptr<const ShownRecording>> loadShown(const std::filesystem::path& book,
                                                          const RecordingEntry& entry,
                                                          const Battery& battery);

/// Loads every recording of the shown one's battery in turn and studies them together; the shown
/// recording itself is not loaded again.
Expected<StudyBundle> loadStudy(const std::filesystem::path& book, const ShownRecording& shown,
                                std::stop_token stop, const WorkProgress& progress);

/// Fills a book with the demo bench: every shipped scenario, simulated, written in its dialect and
/// read by the same importer as any user's file. Returns the number of recordings.
Expected<int> fillDemo(const std::filesystem::path& book, double now_s, std::stop_token stop,
                       const WorkProgress& progress);

}  // namespace nk
