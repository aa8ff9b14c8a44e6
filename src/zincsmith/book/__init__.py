"""The document on disk: one SQLite file, events first. See docs/book-format.md."""
