"""Soft leads: whether a unit starts, and stays, behind a resistance in its input lead."""
