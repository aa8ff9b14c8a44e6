"""What a person does at terminals of a unit that act on its volts: trim, and where its own sense leads go."""

from __future__ import annotations

from dataclasses import dataclass

SENSES = ("unit", "load", "open")
MOST_TRIM = 0.3  # of the volts, either way
MAKES_UP_V = 0.5  # of leads, at most
OPEN_SHARE = 0.03  # by how much volts rise along the resistors inside that stand in for open sense leads


@dataclass
class Wired:
    """``trim`` is a share of the volts; ``lead_ohm`` that of the leads to the load, both ways."""

    trim: float = 0.0
    sense: str = "unit"
    lead_ohm: float = 0.0

    def moved(self, volts: float, amps: float) -> float:
        """What a regulator makes of the volts that it is made for."""
        volts *= 1.0 + self.trim
        if self.sense == "open":
            return volts * (1.0 + OPEN_SHARE)
        return volts + min(MAKES_UP_V, self.lead_ohm * amps) if self.sense == "load" else volts
