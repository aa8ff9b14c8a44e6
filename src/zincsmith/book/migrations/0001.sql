-- The first form of the book. Events are the truth; run and reading are projections that can be rebuilt.
CREATE TABLE event (
  seq     INTEGER PRIMARY KEY,
  run     INTEGER,
  step    INTEGER,
  at      TEXT NOT NULL,
  bench_s REAL,
  kind    TEXT NOT NULL,
  v       INTEGER NOT NULL,
  body    TEXT NOT NULL
) STRICT;
CREATE INDEX event_run_kind ON event (run, kind);

CREATE TABLE document (
  kind   TEXT NOT NULL,
  key    TEXT NOT NULL,
  n      INTEGER NOT NULL,
  parent INTEGER,
  at     TEXT NOT NULL,
  why    TEXT NOT NULL,
  body   TEXT NOT NULL,
  PRIMARY KEY (kind, key, n)
) STRICT;

CREATE TABLE head (
  kind TEXT NOT NULL,
  key  TEXT NOT NULL,
  n    INTEGER NOT NULL,
  seq  INTEGER NOT NULL,
  PRIMARY KEY (kind, key)
) STRICT;

CREATE TABLE run (
  id        INTEGER PRIMARY KEY,
  unit      TEXT NOT NULL,
  unit_n    INTEGER NOT NULL,
  rig_n     INTEGER NOT NULL,
  plan_n    INTEGER NOT NULL,
  procedure TEXT NOT NULL,
  began     TEXT NOT NULL,
  ended     TEXT,
  outcome   TEXT
) STRICT;

CREATE TABLE reading (
  id       TEXT PRIMARY KEY,
  run      INTEGER NOT NULL,
  point    INTEGER NOT NULL,
  quantity TEXT NOT NULL,
  value    REAL,
  unit     TEXT NOT NULL,
  seq      INTEGER NOT NULL
) STRICT;
