"""Hands go in during the work."""
