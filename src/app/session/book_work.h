// Work on the bench book that runs in a worker: reading a log, storing it, loading a recording,
// filling the demo bench. Each opens its own connection; nothing here touches a widget.
#pragma once

#include <functional>
#include <memory>
#include <stop_token>

#include "app/session/shown_recording.h"
#include "app/strength/strength_station.h"
#include "book/bench_book.h"
#include "formats/importer.h"
#include "history/take_in.h"

namespace nk {

using WorkProgress = std::function<void(double)>;

/// A log that was read but not stored yet: it waits for the battery card.
struct PendingLog {
    QString fileName, title;
    std::string bytes;
    std::string preview;  ///< beginning of the table as text
    ReadOptions options;
    std::optional<Imported> imported;  ///< nothing: `problem` says which columns are unknown
    QString problem;
    /// The two ways that fit equally well, each with the log read so; empty when there is no such
    /// question.
    std::vector<std::pair<ReadingChoice, RecordingPtr>> ways;
    Battery guess;
    QString recognised;  ///< what the curve tells of the kind; empty: nothing
};

/// Reads a log with the choices remembered for headers of its shape, if any.
Expected<std::shared_ptr<PendingLog>> readPending(const QString& path, std::stop_token stop,
                                                  const WorkProgress& progress);
/// The same bytes read with other choices.
std::shared_ptr<PendingLog> readAgain(const PendingLog& log, const ReadOptions& options,
                                      std::stop_token stop, const WorkProgress& progress);
/// Keeps the choices of a log for headers of its shape.
void rememberChoices(const PendingLog& log);
Expected<std::shared_ptr<PendingLog>> readPendingText(const std::string& text, const QString& name,
                                                      std::stop_token stop,
                                                      const WorkProgress& progress);

/// What a log was taken with and what charged the battery, as far as that was said: things of the
/// book, or new ones.
struct LogOrigin {
    std::int64_t instrumentId = 0, chargerId = 0;
    std::optional<Instrument> newInstrument;
    std::optional<Charger> newCharger;
};

/// Stores a pending log with its readings under a battery of the book; 0: `battery` is added to the
/// book with it. One act.
Expected<TakenIn> storePending(const std::filesystem::path& book, const PendingLog& log,
                               std::int64_t batteryId, const Battery& battery,
                               const LogOrigin& origin, double now_s, std::stop_token stop);

/// Stores a log that was read and then reads and stores more files, one after the other. A file
/// that cannot be read is reported and passed over; cancelling keeps what is stored. Returns the id
/// of the last stored recording, 0 when there is none. `report` may be called from the worker.
using FileReport = std::function<void(int row, const QString& words, bool good)>;
std::int64_t storeMany(const std::filesystem::path& book, const PendingLog& first,
                       const QStringList& files, std::int64_t batteryId, const Battery& battery,
                       const LogOrigin& origin, double now_s, const FileReport& report,
                       std::stop_token stop, const WorkProgress& progress);

/// The sign of a recording as the book has it now, without its samples (ShownRecording::sign).
Expected<std::string> shownSign(const std::filesystem::path& path, std::int64_t id);

/// Loads and analyses a recording; what the book keeps of it is brought up to date on the way.
Expected<std::shared_ptr<const ShownRecording>> loadShown(const std::filesystem::path& book,
                                                          std::int64_t id);

/// Studies all recordings of the shown one's battery together, from what the book keeps of them.
Expected<StudyBundle> loadStudy(const std::filesystem::path& book, const ShownRecording& shown,
                                std::stop_token stop, const WorkProgress& progress);

/// Fills a book with the demo bench: every shipped scenario, simulated, written in its dialect and
/// read by the same importer as any user's file: one act. Returns the number of recordings.
Expected<int> fillDemo(const std::filesystem::path& book, double now_s, std::stop_token stop,
                       const WorkProgress& progress);

}  // namespace nk
