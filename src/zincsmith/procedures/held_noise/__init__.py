"""Noise of amps that an output holds."""
