"""Figures from recorded files: what ``zincsmith analyse`` prints, and what a file brings into a run."""
