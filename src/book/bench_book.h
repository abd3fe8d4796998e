// The bench book: one SQLite file that holds batteries, recordings with their original bytes, and
// what was edited by hand. Schema in docs/formats.md.
//
// Every change is one transaction and is on disk (WAL, synchronous FULL) when the call returns; a
// kill at any moment loses nothing that was acknowledged. Locking rule: any number of windows may
// open one book. Reading never waits. A writer takes the book for one short transaction and waits
// up to five seconds for another to finish. A change to a battery names the revision it was based
// on; if another window was faster, the change is refused and nothing is overwritten.
//
// A file from elsewhere is not trusted: a book whose schema or journal holds anything that this
// program cannot have written is refused (its rows can be copied, rescue.h); triggers and views of
// a file never run (connection.h).
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "chemistry/chemistry.h"
#include "formats/text_table.h"
#include "quantity/error.h"
#include "recording/correction.h"
#include "steps/step.h"

namespace SQLite {
class Database;
}

namespace nk {

struct BatteryEntry {
    std::int64_t id = 0;
    std::int64_t revision = 0;
    Battery battery;
};

/// A few numbers shown on the shelf, kept so that it opens at once.
struct RecordingSummary {
    double capacity_Ah = kNaN;
    double health_percent = kNaN;
    std::string conditions;        ///< "0.6C, 21 °C"
    double resistance_ohm = kNaN;  ///< the one to quote, of the whole battery
    std::string resistanceMethod;  ///< its metric, as in "resistance_10s"
    bool hazard = false;
    int version = 0;  ///< version of the analyses; older ones are computed anew
};

struct RecordingEntry {
    std::int64_t id = 0;
    std::int64_t batteryId = 0;  ///< 0: no battery yet
    std::string title;
    std::string fileName;
    std::string sha256;
    double importedAt_s = 0;     ///< seconds since 1970, UTC
    double startEpoch_s = kNaN;  ///< of the first row, when the log has dates
    std::int64_t rowsRead = 0, rowsSkipped = 0;
    double duration_s = 0;
    RecordingSummary summary;
};

struct NewRecording {
    std::int64_t batteryId = 0;
    std::string title, fileName;
    double importedAt_s = 0;
    std::string_view originalBytes;
    const Imported* imported = nullptr;
    RecordingSummary summary;
};

/// A reading without a log: a display's final figure, a meter's voltage, a charger's milliohms.
struct SpotReading {
    std::int64_t id = 0;
    std::int64_t batteryId = 0;
    std::string kind;       ///< charge, energy, voltage, resistance, duration
    double value = kNaN;    ///< Ah, Wh, V, Ω or s
    double resolution = 0;  ///< last digit of the display, same unit
    double atEpoch_s = 0;
    std::string method;  ///< of a resistance: ac_1khz, charger, other; else free words
    double temperature_C = kNaN;
    double current_A = kNaN;
    std::vector<double> repeats;  ///< the single readings when it was taken several times
    std::string note;
};

struct VerifyReport {
    std::vector<std::string> faults;  ///< empty: all is well
    std::int64_t batteries = 0, recordings = 0;
    std::int64_t samples = 0;
};

class BenchBook {
  public:
    static constexpr int kSchemaVersion = 4;

    /// Opens a book, creating it when `create`. A book of an older schema is brought up, after a
    /// backup beside it. In a folder that cannot be written to it is opened for reading only.
    /// Errors: a name that is no file's, no bench book, newer than this program, something foreign
    /// in it (ErrorKind::Foreign), damaged (a file of 0 bytes is), no permission.
    static Expected<std::unique_ptr<BenchBook>> open(const std::filesystem::path& path,
                                                     bool create = true);
    /// Opens a book without changing anything of it or beside it. An older schema is brought up in
    /// a copy that lasts as long as this object.
    static Expected<std::unique_ptr<BenchBook>> openForReading(const std::filesystem::path& path);
    ~BenchBook();
    BenchBook(const BenchBook&) = delete;
    BenchBook& operator=(const BenchBook&) = delete;

    const std::filesystem::path& path() const { return path_; }
    /// Nothing can be written: every change fails with that reason.
    bool readOnly() const { return readOnly_; }

    Expected<std::int64_t> addBattery(const Battery& battery);
    /// The battery of this name, or `battery` added under it when there is none: as one
    /// transaction, so that two who ask at the same time get one battery.
    Expected<BatteryEntry> batteryNamed(const std::string& name, const Battery& battery);
    /// Refused with ErrorKind::Storage when `revision` is no longer the current one.
    Expected<void> updateBattery(std::int64_t id, std::int64_t revision, const Battery& battery);
    /// Removes a battery with what was read of it by hand. Refused while it has recordings.
    Expected<void> removeBattery(std::int64_t id);
    Expected<std::vector<BatteryEntry>> batteries();

    /// Stores bytes, samples and notes in one transaction. Cancelling leaves no trace.
    Expected<std::int64_t> addRecording(const NewRecording& recording, std::stop_token stop = {});
    Expected<std::vector<RecordingEntry>> recordings();
    /// Damaged blocks of samples are left out and listed among the recording's problems
    /// ("damaged_block").
    Expected<RecordingPtr> load(std::int64_t id);
    /// The kept file, compared with its hash; damaged bytes are an error.
    Expected<std::string> original(std::int64_t id);
    /// The same in parts, for a file that need not lie in memory. `sink` returns false to stop. On
    /// an error it may have had a part of the bytes.
    Expected<void> original(std::int64_t id, const std::function<bool(std::string_view)>& sink);
    Expected<std::vector<std::string>> guesses(std::int64_t id);
    Expected<void> setSummary(std::int64_t id, const RecordingSummary& summary);
    /// Moves a recording to another battery, 0 for none.
    Expected<void> assignBattery(std::int64_t recordingId, std::int64_t batteryId);
    /// Moves a recording to a battery that is new to the book, as one change. Returns its id.
    Expected<std::int64_t> assignNewBattery(std::int64_t recordingId, const Battery& battery);
    Expected<void> renameRecording(std::int64_t id, const std::string& title);
    /// Takes a recording off the shelf. It stays in the book, and undo brings it back.
    Expected<void> removeRecording(std::int64_t id);
    /// How many recordings were taken off the shelf.
    Expected<std::int64_t> removedCount();
    /// Destroys what was taken off the shelf, for good; forgets the undo journal; gives the space
    /// back to the disk where there is room to do so. Returns how many.
    Expected<std::int64_t> purgeRemoved();

    Expected<std::vector<StepEdit>> edits(std::int64_t recordingId);
    Expected<void> setEdits(std::int64_t recordingId, const std::vector<StepEdit>& edits);

    /// Corrections of a recording in the order they are applied (recording/correction.h).
    Expected<std::vector<Correction>> corrections(std::int64_t recordingId);
    Expected<std::int64_t> addCorrection(std::int64_t recordingId, const Correction& correction);
    Expected<void> removeCorrection(std::int64_t id);

    Expected<std::vector<SpotReading>> spotReadings(std::int64_t batteryId);
    Expected<std::int64_t> addSpotReading(const SpotReading& reading);
    Expected<void> removeSpotReading(std::int64_t id);

    /// What undo and redo would do now, in words; empty when there is nothing.
    Expected<std::string> undoLabel();
    Expected<std::string> redoLabel();
    /// Takes the newest change back (makes it again); returns its label, empty when there is none.
    /// The journal is kept in the book: it reaches across restarts and is shared by windows.
    Expected<std::string> undo();
    Expected<std::string> redo();

    /// True once after another connection has changed the book.
    bool changedElsewhere();

    /// SQLite's own integrity check, every stored block and every original compared with its
    /// checksum. Memory does not depend on what the book says of its sizes.
    Expected<VerifyReport> verify(std::stop_token stop = {});
    /// A consistent copy while the book is open.
    Expected<void> backup(const std::filesystem::path& target);

  private:
    explicit BenchBook(std::filesystem::path path);
    Error storageError(const std::string& what) const;
    Expected<void> attend(bool mayWrite);
    Expected<void> bringUp(int version);
    Expected<void> openCopy();

    std::filesystem::path path_;
    std::filesystem::path copyFolder_;  ///< of a private copy of a book that cannot be written to
    std::unique_ptr<SQLite::Database> db_;
    std::int64_t dataVersion_ = 0;
    bool readOnly_ = false;
};

}  // namespace nk
