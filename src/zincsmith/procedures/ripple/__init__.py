"""Ripple and noise of an output."""
