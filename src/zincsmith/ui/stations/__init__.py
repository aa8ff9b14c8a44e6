"""The stations on the spine, in the order of the work."""
