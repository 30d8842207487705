BEGIN TRANSACTION;
CREATE TABLE carried(
  "key" TEXT,
  stage TEXT,
  choice TEXT,
  text TEXT,
  who TEXT,
  why TEXT,
  time REAL,
  entry INT
);
CREATE TABLE decisions (
    key TEXT PRIMARY KEY, stage TEXT NOT NULL, choice TEXT NOT NULL, text TEXT NOT NULL,
    who TEXT NOT NULL, why TEXT NOT NULL, time REAL NOT NULL, entry INTEGER NOT NULL);
INSERT INTO "decisions" VALUES('survey:baseline','Survey','without','','test','no time',1.79601740779814934723e+09,0);
CREATE TABLE facts (name TEXT PRIMARY KEY, value TEXT NOT NULL);
INSERT INTO "facts" VALUES('setup','{"project": "{folder}/candle", "profile": "{folder}/profiles/wick.profile.toml", "shelves": ["{folder}/shelf"], "start": "1.4", "stops": ["2.0"], "leg": 0, "members": [], "original": ""}');
INSERT INTO "facts" VALUES('start','"20261130-054327690654-1c5b52"');
INSERT INTO "facts" VALUES('leg 0 plugins said','{"snuffer 1": ">=1, <2"}');
INSERT INTO "facts" VALUES('snapshot','"20261130-054327943940-6dd434"');
INSERT INTO "facts" VALUES('log build','"{folder}/home/crossings/candle-2a7bcd6e17/logs/1796017408309-build.log"');
INSERT INTO "facts" VALUES('leg 0 rounds','[{"number": 1, "passed": false, "elapsed_s": 0.31867190500088327, "errors": {"own": 3}, "warnings": 0, "causes": {"missing member:wick:light_up": 3}}]');
INSERT INTO "facts" VALUES('leg 0 last build','{"log": "{folder}/home/crossings/candle-2a7bcd6e17/logs/1796017408309-build.log", "passed": false, "fingerprint": "0499e86b24781fc5", "release": "2.0", "snapshot": "20261130-054327943940-6dd434"}');
INSERT INTO "facts" VALUES('sure from','0.8');
INSERT INTO "facts" VALUES('leg 0 put off','["some cause"]');
CREATE TABLE logbook (
    id INTEGER PRIMARY KEY AUTOINCREMENT, time REAL NOT NULL, stage TEXT NOT NULL, title TEXT NOT NULL,
    why TEXT NOT NULL, about TEXT NOT NULL, snapshot TEXT NOT NULL, changes TEXT, state TEXT NOT NULL);
INSERT INTO "logbook" VALUES(1,1.79601740776011252398e+09,'Route','target 2.0 chosen, from 1.4','','route','',NULL,'done');
INSERT INTO "logbook" VALUES(2,1.79601740782005143168e+09,'Survey','decided: survey:baseline · without','no time','survey:baseline','',NULL,'done');
INSERT INTO "logbook" VALUES(3,1.79601740786368799206e+09,'Engine','1 place now names 2.0','the target is 2.0','engine','20261130-054327690654-1c5b52','[["candle.ini", ["file", 420, "f22dda95edc2a713c20e3ec0e435f975ebee103398d03d6bc51dfd003a85d94b", 33], ["file", 420, "b540aee695e0b58714efc251e00a588d87960d74bf708fe1ce6b6b178e941080", 33]]]','done');
INSERT INTO "logbook" VALUES(4,1.79601740838411092762e+09,'Build','round 1 · 3 errors from 1 cause · 0.32 s','','round','',NULL,'done');
CREATE TABLE writes (
    id INTEGER PRIMARY KEY AUTOINCREMENT, entry INTEGER NOT NULL, is_forward INTEGER NOT NULL, latest INTEGER NOT NULL);
INSERT INTO "writes" VALUES(1,3,1,3);
CREATE INDEX carried_by ON carried (entry);
DELETE FROM "sqlite_sequence";
INSERT INTO "sqlite_sequence" VALUES('logbook',4);
INSERT INTO "sqlite_sequence" VALUES('writes',1);
COMMIT;