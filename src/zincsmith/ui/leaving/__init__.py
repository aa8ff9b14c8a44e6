"""What leaves the book: as files, and on paper."""
