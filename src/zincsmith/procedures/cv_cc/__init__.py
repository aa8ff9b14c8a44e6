"""Outputs that are set: what they give against what they were set to and what they show, in volts and in amps."""
