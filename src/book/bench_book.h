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

#include <cmath>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "change_label.h"
#include "chemistry/chemistry.h"
#include "formats/text_table.h"
#include "instruments.h"
#include "life.h"
#include "quantity/error.h"
#include "recording/correction.h"
#include "steps/edit.h"
#include "stored.h"

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
    double capacity_Ah = kNaN;  ///< the largest discharge
    double health_percent = kNaN;
    double rate_C = kNaN, mean_A = kNaN;  ///< of that discharge, without sign
    double floor_V_per_cell = kNaN;       ///< where it ended
    double highest_C = kNaN;              ///< its highest temperature
    double resistance_ohm = kNaN;         ///< the one to quote, of the whole battery
    std::string resistanceMethod;         ///< its metric, as in "resistance_10s"
    double moved_Ah = kNaN;               ///< charge put in and taken out, both counted positive
    bool hazard = false;
};

struct RecordingEntry {
    std::int64_t id = 0;
    std::int64_t batteryId = 0;                    ///< 0: no battery yet
    std::int64_t instrumentId = 0, chargerId = 0;  ///< 0: not known
    std::string title;
    std::string fileName;
    std::string sha256;
    double importedAt_s = 0;     ///< seconds since 1970, UTC
    double startEpoch_s = kNaN;  ///< of the first row, when the log has dates
    std::int64_t rowsRead = 0, rowsSkipped = 0;
    std::int64_t samples = 0;
    double duration_s = 0;
    RecordingSummary summary;
    std::string fingerprint;  ///< of what made its stored readings; empty: there are none
    bool outOfDate = false;   ///< not stored: set by whoever compares fingerprints (history/)

    /// The day it is of where its rows have no date, noon UTC; NaN: not known. `dayFrom`: words (of
    /// the file), name (of the file), file (its own date), hand.
    double day_s = kNaN;
    std::string dayFrom;

    /// Whether anybody knows of which day it is.
    bool dayKnown() const { return std::isfinite(startEpoch_s) || std::isfinite(day_s); }
    /// When it was taken; where no day is known, when it came into the book: an order to show,
    /// never a date to count from (dayKnown()).
    double at_s() const {
        return std::isfinite(startEpoch_s) ? startEpoch_s
               : std::isfinite(day_s)      ? day_s
                                           : importedAt_s;
    }
};

/// A recording that is still made.
struct LiveEntry {
    std::int64_t id = 0;
    std::int64_t batteryId = 0;  ///< 0: none yet
    std::string title, source;
    double startedAt_s = 0;  ///< since 1970 UTC
    std::string header;      ///< the column titles, without the end of the line
    std::string details;     ///< JSON: what was ticked, alarms
};

struct NewRecording {
    std::int64_t batteryId = 0, instrumentId = 0, chargerId = 0;
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

struct MergeReport {
    std::int64_t batteries = 0, recordings = 0;  ///< new here
    std::int64_t known = 0;                      ///< recordings that were here already
    std::int64_t others = 0;         ///< instruments, chargers, checks, readings by hand
    std::vector<std::string> notes;  ///< what was kept as it was, and why; at most ten
};

class BenchBook {
  public:
    static constexpr int kSchemaVersion = 7;

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

    /// Runs `work`, which may make any changes through this object, as one act: one transaction,
    /// one step of undo with this label. An error of it takes everything back. What fails inside
    /// and is passed over by `work` leaves nothing.
    Expected<void> change(const ChangeLabel& label, const std::function<Expected<void>()>& work);

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
    /// A recording that is still made. Its lines are whole lines of a log whose first line is
    /// `header`. None of it is a step of undo; what was appended is on the disk when the call
    /// returns. Errors: the book cannot be written, no such battery, no such one.
    Expected<std::int64_t> beginLive(const LiveEntry& live);
    Expected<void> appendLive(std::int64_t id, const std::string& lines);
    Expected<std::vector<LiveEntry>> unfinished();
    /// Header and all lines so far.
    Expected<std::string> liveText(std::int64_t id);
    Expected<void> dropLive(std::int64_t id);
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
    /// Moves a recording to another battery, 0 for none.
    Expected<void> assignBattery(std::int64_t recordingId, std::int64_t batteryId);
    /// Moves a recording to a battery that is new to the book, as one change. Returns its id.
    Expected<std::int64_t> assignNewBattery(std::int64_t recordingId, const Battery& battery);
    Expected<void> renameRecording(std::int64_t id, const std::string& title);
    /// The day of a recording whose rows have none: "2026-05-01" and where it is from
    /// (RecordingEntry); empty: not known. One step of undo where a person says so (`byHand`).
    /// Errors: no day of the calendar, a recording whose rows say theirs.
    Expected<void> setDay(std::int64_t id, const std::string& day, const std::string& from,
                          bool byHand);
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
    /// Puts a reading in the place of the one with its id.
    Expected<void> updateSpotReading(const SpotReading& reading);
    Expected<void> removeSpotReading(std::int64_t id);

    /// What each battery is beyond its card, where anything is known.
    Expected<std::map<std::int64_t, BatteryLife>> lives();
    /// Errors: BatteryLife::check, a battery that would be a part of itself.
    Expected<void> setLife(std::int64_t batteryId, const BatteryLife& life);
    /// Keeps a picture (PNG or JPEG, 16 MiB at most) and returns its hash; no step of undo.
    Expected<std::string> addPhoto(std::string_view bytes);
    /// Empty when the book has none of that hash.
    Expected<std::string> photo(const std::string& sha256);
    /// Ids, rising, of the recordings on the shelf that have a stored reading of this name.
    Expected<std::vector<std::int64_t>> recordingsWith(const std::string& reading);
    /// When each battery was last read by hand.
    Expected<std::map<std::int64_t, double>> lastSpotReadings();
    /// What was done of the due list, in order of time.
    Expected<std::vector<TaskDone>> tasksDone();
    Expected<std::int64_t> addTaskDone(const TaskDone& done);
    /// Rules and periods that are the book's; empty: as the program has them.
    Expected<std::string> setting(const std::string& name);
    /// As setSetting, for what the program worked out by itself: no step of undo.
    Expected<void> keepComputed(const std::string& name, const std::string& value);
    Expected<void> setSetting(const std::string& name, const std::string& value);

    Expected<std::vector<InstrumentEntry>> instruments();
    Expected<std::int64_t> addInstrument(const Instrument& instrument);
    /// Refused with ErrorKind::Storage when `revision` is no longer the current one.
    Expected<void> updateInstrument(std::int64_t id, std::int64_t revision,
                                    const Instrument& instrument);
    Expected<std::vector<ChargerEntry>> chargers();
    Expected<std::int64_t> addCharger(const Charger& charger);
    Expected<void> updateCharger(std::int64_t id, std::int64_t revision, const Charger& charger);
    /// 0: none.
    Expected<void> setInstrument(std::int64_t recordingId, std::int64_t instrumentId);
    Expected<void> setCharger(std::int64_t recordingId, std::int64_t chargerId);
    /// Checks of an instrument (0: of all) in the order of their days.
    Expected<std::vector<MeterCheck>> meterChecks(std::int64_t instrumentId = 0);
    Expected<std::int64_t> addMeterCheck(const MeterCheck& check);
    Expected<void> removeMeterCheck(std::int64_t id);

    /// The accuracy of logs whose instrument is not known.
    Expected<InstrumentAccuracy> usualAccuracy();
    Expected<void> setUsualAccuracy(const InstrumentAccuracy& accuracy);

    /// Edits and corrections of every recording that has any, each kind in one pass over the book.
    Expected<std::map<std::int64_t, std::vector<StepEdit>>> allEdits();
    Expected<std::map<std::int64_t, std::vector<Correction>>> allCorrections();

    /// Stored readings and findings, and the summary that goes with them: written by the program,
    /// no step of undo. A recording that is gone meanwhile is passed over.
    Expected<void> setStudy(std::int64_t recordingId, const StoredStudy& study,
                            const RecordingSummary& summary);
    /// Several of them as one transaction, which is no step of undo either.
    Expected<void> storeStudies(const std::function<Expected<void>()>& work);
    /// Why a recording has no stored readings; empty when it has, or none were made yet.
    Expected<std::string> studyProblem(std::int64_t recordingId);
    /// Of one recording, or of all of a battery, in the order of recordings and of the analysis.
    Expected<std::vector<StoredReading>> readings(std::int64_t recordingId);
    Expected<std::vector<StoredReading>> readingsOfBattery(std::int64_t batteryId);
    Expected<std::vector<StoredFinding>> findings(std::int64_t recordingId);
    Expected<std::vector<StoredFinding>> findingsOfCharger(std::int64_t chargerId);
    /// What was stored for the study of several recordings; empty when there is nothing.
    Expected<std::string> strengthOf(std::int64_t recordingId);

    /// Takes over what another book holds, or one battery of it with its logs, as one act: logs
    /// that are here already, known by the hash of their file, are not doubled; a battery,
    /// instrument or charger of the same name and kind is the same. The other book is not changed.
    /// Cancelling leaves no trace.
    Expected<MergeReport> takeIn(BenchBook& other, std::int64_t onlyBattery = 0,
                                 std::stop_token stop = {});

    /// What undo and redo would do now, in words; empty when there is nothing.
    Expected<std::string> undoLabel();
    Expected<std::string> redoLabel();
    /// Takes the newest change back (makes it again); returns its label, empty when there is none.
    /// The journal is kept in the book: it reaches across restarts and is shared by windows.
    Expected<std::string> undo();
    Expected<std::string> redo();

    /// Forgets all changes that could be taken back: for a book that was made whole.
    Expected<void> forgetJournal();

    /// True once after another connection has changed the book.
    bool changedElsewhere();

    /// SQLite's own integrity check, every stored block and every original compared with its
    /// checksum. Memory does not depend on what the book says of its sizes.
    Expected<VerifyReport> verify(std::stop_token stop = {});
    /// Folds what lies beside the book (the write-ahead file) back into it, so that a plain copy of
    /// the file holds all that was acknowledged. Passes over what is busy.
    void foldBack();
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
    std::string liveRows_, liveRest_;  ///< as changedElsewhere() saw them last
    bool readOnly_ = false;
};

}  // namespace nk
