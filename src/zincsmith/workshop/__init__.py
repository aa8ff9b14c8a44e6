"""Sums of the workshop: worked out, never measured. Each is a file of its own in ``sums``."""
