#include "schema.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>

#include <array>
#include <map>

#include "bench_book.h"
#include "confirm.h"
#include "convert_edits.h"
#include "journal.h"
#include "old_journal.h"
#include "quantity/harmless.h"
#include "quantity/phrase.h"

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

// A checksum a block of samples; none: the block was damaged already when checksums came in.
constexpr const char* kVersion4 = R"sql(
ALTER TABLE sample_chunk ADD COLUMN checksum BLOB;
)sql";

// What logs were taken with and what charged the batteries; checks of instruments; readings,
// findings and what made them (computed by the program: never journaled); what an edit of the steps
// made; a figure that numbers revisions.
constexpr const char* kVersion5 = R"sql(
CREATE TABLE instrument (
  id INTEGER PRIMARY KEY,
  revision INTEGER NOT NULL DEFAULT 1,
  name TEXT NOT NULL CHECK (length(name) > 0),
  card TEXT NOT NULL DEFAULT '{}'
);
CREATE TABLE charger (
  id INTEGER PRIMARY KEY,
  revision INTEGER NOT NULL DEFAULT 1,
  name TEXT NOT NULL CHECK (length(name) > 0),
  card TEXT NOT NULL DEFAULT '{}'
);
CREATE TABLE meter_check (
  id INTEGER PRIMARY KEY,
  instrument_id INTEGER NOT NULL REFERENCES instrument(id) ON DELETE RESTRICT,
  at_epoch_s REAL NOT NULL,
  kind TEXT NOT NULL,
  value REAL NOT NULL,
  uncertainty REAL NOT NULL DEFAULT 0,
  name TEXT NOT NULL
);
CREATE INDEX meter_check_instrument ON meter_check(instrument_id);
ALTER TABLE recording ADD COLUMN instrument_id INTEGER REFERENCES instrument(id);
ALTER TABLE recording ADD COLUMN charger_id INTEGER REFERENCES charger(id);
CREATE INDEX recording_instrument ON recording(instrument_id);
CREATE INDEX recording_charger ON recording(charger_id);
ALTER TABLE step_edit ADD COLUMN made TEXT NOT NULL DEFAULT '';
CREATE TABLE setting (
  name TEXT PRIMARY KEY,
  value TEXT NOT NULL
) WITHOUT ROWID;
CREATE TABLE counter (
  name TEXT PRIMARY KEY,
  value INTEGER NOT NULL
) WITHOUT ROWID;
CREATE TABLE study (
  recording_id INTEGER PRIMARY KEY REFERENCES recording(id) ON DELETE CASCADE,
  fingerprint TEXT NOT NULL,
  problem TEXT NOT NULL DEFAULT '',
  strength BLOB
);
CREATE TABLE reading (
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  name TEXT NOT NULL,
  step INTEGER,
  value REAL NOT NULL,
  uncertainty REAL,
  low REAL,
  high REAL,
  unit TEXT NOT NULL,
  method TEXT NOT NULL,
  from_s REAL,
  to_s REAL,
  quoted INTEGER NOT NULL DEFAULT 0,
  conditions TEXT NOT NULL DEFAULT '{}',
  PRIMARY KEY (recording_id, position)
) WITHOUT ROWID;
CREATE TABLE finding (
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  severity TEXT NOT NULL,
  code TEXT NOT NULL,
  text TEXT NOT NULL,
  from_s REAL,
  to_s REAL,
  PRIMARY KEY (recording_id, position)
) WITHOUT ROWID;
)sql";

// What a battery is beyond its card; pictures, by their hash, never journaled; what was done of the
// due list.
constexpr const char* kVersion6 = R"sql(
CREATE TABLE battery_life (
  battery_id INTEGER PRIMARY KEY REFERENCES battery(id) ON DELETE RESTRICT,
  part_of INTEGER REFERENCES battery(id) ON DELETE RESTRICT,
  position INTEGER NOT NULL DEFAULT 0,
  details TEXT NOT NULL DEFAULT '{}',
  photo TEXT NOT NULL DEFAULT ''
);
CREATE INDEX battery_life_part ON battery_life(part_of);
CREATE TABLE photo (
  sha256 TEXT PRIMARY KEY,
  bytes BLOB NOT NULL
);
CREATE TABLE task_done (
  id INTEGER PRIMARY KEY,
  battery_id INTEGER NOT NULL REFERENCES battery(id) ON DELETE RESTRICT,
  task TEXT NOT NULL,
  at_epoch_s REAL NOT NULL
);
CREATE INDEX task_done_battery ON task_done(battery_id);
)sql";

// A recording that is still made: its lines as they come, a second of them a part.
constexpr const char* kVersion7 = R"sql(
CREATE TABLE live (
  id INTEGER PRIMARY KEY,
  battery_id INTEGER REFERENCES battery(id) ON DELETE SET NULL,
  title TEXT NOT NULL,
  source TEXT NOT NULL,
  started_at_s REAL NOT NULL,
  header TEXT NOT NULL,
  details TEXT NOT NULL DEFAULT '{}'
);
CREATE TABLE live_part (
  live_id INTEGER NOT NULL REFERENCES live(id) ON DELETE CASCADE,
  part INTEGER NOT NULL,
  lines TEXT NOT NULL,
  PRIMARY KEY (live_id, part)
) WITHOUT ROWID;
)sql";

using Schema =
    std::map<std::string, std::string>;  ///< "table battery" to its SQL, white space folded

std::string folded(const std::string& sql) {
    std::string out;
    for (const char c : sql) {
        const bool space = c == ' ' || c == '\n' || c == '\t' || c == '\r';
        if (!space)
            out.push_back(c);
        else if (!out.empty() && out.back() != ' ')
            out.push_back(' ');
    }
    return out;
}

Schema schemaOf(SQLite::Database& db) {
    Schema out;
    SQLite::Statement q(db, "SELECT type, name, sql FROM main.sqlite_master");
    while (q.executeStep()) {
        const std::string name = q.getColumn(1).getString();
        // SQLite's own: statistics, sequences, indexes of keys. Their columns are SQLite's too.
        if (name.starts_with("sqlite_")) continue;
        out[q.getColumn(0).getString() + " " + name] = folded(q.getColumn(2).getString());
    }
    return out;
}

void createVersion(SQLite::Database& db, int version) {
    db.exec(kVersion1);
    if (version >= 2) db.exec(kVersion2);
    if (version == 2 || version == 3) db.exec(oldJournalSql(version));
    if (version >= 4) {
        db.exec(kJournalTables);
        db.exec(kVersion4);
    }
    if (version >= 5) db.exec(kVersion5);
    if (version >= 6) db.exec(kVersion6);
    if (version >= 7) db.exec(kVersion7);
}

const Schema& knownSchema(int version) {
    static const auto known = [] {
        std::array<Schema, BenchBook::kSchemaVersion + 1> out;
        for (int v = 1; v <= BenchBook::kSchemaVersion; ++v) {
            SQLite::Database db(":memory:", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
            createVersion(db, v);
            out[static_cast<std::size_t>(v)] = schemaOf(db);
        }
        return out;
    }();
    return known[static_cast<std::size_t>(version)];
}

}  // namespace

std::vector<std::string> foreignSchema(SQLite::Database& db, int version) {
    constexpr std::size_t kNamed = 10;
    std::vector<std::string> out;
    if (version < 1 || version > BenchBook::kSchemaVersion)
        return {phrase("its version, {}", version)};
    const Schema& known = knownSchema(version);
    const Schema seen = schemaOf(db);
    for (const auto& [name, sql] : seen) {
        const auto it = known.find(name);
        if (it == known.end())
            out.push_back(phrase("{}, which no bench book has", harmless(name)));
        else if (it->second != sql)
            out.push_back(phrase("{}, which is not as a bench book has it", harmless(name)));
        if (out.size() == kNamed) return out;
    }
    for (const auto& [name, sql] : known)
        if (!seen.contains(name) && out.size() < kNamed)
            out.push_back(phrase("{}, which is missing", name));
    return out;
}

void createSchema(SQLite::Database& db) {
    createVersion(db, BenchBook::kSchemaVersion);
    db.exec(fmt::format("PRAGMA application_id = {}", kBookApplicationId));
    db.exec(fmt::format("PRAGMA user_version = {}", BenchBook::kSchemaVersion));
}

void migrate(SQLite::Database& db, int fromVersion) {
    if (fromVersion < 2) {
        db.exec(kVersion2);
        db.exec(kJournalTables);
    } else if (fromVersion < 4) {
        convertJournal(db);
    }
    if (fromVersion < 4) {
        db.exec(kVersion4);
        confirmSamples(db);
    }
    if (fromVersion < 5) {
        db.exec(kVersion5);
        // No revision that another window may hold comes again.
        db.exec(
            "INSERT INTO counter(name, value) SELECT 'revision', coalesce(max(revision), 0) + "
            "(SELECT count(*) FROM change_part) FROM battery");
        settleStoredEdits(db);
    }
    if (fromVersion < 6) db.exec(kVersion6);
    if (fromVersion < 7) db.exec(kVersion7);
    db.exec(fmt::format("PRAGMA user_version = {}", BenchBook::kSchemaVersion));
}

}  // namespace nk
