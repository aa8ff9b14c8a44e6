"""Readings, points and the evidence that findings are worked out from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Literal, Protocol

from zincsmith.model.address import at_port, name_of, port_of
from zincsmith.model.capture import ByCursors, Capture, CaptureChannel
from zincsmith.model.operating_point import OperatingPoint
from zincsmith.model.rig import AcRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

WORKED_OUT = "worked out"  # from other readings of the same moment
FROM_FILE = "from a file"  # recorded elsewhere and taken in

WRITTEN = "written down"  # read outside a run and typed in by somebody


@dataclass(frozen=True)
class Reading:
    """One number taken, with what it takes to know how good it is.

    ``value`` is in ``unit``, None when it could not be read (``text`` says what was typed or why). ``spread``
    is the experimental standard deviation of ``count`` polls, None for a single reading. ``accuracy`` is the
    data-sheet row in force, as (range, reading %, range %, offset, resolution, noise, nonlinearity %).
    ``as_read`` is set once ``value`` was corrected for what the wiring adds, ``correction_u`` the signed standard
    uncertainty of that and ``correction_for`` its source (see analysis/corrections.py); the book holds what was read.
    """

    id: str
    quantity: str
    value: float | None
    unit: str
    role: str
    source: str  # instrument name
    how: str  # simulated, connected, by hand, worked out, from a file or written down
    range: float | None = None
    reading_percent: float = 0.0
    range_percent: float = 0.0
    offset: float = 0.0
    resolution: float = 0.0
    noise: float = 0.0
    nonlinearity_percent: float = 0.0
    known: bool = False  # whether any accuracy is declared
    spread: float | None = None
    count: int = 1
    text: str = ""
    port: str = ""  # of the unit, at which it was read; empty for the only one
    as_read: float | None = None
    correction_u: float = 0.0
    correction_for: str = ""
    # A null reading: read as a change, on a range of its own, from the reading ``against`` whose limit of error was
    # ``against_limit``; the accuracy above is that of the change.
    change: float | None = None
    against: str = ""
    against_limit: float = 0.0
    # What the rig says of the instrument, put in when a run is judged (analysis/data_sheet.py):
    identity: str = ""  # serial and date of calibration: errors cancel only within one
    transfer: float = 0.0  # limit by which readings of one range differ within transfer_min minutes
    transfer_min: float = 0.0
    phase_limit: float = 0.0  # W: limit of what the phase error of a power meter does to its watts
    ac: AcRange | None = None  # how an AC voltmeter reads
    phase_known: bool = False  # worked out from the fundamental of a record, no upper bound

    @property
    def number(self) -> float:
        """Its value, where the caller has seen that there is one; ValueError else: a bug."""
        if self.value is None:
            raise ValueError(f"{self.address} was not read")
        return self.value

    @property
    def address(self) -> str:
        """Its quantity and the port it was read at."""
        return at_port(self.quantity, self.port)

    @property
    def place(self) -> str:
        """The role that read it, and the port it is at."""
        return at_port(self.role, self.port)


@dataclass(frozen=True)
class Wave:
    """One channel of a record as the book keeps it: ``count`` samples ``step_s`` apart, each code times ``scale`` in
    ``unit``. ``sha256`` names the samples, little-endian in the form of ``code``: 16-bit integers, or 64-bit floats.
    """

    quantity: str
    unit: str
    step_s: float
    count: int
    scale: float
    sha256: str
    role: str
    source: str
    code: Literal["i2", "f8"] = "i2"


@dataclass(frozen=True)
class Point:
    """The readings taken together at one operating point.

    ``number`` counts through the run, ``part`` is the procedure's place in the plan, ``take`` counts how often this
    point was taken.
    """

    number: int
    at: OperatingPoint
    readings: tuple[Reading, ...]
    bench_s: float
    settled: bool | None = None
    part: int = 0
    take: int = 1
    waves: tuple[Wave, ...] = ()
    captures: tuple[Capture, ...] = ()
    held_s: float | None = None  # how long source and load had stood so; put in when a run is judged

    def get(self, quantity: str) -> Reading | None:
        """The reading of a quantity, given by its address: the bare name is that at the only port."""
        name, port = name_of(quantity), port_of(quantity)
        return next((r for r in self.readings if r.quantity == name and r.port == port), None)

    def need(self, quantity: str) -> Reading:
        """The same, where the caller has seen that it is there; ValueError else: a bug."""
        reading = self.get(quantity)
        if reading is None:
            raise ValueError(f"point {self.number} says nothing of {quantity}")
        return reading

    def with_captures_for(self, procedure: str) -> Point:
        """The point without the captures that were taken for another procedure."""
        mine = tuple(c for c in self.captures if c.of == procedure)
        return self if len(mine) == len(self.captures) else replace(self, captures=mine)

    def seen_from(self, port: str) -> Point:
        """The point as the figures of one port look at it: what was read and drawn there without the name of the port,
        what was read of the unit as a whole with it, and nothing of the other ports but what was drawn from them."""
        if not port:  # the only one: it sees everything as it stands
            return self
        mine = tuple(replace(r, port="") for r in self.readings if r.port in ("", port))
        return replace(self, at=self.at.seen_from(port), readings=mine)


class Samples(Protocol):
    """Where the samples of captures are fetched from, piece by piece."""

    def read(self, channel: CaptureChannel, start: int = 0, stop: int | None = None) -> NDArray[np.float64]:
        """In the unit of the channel. BookError where they are gone or damaged."""
        ...

    def drawn(
        self, channel: CaptureChannel, count: int, begin_s: float, step_s: float, columns: int
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(s, values) of a line through the least and the greatest of each of at most so many stretches."""
        ...


@dataclass(frozen=True)
class Evidence:
    """Everything findings may use. ``complete`` is False when the run, or the part of it, ended early.

    ``earlier`` are the points of parts that came before. ``procedures`` names the parts of the plan in order,
    ``ended`` those that were carried out to their end. ``samples`` are the bytes that waves name by their hash.
    """

    points: tuple[Point, ...]
    complete: bool
    ambient_degC: float | None = None
    procedures: tuple[str, ...] = ()
    ended: tuple[int, ...] = ()
    earlier: tuple[Point, ...] = ()
    samples: Mapping[str, bytes] = field(default_factory=dict, repr=False)
    traces: Samples | None = field(default=None, repr=False, compare=False)  # fetched when a figure touches them
    cursors: tuple[ByCursors, ...] = ()  # what people read off captures
    overridden: tuple[tuple[int, str], ...] = ()  # (part, words) of stop rules that a person went beyond
    not_its_own: tuple[str, ...] = ()  # what was lifted or cut in the unit: its start is not judged
    # What each procedure contributes, once it was asked for.
    _parts_of: dict[str, Evidence] = field(default_factory=dict, init=False, repr=False, compare=False)

    def of_part(self, part: int) -> Evidence:
        """What one part of the plan contributes."""
        points = tuple(p for p in self.points if p.part == part)
        mine = {p.at.configuration for p in points}
        earlier = tuple(p for p in self.points if p.part < part and (p.at.configuration in mine or not mine))
        return replace(self, points=points, earlier=earlier, complete=self.complete or part in self.ended)

    @property
    def configurations(self) -> tuple[str, ...]:
        """Those that the unit was put into during the plan, in their order; none where it stayed what it was."""
        return tuple(dict.fromkeys(p.at.configuration for p in self.points if p.at.configuration))

    def of_configuration(self, name: str) -> Evidence:
        """What was read of the unit in one configuration; everything, where none is named."""
        if not name:
            return self
        return replace(self, points=tuple(p for p in self.points if p.at.configuration in ("", name)))

    def by(self, procedure: str) -> Evidence:
        """What every part of one procedure contributes, and captures that were taken for it in parts of others;
        everything, when no parts are named."""
        if not self.procedures:
            return self
        if procedure not in self._parts_of:
            self._parts_of[procedure] = self._by(procedure)
        return self._parts_of[procedure]

    def _by(self, procedure: str) -> Evidence:
        mine = {n for n, name in enumerate(self.procedures) if name == procedure}
        ridden = {p.part for p in self.points if any(c.of == procedure for c in p.captures)}
        own = self.captured_for(procedure).points
        points = tuple(p for p in own if p.part in mine or p.captures)
        return replace(self, points=points, complete=self.complete or (mine | ridden) <= set(self.ended))

    @property
    def riders(self) -> tuple[str, ...]:
        """The procedures that captures were taken for."""
        return tuple(dict.fromkeys(c.of for p in self.points for c in p.captures))

    def captured_for(self, procedure: str) -> Evidence:
        """With the captures that were taken for one procedure alone."""
        if set(self.riders) <= {procedure}:
            return self
        return replace(self, points=tuple(p.with_captures_for(procedure) for p in self.points))
