"""Captures: what a scope, or a file that one saved, recorded of several channels at one moment."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from zincsmith.model.address import at_port

Code = Literal["i1", "i2", "i4"]
TIMES = ((1.0, "s"), (1e-3, "ms"), (1e-6, "µs"), (1e-9, "ns"))  # in which a stretch of time is told


def time_unit(seconds: float) -> tuple[float, str]:
    """(what one of it is in s, how it is written) of the unit in which a stretch of time is told."""
    return next(((s, u) for s, u in TIMES if abs(seconds) >= s), TIMES[-1])


@dataclass(frozen=True)
class Trigger:
    """What the record was started by: the address of a quantity, the level in its unit, and the direction."""

    source: str
    level: float
    slope: Literal["rising", "falling", "either"] = "rising"


@dataclass(frozen=True)
class CaptureChannel:
    """One channel. A sample is ``offset`` plus its code times ``scale``, in ``unit``, at the tip of the probe:
    ``attenuation`` is taken off already. ``sha256`` names the codes, little-endian integers of the form ``code``.

    ``ground`` says how the ground of the probe is made, ``impedance_ohm`` what it ends in; ``bandwidth_Hz`` the limit
    that was set; ``deskew_s`` by how much the channel was moved; ``clipped`` the share of samples at an end of the
    range; ``span`` the volts from end to end of it. ``reading_percent``, ``range_percent`` (of ``span``) and
    ``offset_limit`` are the data sheet's limits, ``known`` whether there are any.
    """

    quantity: str
    unit: str
    sha256: str
    scale: float
    offset: float = 0.0
    code: Code = "i2"
    port: str = ""
    attenuation: float = 1.0
    coupling: Literal["", "DC", "AC"] = ""
    bandwidth_Hz: float | None = None
    ground: str = ""
    impedance_ohm: float | None = None
    deskew_s: float = 0.0
    clipped: float = 0.0
    span: float | None = None
    quantum: float = 0.0
    reading_percent: float = 0.0
    range_percent: float = 0.0
    offset_limit: float = 0.0
    known: bool = False

    @property
    def address(self) -> str:
        return at_port(self.quantity, self.port)


BEFORE = " before"  # ends the name of what stood before
OFF_BEFORE, ON_BEFORE = f"off{BEFORE}", f"on{BEFORE}"  # how long the input had stood so before what the record is of
WORKED_OUT = "worked out"  # before the name of a figure among what was said with a capture: known at once
Measure = Literal["time", "change", "span"]


@dataclass(frozen=True)
class Cursors:
    """What a person reads off a capture between two cursors: the time, the change of a channel from the first to the
    second, or its span from least to greatest between them.

    ``point``, ``take`` and ``capture`` (from 0) say which capture of a run, ``address`` which of its channels;
    ``grain_s`` is how finely they could be placed: a sample, or a column of the view, whichever is wider. ``beside``
    names the finding of the program that it stands beside, empty for none.
    """

    point: int
    take: int
    measure: Measure
    first_s: float
    second_s: float
    grain_s: float
    reason: str
    address: str = ""
    capture: int = 0
    beside: str = ""


@dataclass(frozen=True)
class ByCursors:
    """Cursors and whose they are."""

    cursors: Cursors
    by: str


@dataclass(frozen=True)
class Capture:
    """``count`` samples ``step_s`` apart on each of the channels, the trigger after ``before`` of them.

    ``of`` is the procedure whose figures it is for; ``clock_percent`` the limit of error of the sample clock. ``how``
    is as for a reading, ``file`` the name of the file it came in, ``instrument`` what recorded it. ``said`` is what was
    chosen where schools differ: threshold, band, what it lies about, bandwidth, when the input came.
    """

    of: str
    channels: tuple[CaptureChannel, ...]
    step_s: float
    count: int
    before: int = 0
    trigger: Trigger | None = None
    instrument: str = ""
    how: str = ""
    file: str = ""
    clock_percent: float = 0.0
    said: dict[str, str] = field(default_factory=dict)

    @property
    def begin_s(self) -> float:
        """When the first sample was taken, the trigger at zero."""
        return -self.before * self.step_s

    def channel(self, address: str) -> CaptureChannel | None:
        return next((c for c in self.channels if c.address == address), None)
