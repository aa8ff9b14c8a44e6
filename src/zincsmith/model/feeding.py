"""What a supply must feed: a record of its own, that units are matched to before anything else is weighed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zincsmith.model.record import Record


@dataclass(frozen=True)
class Duty(Record):
    """So many hours of a day at so many amps; zero amps: plugged in, nothing drawn."""

    hours: float
    current_A: float


@dataclass(frozen=True)
class Feeding(Record):
    """``lowest_V`` at any instant; ``modes_V`` of a port that is asked for volts. ``tariff`` is a kilowatt-hour in
    ``currency``; ``line_V`` the mains that it stands at, None the one that was measured most."""

    name: str
    voltage_V: float
    current_A: float
    lowest_V: float | None = None
    highest_V: float | None = None
    plug: str = ""
    polarity: Literal["", "centre positive", "centre negative"] = ""
    modes_V: tuple[float, ...] = ()
    quiet: bool = False
    duty: tuple[Duty, ...] = ()
    tariff: float = 0.3
    currency: str = ""
    years: float = 5.0
    line_V: float | None = None
