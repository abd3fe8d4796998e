-- Schema 1 as it was, with one battery and one recording: the test of the migration.

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

PRAGMA application_id = 1313554993;
PRAGMA user_version = 1;
INSERT INTO battery(name, chemistry, series, parallel, rated_Ah) VALUES ('Mount pack A', 'lfp', 4, 1, 20);
INSERT INTO recording(battery_id, title, file_name, sha256, imported_at_s, rows_read, rows_skipped, samples, duration_s, notes)
  VALUES (1, 'before the new year', 'a.csv', 'none', 0, 0, 0, 0, 0, '{"problems":[],"repairs":[],"gaps":[]}');
INSERT INTO step_edit VALUES (1, 0, 'split', 900, '');
