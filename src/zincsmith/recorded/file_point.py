"""What a file says at one point, before it is a reading of the book."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from zincsmith.model.capture import Capture
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import Line
from zincsmith.model.reading import Wave

if TYPE_CHECKING:
    from zincsmith.formats.packing import Packed

# The columns of readings by their published heads, each with its base unit.
BASES = {
    "load_percent": "percent",
    "input_voltage_V": "V",
    "input_current_A": "A",
    "input_power_W": "W",
    "power_factor": "",
    "output_voltage_V": "V",
    "output_current_A": "A",
    "case_temperature_degC": "degC",
}
QUANTITY = {name: name.rpartition("_")[0] for name in BASES if name not in ("load_percent", "power_factor")} | {
    "power_factor": "power_factor"
}
NEAR_PERCENT = 2.0  # of a load that is asked for
SAME_INPUT = 0.02


@dataclass(frozen=True)
class Value:
    """What a file says of one quantity: a number, or the mean of ``count`` with their standard deviation."""

    value: float
    text: str
    spread: float | None = None
    count: int = 1
    row: int | None = None


@dataclass(frozen=True)
class FilePoint:
    """One point; ``waves`` are named by the hash of their ``samples``, channels of ``captures`` by that of what is
    ``packed``."""

    at: OperatingPoint
    values: dict[str, Value]
    waves: tuple[Wave, ...] = ()
    samples: dict[str, bytes] = field(default_factory=dict)
    captures: tuple[Capture, ...] = ()
    packed: tuple[Packed, ...] = ()


def at_line(line: Line, load_percent: float) -> OperatingPoint:
    """Where a point of a file stands."""
    return OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(load_percent),))


def at_loads(line: Line, percents: Mapping[str, float]) -> OperatingPoint:
    """Where a point of a file with several outputs stands; ``percents`` by port."""
    draws = tuple(Draw(percent, port=port) for port, percent in percents.items())
    return OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), draws)
