"""Instruments: roles, links, dialects, meters read by hand, clock, make-safe."""
