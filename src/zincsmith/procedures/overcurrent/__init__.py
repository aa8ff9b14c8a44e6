"""Overcurrent: what a supply does when more is asked of it than it gives."""
