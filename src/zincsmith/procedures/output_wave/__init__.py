"""The wave of an output that alternates, recorded: orders and noise apart, halves that differ, tops that are cut."""
