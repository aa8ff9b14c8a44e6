"""Capacitors of a unit read one by one, against their markings: before a repair, and after it."""
