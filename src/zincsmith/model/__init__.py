"""The frozen records that people and files speak about. Imports nothing of ours but its own files."""
