"""Dropout: the lowest input at which an output is still what it should be."""
