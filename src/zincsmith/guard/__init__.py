"""Whoever watches over the process that runs a bench, and switches it off in its place."""
