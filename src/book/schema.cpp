#include "schema.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include "bench_book.h"
#include "journal.h"

namespace nk {

namespace {

constexpr const char* kVersion1 = R"sql(
CREATE TABLE battery (
  id INTEGER PRIMARY KEY,
  revision INTEGER NOT NULL DEFAULT 1,
  name TEXT NOT NULL CHECK (length(name) > 0),
  chemistry TEXT NOT NULL DEFAULT '',
  series INTEGER NOT NULL DEFAULT 0 CHECK (series >= 0),
  parallel INTEGER NOT NULL DEFAULT 1 CHECK (parallel >= 0),
  rated_Ah REAL NOT NULL DEFAULT 0 CHECK (rated_Ah >= 0),
  mass_kg REAL NOT NULL DEFAULT 0 CHECK (mass_kg >= 0)
);
CREATE TABLE recording (
  id INTEGER PRIMARY KEY,
  battery_id INTEGER REFERENCES battery(id) ON DELETE RESTRICT,
  title TEXT NOT NULL,
  file_name TEXT NOT NULL,
  sha256 TEXT NOT NULL,
  imported_at_s REAL NOT NULL,
  start_epoch_s REAL,
  rows_read INTEGER NOT NULL,
  rows_skipped INTEGER NOT NULL,
  samples INTEGER NOT NULL,
  duration_s REAL NOT NULL,
  notes TEXT NOT NULL,
  summary TEXT NOT NULL DEFAULT '{}'
);
CREATE INDEX recording_battery ON recording(battery_id);
CREATE TABLE original (
  recording_id INTEGER PRIMARY KEY REFERENCES recording(id) ON DELETE CASCADE,
  size INTEGER NOT NULL,
  bytes BLOB NOT NULL
);
CREATE TABLE sample_chunk (
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  channel TEXT NOT NULL,
  chunk INTEGER NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (recording_id, channel, chunk)
) WITHOUT ROWID;
CREATE TABLE step_edit (
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  action TEXT NOT NULL CHECK (action IN ('split', 'join', 'rename')),
  at_s REAL NOT NULL,
  kind TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (recording_id, position)
) WITHOUT ROWID;
)sql";

// Battery card fields beyond the first ones (JSON), recordings that are taken off the shelf but not
// destroyed, corrections, readings without a log, and the undo journal.
constexpr const char* kVersion2 = R"sql(
ALTER TABLE battery ADD COLUMN card TEXT NOT NULL DEFAULT '{}';
ALTER TABLE recording ADD COLUMN removed INTEGER NOT NULL DEFAULT 0;
CREATE TABLE correction (
  id INTEGER PRIMARY KEY,
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  kind TEXT NOT NULL,
  value REAL NOT NULL,
  uncertainty REAL NOT NULL DEFAULT 0,
  from_s REAL NOT NULL DEFAULT 0,
  to_s REAL,
  name TEXT NOT NULL
);
CREATE INDEX correction_recording ON correction(recording_id);
CREATE TABLE spot_reading (
  id INTEGER PRIMARY KEY,
  battery_id INTEGER NOT NULL REFERENCES battery(id) ON DELETE RESTRICT,
  kind TEXT NOT NULL,
  value REAL NOT NULL,
  resolution REAL NOT NULL DEFAULT 0,
  at_epoch_s REAL NOT NULL,
  details TEXT NOT NULL DEFAULT '{}'
);
CREATE INDEX spot_reading_battery ON spot_reading(battery_id);
)sql";

}  // namespace

void migrate(SQLite::Database& db, int fromVersion) {
    SQLite::Transaction transaction(db, SQLite::TransactionBehavior::IMMEDIATE);
    // Another window may have been faster.
    const int now = db.execAndGet("PRAGMA user_version").getInt();
    if (now > fromVersion) fromVersion = now;
    if (fromVersion < 1) db.exec(kVersion1);
    if (fromVersion < 2) {
        db.exec(kVersion2);
        createJournal(db);
    } else if (fromVersion < 3) {
        mendRecordingJournal(db);
    }
    db.exec(fmt::format("PRAGMA application_id = {}", kBookApplicationId));
    db.exec(fmt::format("PRAGMA user_version = {}", BenchBook::kSchemaVersion));
    transaction.commit();
}

}  // namespace nk
