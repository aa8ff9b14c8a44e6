"""Drift: what an output does over hours at one setting, one load and one line."""
