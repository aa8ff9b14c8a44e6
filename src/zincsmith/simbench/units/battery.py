"""A battery that is joined to an output: an open-circuit voltage that rises with what is in it, behind a resistance."""

from __future__ import annotations

from dataclasses import dataclass

EMPTY_V, RISES_V = 3.3, 0.9  # of a cell at nothing and what it rises by until it is full
BEND = 0.6  # of the rise: its exponent over the state of charge


@dataclass
class Battery:
    """``charge`` is the share of ``amp_hours`` that is in it; ``ohm`` of all cells, leads and fuse. ``reversed_``:
    joined the wrong way round."""

    cells: int
    amp_hours: float
    charge: float
    ohm: float
    reversed_: bool = False

    @property
    def open_V(self) -> float:
        """Without a current, as it stands at the output."""
        volts = self.cells * (EMPTY_V + RISES_V * float(min(1.0, max(0.0, self.charge)) ** BEND))
        return -volts if self.reversed_ else volts

    def takes_A(self, volts: float) -> float:
        """At volts of the output; what it would give back an output that only sources is left out."""
        return max(0.0, (volts - self.open_V) / self.ohm)

    def goes_on(self, seconds: float, amps: float) -> None:
        self.charge = min(1.0, self.charge + amps * seconds / 3600.0 / self.amp_hours)


def read_battery(text: str) -> Battery:
    """``CELLS AH CHARGE OHM``, with REVERSED after it where it is. ValueError for anything else."""
    cells, amp_hours, charge, ohm, *rest = text.split()
    if rest not in ([], ["REVERSED"]):
        raise ValueError(text)
    made = Battery(int(cells), float(amp_hours), float(charge), float(ohm), bool(rest))
    if not (1 <= made.cells <= 40 and 0.0 < made.amp_hours < 1e4 and 0.0 <= made.charge <= 1.0 and made.ohm > 0.0):
        raise ValueError(text)
    return made
