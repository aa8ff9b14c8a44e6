"""Zincsmith: characterizes power supplies on the bench and compares them with their ratings."""

__version__ = "0.2.0"
