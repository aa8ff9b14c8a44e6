-- Waveforms: the samples of a record, once each, by the hash of what they are before they are compressed.
CREATE TABLE wave (
  sha256 TEXT PRIMARY KEY,
  bytes  BLOB NOT NULL
) STRICT;
-- Files that were taken in as evidence, as they were.
CREATE TABLE source (
  sha256 TEXT PRIMARY KEY,
  name   TEXT NOT NULL,
  at     TEXT NOT NULL,
  bytes  BLOB NOT NULL
) STRICT;
