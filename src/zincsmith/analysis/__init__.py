"""The arithmetic: pure functions on arrays and records. No Qt, no files, no sockets, no clock."""
