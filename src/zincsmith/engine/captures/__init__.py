"""Captures of a run: by wire, and with a scope that a person sets."""
