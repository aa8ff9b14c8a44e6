-- Runs that came from another book and have another number here: under which numbers and revisions they were written.
-- Their events stay as they were sealed; whoever reads them reads the numbers of this book.
CREATE TABLE joined (
  run  INTEGER PRIMARY KEY,
  body TEXT NOT NULL
) STRICT;
