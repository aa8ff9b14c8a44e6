-- Samples of captures, a channel each, named by the hash of the samples; in pieces, so that a piece is read by itself,
-- and with the least and the greatest of every stretch, so that a long one is drawn without being read.
CREATE TABLE trace (
  id INTEGER PRIMARY KEY,
  sha256 TEXT NOT NULL UNIQUE,
  code TEXT NOT NULL,
  count INTEGER NOT NULL
);
CREATE TABLE chunk (
  trace INTEGER NOT NULL REFERENCES trace (id),
  n INTEGER NOT NULL,
  bytes BLOB NOT NULL,
  PRIMARY KEY (trace, n)
);
CREATE TABLE span (
  trace INTEGER NOT NULL REFERENCES trace (id),
  stretch INTEGER NOT NULL,
  bytes BLOB NOT NULL,
  PRIMARY KEY (trace, stretch)
);
