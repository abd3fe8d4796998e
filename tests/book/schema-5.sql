-- Schema 5 as it was: a battery and a recording with its stored readings, both in the journal.
PRAGMA application_id = 1313554993;
PRAGMA user_version = 5;
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
INSERT INTO "battery" VALUES(1,1,'Spare pack','nmc',1,1,2.0,0.0,'{}');
CREATE TABLE change (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  label TEXT NOT NULL,
  at_s REAL NOT NULL,
  undone INTEGER NOT NULL DEFAULT 0
);
INSERT INTO "change" VALUES(1,'["add","Spare pack"]',1.79568883807599401474e+09,0);
INSERT INTO "change" VALUES(2,'["add","small"]',1.79568883808098292355e+09,0);
CREATE TABLE change_part (
  position INTEGER PRIMARY KEY AUTOINCREMENT,
  change_id INTEGER NOT NULL REFERENCES change(id) ON DELETE CASCADE,
  place TEXT NOT NULL,
  before TEXT,
  after TEXT
);
INSERT INTO "change_part" VALUES(1,1,'battery',NULL,'id=1,name=''Spare pack'',chemistry=''nmc'',series=1,parallel=1,rated_Ah=2.0,mass_kg=0.0,card=''{}''');
INSERT INTO "change_part" VALUES(2,2,'recording','id=1,battery_id=NULL,removed=1,instrument_id=NULL,charger_id=NULL','id=1,battery_id=1,removed=0,instrument_id=NULL,charger_id=NULL');
CREATE TABLE charger (
  id INTEGER PRIMARY KEY,
  revision INTEGER NOT NULL DEFAULT 1,
  name TEXT NOT NULL CHECK (length(name) > 0),
  card TEXT NOT NULL DEFAULT '{}'
);
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
CREATE TABLE counter (
  name TEXT PRIMARY KEY,
  value INTEGER NOT NULL
) WITHOUT ROWID;
INSERT INTO "counter" VALUES('revision',1);
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
INSERT INTO "finding" VALUES(1,0,'note','coarse_log','The current is logged in steps of 1.00 A: too coarse to see a taper to C/20.',0.0,590.0);
CREATE TABLE instrument (
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
CREATE TABLE original (
  recording_id INTEGER PRIMARY KEY REFERENCES recording(id) ON DELETE CASCADE,
  size INTEGER NOT NULL,
  bytes BLOB NOT NULL
);
INSERT INTO "original" VALUES(1,868,X'28B52FFD606402250700D2CB1F198029690368E78F08BF3E01638939D9BDB9B2A743142366B0F763627AB171B171B171B1F1FFFFBF4F5B6A79F8E3A5692D927DB4A596873F5E9AD626D9465B6A79F8E3A569AD925DB4A596873F5E9AD66E316222BB1C6DA9E5B89081F8F0C74BD35AD398D8548E780EC471501886820001208A8180A300618124108501C11173A831CC1B4AED77B093248D01103053E601DD46D1FE8B5D32211BB103C1D5EE632F853CB5250D295B1222614B4DE4D7128BA4ADC15FF66EEE4C803332999413CAE02A7766EE0E80929AC99851C1498BDF1151BCB7018BF643223DDA95D9DBCE5601');
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
, removed INTEGER NOT NULL DEFAULT 0, instrument_id INTEGER REFERENCES instrument(id), charger_id INTEGER REFERENCES charger(id));
INSERT INTO "recording" VALUES(1,1,'small','small.csv','d5104ce82ebfa4c6a15f765cd9db00272ca3eaf4d062abbaf78100af95a0ba17',1.79568883807655668262e+09,NULL,60,0,60,590.0,'{"cells":0,"gaps":[],"guesses":[],"problems":[],"repairs":[],"step_A":1.0,"step_C":0.0,"step_V":0.001,"temperatures":0}','{"capacity_Ah":null,"floor_V_per_cell":null,"hazard":false,"health_percent":null,"highest_C":null,"mean_A":null,"moved_Ah":0.12222222222222222,"rate_C":null,"resistance_method":"","resistance_ohm":null}',0,NULL,NULL);
CREATE TABLE sample_chunk (
  recording_id INTEGER NOT NULL REFERENCES recording(id) ON DELETE CASCADE,
  channel TEXT NOT NULL,
  chunk INTEGER NOT NULL,
  data BLOB NOT NULL, checksum BLOB,
  PRIMARY KEY (recording_id, channel, chunk)
) WITHOUT ROWID;
INSERT INTO "sample_chunk" VALUES(1,'current_A',0,X'01003C00000028B52FFD60E0007D00003000000100020003500200A96AB002',X'CB64A70245C36459032E3A928B0C8F2C');
INSERT INTO "sample_chunk" VALUES(1,'time_s',0,X'01003C00000028B52FFD60E000650000180014000200A040153F0116',X'3E7B3DD71FCE15F2067826F16FBAE66A');
INSERT INTO "sample_chunk" VALUES(1,'voltage_V',0,X'01023C00000028B52FFD60E0006D0000203401030002009F40C53F0116',X'C3C00556994A6097552CB7DDA199F6C6');
CREATE TABLE setting (
  name TEXT PRIMARY KEY,
  value TEXT NOT NULL
) WITHOUT ROWID;
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
  kind TEXT NOT NULL DEFAULT '', made TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (recording_id, position)
) WITHOUT ROWID;
CREATE TABLE study (
  recording_id INTEGER PRIMARY KEY REFERENCES recording(id) ON DELETE CASCADE,
  fingerprint TEXT NOT NULL,
  problem TEXT NOT NULL DEFAULT '',
  strength BLOB
);
INSERT INTO "study" VALUES(1,'78043fbbc3fa1365a69abb2d','',X'310000000000000028B52FFD20312D0100F88801808080808440404081F97E0080828089F97E00FA00000000FA404000000100F51C13');
CREATE INDEX recording_battery ON recording(battery_id);
CREATE INDEX correction_recording ON correction(recording_id);
CREATE INDEX spot_reading_battery ON spot_reading(battery_id);
CREATE INDEX change_part_change ON change_part(change_id);
CREATE INDEX meter_check_instrument ON meter_check(instrument_id);
CREATE INDEX recording_instrument ON recording(instrument_id);
CREATE INDEX recording_charger ON recording(charger_id);
INSERT INTO reading VALUES(1,0,'delivered_capacity',1,1.23,0.01,1.21,1.25,'Ah','coulomb_counting',60.0,500.0,1,'{}');
