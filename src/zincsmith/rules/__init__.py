"""Published limits as data files, and their loader."""
