"""A citizen of the desktop: what it needs to be found, opened by its books, and read about."""
