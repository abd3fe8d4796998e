-- Schema 3 as it was, with one battery and one recording of a hundred samples, both still in the journal.
PRAGMA application_id = 1313554993;
PRAGMA user_version = 3;
CREATE TABLE battery (
  id INTEGER PRIMARY KEY,
  revision INTEGER NOT NULL DEFAULT 1,
  name TEXT NOT NULL CHECK (length(name) > 0),
  chemistry TEXT NOT NULL DEFAULT '',
  series INTEGER NOT NULL DEFAULT 0 CHECK (series >= 0),
  parallel INTEGER NOT NULL DEFAULT 1 CHECK (parallel >= 0),
  rated_Ah REAL NOT NULL DEFAULT 0 CHECK (rated_Ah >= 0),
  mass_kg REAL NOT NULL DEFAULT 0 CHECK (mass_kg >= 0)
, card TEXT NOT NULL DEFAULT '{}');
INSERT INTO "battery" VALUES(1,1,'Spare pack','',0,1,0.0,0.0,'{}');
CREATE TABLE change (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  label TEXT NOT NULL,
  at_s REAL NOT NULL,
  undone INTEGER NOT NULL DEFAULT 0
);
INSERT INTO "change" VALUES(1,'add Spare pack',1.79564406396399283416e+09,0);
INSERT INTO "change" VALUES(2,'add small',1.79564406396801614761e+09,0);
CREATE TABLE change_part (
  position INTEGER PRIMARY KEY AUTOINCREMENT,
  change_id INTEGER NOT NULL REFERENCES change(id) ON DELETE CASCADE,
  undo TEXT NOT NULL,
  redo TEXT NOT NULL
);
INSERT INTO "change_part" VALUES(1,1,'DELETE FROM battery WHERE id=1','INSERT INTO battery(id, name, chemistry, series, parallel, rated_Ah, mass_kg, card) VALUES (1, ''Spare pack'', '''', 0, 1, 0.0, 0.0, ''{}'')');
INSERT INTO "change_part" VALUES(2,2,'UPDATE recording SET removed=1, battery_id=NULL WHERE id=1','UPDATE recording SET removed=0, battery_id=1 WHERE id=1');
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
CREATE TABLE journal_state (open INTEGER NOT NULL);
INSERT INTO "journal_state" VALUES(0);
CREATE TABLE original (
  recording_id INTEGER PRIMARY KEY REFERENCES recording(id) ON DELETE CASCADE,
  size INTEGER NOT NULL,
  bytes BLOB NOT NULL
);
INSERT INTO "original" VALUES(1,1416,X'28B52FFD608804F50700C24E241880A9E920AD1F08BF0FDD2630C69552A69492B4FD2674A72C4431E6EEEEEEEE8CDE9955FD764B12CD9462F4EAEAEAEAEAEAEAEAEACA6EB7DBED76BBDD6E2F97CBE572B95C2E97DFF77DDFF77DDFD7344DD3344DD3344BA552A9542A954A250E87C3E170381C4E61993BB3AADF6E49A219A218539442068B42188EE400391C14040A80031908480A10168A84033120480280CFA871F086FDEFB0A382660C1020711E34DF6424200020002040200020001080033D088034FCD7FC3EB70E1A61A915031001020104401000600000210002101000280080040001040800F6D170C03430066C0153C0123204EC6030AB3F87A26254888DA001DF006CAB');
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
, removed INTEGER NOT NULL DEFAULT 0);
INSERT INTO "recording" VALUES(1,1,'small','small.csv','e94aa99fdb999473956691faa07e6a877b40f41fc469e2255f1dd3038b74b953',1.79564406396749949457e+09,NULL,100,0,100,990.0,'{"cells":0,"gaps":[],"guesses":[],"problems":[],"repairs":[],"step_A":0.1,"step_C":0.0,"step_V":0.001,"temperatures":0}','{"capacity_Ah":null,"conditions":"","hazard":false,"health_percent":null,"resistance_method":"","resistance_ohm":null,"version":555616}',0);
CREATE TABLE sample_chunk (
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  channel TEXT NOT NULL,
  chunk INTEGER NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (recording_id, channel, chunk)
) WITHOUT ROWID;
INSERT INTO "sample_chunk" VALUES(1,'current_A',0,X'01006400000028B52FFD6020024D000010020001001B2B8005');
INSERT INTO "sample_chunk" VALUES(1,'time_s',0,X'01006400000028B52FFD602002650000180014000200B840257E0258');
INSERT INTO "sample_chunk" VALUES(1,'voltage_V',0,X'01026400000028B52FFD602002650000188002000200B74025400AB0');
CREATE TABLE spot_reading (
  id INTEGER PRIMARY KEY,
  battery_id INTEGER NOT NULL REFERENCES battery(id) ON DELETE RESTRICT,
  kind TEXT NOT NULL,
  value REAL NOT NULL,
  resolution REAL NOT NULL DEFAULT 0,
  at_epoch_s REAL NOT NULL,
  details TEXT NOT NULL DEFAULT '{}'
);
CREATE TABLE step_edit (
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  action TEXT NOT NULL CHECK (action IN ('split', 'join', 'rename')),
  at_s REAL NOT NULL,
  kind TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (recording_id, position)
) WITHOUT ROWID;
CREATE INDEX recording_battery ON recording(battery_id);
CREATE INDEX correction_recording ON correction(recording_id);
CREATE INDEX spot_reading_battery ON spot_reading(battery_id);
CREATE INDEX change_part_change ON change_part(change_id);
CREATE TRIGGER journal_battery_insert AFTER INSERT ON battery WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'DELETE FROM battery WHERE id=' || quote(new.id) || '', 'INSERT INTO battery(id, name, chemistry, series, parallel, rated_Ah, mass_kg, card) VALUES (' || quote(new.id) || ', ' || quote(new.name) || ', ' || quote(new.chemistry) || ', ' || quote(new.series) || ', ' || quote(new.parallel) || ', ' || quote(new.rated_Ah) || ', ' || quote(new.mass_kg) || ', ' || quote(new.card) || ')');
END;
CREATE TRIGGER journal_battery_delete AFTER DELETE ON battery WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'INSERT INTO battery(id, name, chemistry, series, parallel, rated_Ah, mass_kg, card) VALUES (' || quote(old.id) || ', ' || quote(old.name) || ', ' || quote(old.chemistry) || ', ' || quote(old.series) || ', ' || quote(old.parallel) || ', ' || quote(old.rated_Ah) || ', ' || quote(old.mass_kg) || ', ' || quote(old.card) || ')', 'DELETE FROM battery WHERE id=' || quote(old.id) || '');
END;
CREATE TRIGGER journal_battery_update AFTER UPDATE ON battery WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'UPDATE battery SET name=' || quote(old.name) || ', chemistry=' || quote(old.chemistry) || ', series=' || quote(old.series) || ', parallel=' || quote(old.parallel) || ', rated_Ah=' || quote(old.rated_Ah) || ', mass_kg=' || quote(old.mass_kg) || ', card=' || quote(old.card) || ', revision=revision+1 WHERE id=' || quote(old.id) || '', 'UPDATE battery SET name=' || quote(new.name) || ', chemistry=' || quote(new.chemistry) || ', series=' || quote(new.series) || ', parallel=' || quote(new.parallel) || ', rated_Ah=' || quote(new.rated_Ah) || ', mass_kg=' || quote(new.mass_kg) || ', card=' || quote(new.card) || ', revision=revision+1 WHERE id=' || quote(new.id) || '');
END;
CREATE TRIGGER journal_step_edit_insert AFTER INSERT ON step_edit WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'DELETE FROM step_edit WHERE recording_id=' || quote(new.recording_id) || ' AND position=' || quote(new.position) || '', 'INSERT INTO step_edit(recording_id, position, action, at_s, kind) VALUES (' || quote(new.recording_id) || ', ' || quote(new.position) || ', ' || quote(new.action) || ', ' || quote(new.at_s) || ', ' || quote(new.kind) || ')');
END;
CREATE TRIGGER journal_step_edit_delete AFTER DELETE ON step_edit WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'INSERT INTO step_edit(recording_id, position, action, at_s, kind) VALUES (' || quote(old.recording_id) || ', ' || quote(old.position) || ', ' || quote(old.action) || ', ' || quote(old.at_s) || ', ' || quote(old.kind) || ')', 'DELETE FROM step_edit WHERE recording_id=' || quote(old.recording_id) || ' AND position=' || quote(old.position) || '');
END;
CREATE TRIGGER journal_step_edit_update AFTER UPDATE ON step_edit WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'UPDATE step_edit SET action=' || quote(old.action) || ', at_s=' || quote(old.at_s) || ', kind=' || quote(old.kind) || ' WHERE recording_id=' || quote(old.recording_id) || ' AND position=' || quote(old.position) || '', 'UPDATE step_edit SET action=' || quote(new.action) || ', at_s=' || quote(new.at_s) || ', kind=' || quote(new.kind) || ' WHERE recording_id=' || quote(new.recording_id) || ' AND position=' || quote(new.position) || '');
END;
CREATE TRIGGER journal_correction_insert AFTER INSERT ON correction WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'DELETE FROM correction WHERE id=' || quote(new.id) || '', 'INSERT INTO correction(id, recording_id, kind, value, uncertainty, from_s, to_s, name) VALUES (' || quote(new.id) || ', ' || quote(new.recording_id) || ', ' || quote(new.kind) || ', ' || quote(new.value) || ', ' || quote(new.uncertainty) || ', ' || quote(new.from_s) || ', ' || quote(new.to_s) || ', ' || quote(new.name) || ')');
END;
CREATE TRIGGER journal_correction_delete AFTER DELETE ON correction WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'INSERT INTO correction(id, recording_id, kind, value, uncertainty, from_s, to_s, name) VALUES (' || quote(old.id) || ', ' || quote(old.recording_id) || ', ' || quote(old.kind) || ', ' || quote(old.value) || ', ' || quote(old.uncertainty) || ', ' || quote(old.from_s) || ', ' || quote(old.to_s) || ', ' || quote(old.name) || ')', 'DELETE FROM correction WHERE id=' || quote(old.id) || '');
END;
CREATE TRIGGER journal_correction_update AFTER UPDATE ON correction WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'UPDATE correction SET recording_id=' || quote(old.recording_id) || ', kind=' || quote(old.kind) || ', value=' || quote(old.value) || ', uncertainty=' || quote(old.uncertainty) || ', from_s=' || quote(old.from_s) || ', to_s=' || quote(old.to_s) || ', name=' || quote(old.name) || ' WHERE id=' || quote(old.id) || '', 'UPDATE correction SET recording_id=' || quote(new.recording_id) || ', kind=' || quote(new.kind) || ', value=' || quote(new.value) || ', uncertainty=' || quote(new.uncertainty) || ', from_s=' || quote(new.from_s) || ', to_s=' || quote(new.to_s) || ', name=' || quote(new.name) || ' WHERE id=' || quote(new.id) || '');
END;
CREATE TRIGGER journal_spot_reading_insert AFTER INSERT ON spot_reading WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'DELETE FROM spot_reading WHERE id=' || quote(new.id) || '', 'INSERT INTO spot_reading(id, battery_id, kind, value, resolution, at_epoch_s, details) VALUES (' || quote(new.id) || ', ' || quote(new.battery_id) || ', ' || quote(new.kind) || ', ' || quote(new.value) || ', ' || quote(new.resolution) || ', ' || quote(new.at_epoch_s) || ', ' || quote(new.details) || ')');
END;
CREATE TRIGGER journal_spot_reading_delete AFTER DELETE ON spot_reading WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'INSERT INTO spot_reading(id, battery_id, kind, value, resolution, at_epoch_s, details) VALUES (' || quote(old.id) || ', ' || quote(old.battery_id) || ', ' || quote(old.kind) || ', ' || quote(old.value) || ', ' || quote(old.resolution) || ', ' || quote(old.at_epoch_s) || ', ' || quote(old.details) || ')', 'DELETE FROM spot_reading WHERE id=' || quote(old.id) || '');
END;
CREATE TRIGGER journal_spot_reading_update AFTER UPDATE ON spot_reading WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'UPDATE spot_reading SET battery_id=' || quote(old.battery_id) || ', kind=' || quote(old.kind) || ', value=' || quote(old.value) || ', resolution=' || quote(old.resolution) || ', at_epoch_s=' || quote(old.at_epoch_s) || ', details=' || quote(old.details) || ' WHERE id=' || quote(old.id) || '', 'UPDATE spot_reading SET battery_id=' || quote(new.battery_id) || ', kind=' || quote(new.kind) || ', value=' || quote(new.value) || ', resolution=' || quote(new.resolution) || ', at_epoch_s=' || quote(new.at_epoch_s) || ', details=' || quote(new.details) || ' WHERE id=' || quote(new.id) || '');
END;
CREATE TRIGGER journal_recording_insert AFTER INSERT ON recording WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'UPDATE recording SET removed=1, battery_id=NULL WHERE id=' || new.id, 'UPDATE recording SET removed=0, battery_id=' || quote(new.battery_id) || ' WHERE id=' || new.id);
END;
CREATE TRIGGER journal_recording_update AFTER UPDATE OF battery_id, title, removed ON recording WHEN (SELECT open FROM journal_state) > 0 BEGIN
INSERT INTO change_part(change_id, undo, redo) VALUES ((SELECT open FROM journal_state), 'UPDATE recording SET battery_id=' || quote(old.battery_id) || ', title=' || quote(old.title) || ', removed=' || quote(old.removed) || ' WHERE id=' || quote(old.id) || '', 'UPDATE recording SET battery_id=' || quote(new.battery_id) || ', title=' || quote(new.title) || ', removed=' || quote(new.removed) || ' WHERE id=' || quote(new.id) || '');
END;
