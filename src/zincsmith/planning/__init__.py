"""Which procedures in which order, what bounds them, what a rehearsal lets expect. No instrument is touched here."""
