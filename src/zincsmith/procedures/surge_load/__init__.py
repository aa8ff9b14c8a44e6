"""Surge: what an output gives for a moment beyond its rating, as its plate says."""
