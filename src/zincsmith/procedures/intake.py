"""How a recorded file becomes points of a procedure, or figures by itself: each procedure says it for its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from zincsmith.model.commands import FileRequest
from zincsmith.model.errors import InputError
from zincsmith.model.plan import Line, Options
from zincsmith.model.unit import Unit

if TYPE_CHECKING:
    from zincsmith.formats.columns import Columns
    from zincsmith.recorded.file_point import FilePoint
    from zincsmith.recorded.result import Analysed


@dataclass(frozen=True)
class TakenAt:
    """What is known beside the file: the unit, the lines it is tested at, and the name of what recorded it."""

    unit: Unit
    lines: tuple[Line, ...]
    recorded_by: str


@dataclass(frozen=True)
class Taken:
    """Points of a file, what the procedure would have been asked for to take them, and notes about them."""

    points: list[FilePoint]
    options: Options
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class FigureRequest:
    """What is said about a file whose figures are wanted without a book: columns by their heads, how standby is
    averaged, the ratings, and how good each column is (a TOML file); of ripple a record of the background, the limit of
    the bandwidth and the frequency of the line; of steps, turn-on, hold-up and shorts the nominal volts, the threshold,
    the band and what it lies about, and when the input came."""

    time: str = "time_s"
    voltage: str = "voltage_V"
    current: str = "current_A"
    power: str = "power_W"
    method: str = "sampling"
    rated_power_W: float | None = None
    rated_voltage_V: float | None = None
    accuracy: Path | None = None
    background: Path | None = None
    bandwidth_Hz: float = 20e6
    line_Hz: float | None = None
    nominal_V: float | None = None
    threshold: str = ""
    band: str = "1%"
    about: str = "nominal"
    start_s: float | None = None
    input: str = "input_V"
    output: str = "output_V"
    rated_current_A: float | None = None
    tolerance_percent: float = 5.0
    ambient_degC: float | None = None
    limit_degC: float | None = None


class Intake:
    """A kind of file that a procedure takes in. ``kind`` is its published name, ``words`` what a screen calls it;
    ``wanted`` are the columns that it may have, with words; where all of ``tells`` are there, a file is most likely of
    this kind. ``files``: how many at most make one record. ``asks_load``: the file does not say its load.
    ``line_for``: what a line is said for, where the file says its volts. ``written``: there is no file, somebody
    writes it down. ``evidence``: it becomes points of a run; else its figures are worked out and no more."""

    kind: ClassVar[str]
    words: ClassVar[str]
    wanted: ClassVar[Mapping[str, str]]
    tells: ClassVar[tuple[str, ...]] = ()
    files: ClassVar[int] = 1
    asks_load: ClassVar[bool] = False
    line_for: ClassVar[str] = ""
    written: ClassVar[bool] = False
    evidence: ClassVar[bool] = True

    def points(self, found: Columns, asked: FileRequest, at: TakenAt) -> Taken:
        """The points. InputError for what is no such file."""
        raise NotImplementedError

    def figures(self, found: Columns, asked: FigureRequest) -> Analysed:
        """Figures of the file alone. InputError for what is no such file."""
        raise NotImplementedError


def line_of(asked: FileRequest) -> Line:
    """The line that was named. InputError where none was."""
    if asked.line is None:
        raise InputError("the file does not say at which line it was recorded: name it, such as 230 50", key="line")
    return asked.line
