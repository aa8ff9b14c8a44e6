"""A battery charged by an output that its user sets."""
