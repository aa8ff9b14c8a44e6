-- Evidence is sealed: each event carries the digest of the chain of its run up to it, each document that of its body.
-- What was written before has none and reads not sealed. From here on no stored body is ever rewritten.
ALTER TABLE event ADD COLUMN digest TEXT;
ALTER TABLE document ADD COLUMN sha256 TEXT;
ALTER TABLE run ADD COLUMN digest TEXT;
CREATE INDEX event_run ON event (run, seq);
