"""Drawn benches of the sums, and their shelf."""
