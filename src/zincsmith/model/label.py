"""What a printed label line says, item by item. Absent figures are None; volts in V, amps in A, watts in W."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.model.record import Record, Span


@dataclass(frozen=True)
class LabelInput:
    """``selector_V`` lists the positions of a range switch: it is not a range, and ``voltage_V`` is then None."""

    type: str  # ac or dc
    voltage_V: Span | None = None
    selector_V: tuple[float, ...] | None = None
    frequency_Hz: Span | None = None
    current_A: float | None = None
    power_W: float | None = None


@dataclass(frozen=True)
class Mode(Record):
    """One fixed mode of an output that offers several."""

    voltage_V: float
    current_A: float | None = None
    power_W: float | None = None


@dataclass(frozen=True)
class Programmable(Record):
    voltage_V: Span
    current_A: float | None = None


@dataclass(frozen=True)
class LabelOutput:
    """A fixed output has ``voltage_V`` (signed, or a span when adjustable); several modes stand in ``modes``."""

    name: str | None = None
    type: str = "dc"
    voltage_V: float | Span | None = None
    current_A: float | None = None
    power_W: float | None = None
    modes: tuple[Mode, ...] = ()
    programmable: tuple[Programmable, ...] = ()
    current_from_A: float | None = None  # of a range of amps that ends at ``current_A``


@dataclass(frozen=True)
class LabelFigure:
    """``what``: total_power, total_current, tolerance, load_regulation, line_regulation, ripple, no_load_power,
    temperature, or a figure that a word decides (formats/label_words.py); ``unit`` V, A, W, s, %, degC or 1. ``at_V``
    and the like: what it is printed to hold at; ``at_s`` how long a surge may last."""

    what: str
    value: float | Span | None
    unit: str
    ports: tuple[str, ...] | None = None
    each_W: tuple[float, ...] | None = None
    qualifier: str | None = None
    at_V: float | None = None
    at_Hz: float | None = None
    at_load_percent: float | None = None
    at_s: float | None = None


@dataclass(frozen=True)
class LabelMark:
    """A mark that is kept as it stands: class, protection code, efficiency level, apparent power."""

    text: str


LabelItem = LabelInput | LabelOutput | LabelFigure | LabelMark


NAMES = "a model, serial, lot or date: which piece it is, no rating"


@dataclass(frozen=True)
class Unread:
    """A stretch of the line, [start, end) in characters, that was not understood, and why."""

    text: str
    start: int
    end: int
    reason: str

    @property
    def figure(self) -> bool:
        """Whether a number stands in it that may be a rating; a word without one is a name, and so is a serial."""
        return self.reason != NAMES and any(c.isdecimal() for c in self.text)


@dataclass(frozen=True)
class LabelLine:
    text: str
    items: tuple[LabelItem, ...]
    unread: tuple[Unread, ...]
