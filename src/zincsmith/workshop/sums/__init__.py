"""A sum each: ``SPEC``."""
