-- What a log shows, in order of time: everything but the bulk of a run. A screen fetches what is seen.
CREATE INDEX event_told ON event (seq) WHERE kind NOT IN ('Polled', 'Intended', 'WatchSet');
