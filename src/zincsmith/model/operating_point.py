"""Where a unit stood when it was read: what each port was fed with, what was drawn from it, in which mode and state.

A finding and a claim carry one too, with what they speak of alone: what it leaves open is None or absent.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from typing import Any, Literal, get_args

from zincsmith.model.errors import InputError

LoadLaw = Literal["CC", "CR", "CV", "CP"]
LAWS: tuple[LoadLaw, ...] = get_args(LoadLaw)
OF_LAW: dict[str, str] = {"CC": "A", "CR": "ohm", "CV": "V", "CP": "W"}
LAW_WORDS: dict[str, str] = {
    "CC": "constant current", "CR": "constant resistance", "CV": "constant voltage", "CP": "constant power",
}  # fmt: skip


class Thermal(StrEnum):
    """Whether the unit had been warmed before; empty is not said."""

    NOT_SAID = ""
    COLD = "cold"


class Purpose(StrEnum):
    """Why a point was taken, where it is not one of the grid itself."""

    AGAIN = "again"  # a load that was taken before at this line, repeated for what drifts
    TURN = "turn"  # one of two loads taken back and forth
    LINE_TURN = "line turn"  # likewise, one of two lines
    BACKGROUND_BEFORE = "background before"
    BACKGROUND_AFTER = "background after"
    START = "start"  # a step of the search for where it starts
    STOP = "stop"
    RISING = "rising"  # load in steps upwards
    FALLING = "falling"
    CLOSING_RISING = "closing, rising"  # closer to a jump, from below
    CLOSING_FALLING = "closing, falling"

    @property
    def graded(self) -> bool:
        """Whether it may stand for a point of a grid: not a repeat and not one of a turn."""
        return self not in (Purpose.AGAIN, Purpose.TURN, Purpose.LINE_TURN)


@dataclass(frozen=True)
class SetPoint:
    """What an output that can be set stands at: its volts, the most current it may give, whether it is on; and where
    its over-voltage protection is set to, where that was set."""

    voltage_V: float
    current_A: float
    on: bool = True
    trip_V: float | None = None

    def at(self, volts: float = 1.0, amps: float = 1.0) -> SetPoint:
        """A share of both."""
        return replace(self, voltage_V=volts * self.voltage_V, current_A=amps * self.current_A)

    def __str__(self) -> str:
        return f"{self.voltage_V:.4g} V, at most {self.current_A:.4g} A" if self.on else "output off"


Mode = str | SetPoint  # a mode by its name, or what was set


def feed_words(voltage_V: float, frequency_Hz: float | None) -> str:
    """What an input is fed with: *230 V 50 Hz*, *12 V DC*; where nobody stated a frequency the volts alone."""
    if frequency_Hz is None:
        return f"{voltage_V:g} V"
    return f"{voltage_V:g} V {frequency_Hz:g} Hz" if frequency_Hz else f"{voltage_V:g} V DC"


@dataclass(frozen=True)
class Feed:
    """What a port was fed with: V rms and Hz, 0 Hz for direct current; None is left open."""

    voltage_V: float | None = None
    frequency_Hz: float | None = None
    port: str = ""


@dataclass(frozen=True)
class Draw:
    """What was drawn from a port: the share of its rating in percent, and the level as set, in the unit of its law.

    ``asked_percent``: the share that had been asked for, where what could be set gave another.
    """

    share_percent: float | None = None
    level: float | None = None
    law: LoadLaw = "CC"
    port: str = ""
    asked_percent: float | None = None

    @property
    def words(self) -> str:
        by_law = "" if self.law == "CC" else f", {LAW_WORDS[self.law]}"
        said = "" if self.share_percent is None else f"{self.share_percent:g} % load{by_law}"
        if not said and self.level is not None:
            said = f"{self.level:g} {OF_LAW[self.law]}"
        return f"{self.port} {said}" if self.port else said


@dataclass(frozen=True)
class OperatingPoint:
    """``feeds`` and ``draws`` are by port, the one that the point is about first. ``modes``: (port, mode).

    ``step`` and ``step_number`` say which step of a search, of turns or of a background it is; ``after_step_s`` how
    long after a step of the load, before anything settled; ``elapsed_s`` how long after the recording began.
    ``configuration`` names how the unit was built then. ``stated`` are figures somebody stated for this point.
    """

    feeds: tuple[Feed, ...] = ()
    draws: tuple[Draw, ...] = ()
    modes: tuple[tuple[str, Mode], ...] = ()
    state: Thermal = Thermal.NOT_SAID
    step: Purpose | None = None
    step_number: int = 0
    after_step_s: float | None = None
    elapsed_s: float | None = None
    configuration: str = ""
    about: str = ""  # the output whose load was varied, of several; empty: all alike, or there is one
    stated: tuple[tuple[str, float], ...] = field(default=())

    # What it is about

    @property
    def feed(self) -> Feed:
        """Of the first input; one with everything open where none is stated."""
        return self.feeds[0] if self.feeds else Feed()

    @property
    def draw(self) -> Draw:
        """Of the output that it is about, of all alike the first; one with everything open where none is stated."""
        return self.draws[0] if self.draws else Draw()

    @property
    def line_V(self) -> float:
        """InputError where no input is stated."""
        return _stated(self.feed.voltage_V, "input volts")

    @property
    def frequency_Hz(self) -> float:
        """InputError where none is stated."""
        return _stated(self.feed.frequency_Hz, "frequency")

    @property
    def load_percent(self) -> float:
        """InputError where no load is stated."""
        return _stated(self.draw.share_percent, "load")

    @property
    def line(self) -> tuple[float | None, float | None]:
        """(V, Hz) of the first input."""
        return self.feed.voltage_V, self.feed.frequency_Hz

    @property
    def place(self) -> tuple[float | None, float | None, float | None]:
        """(V, Hz, load in percent): what two points have to share to stand at one place."""
        return (*self.line, self.draw.share_percent)

    @property
    def loaded(self) -> bool:
        """Whether a load is stated at all, be it none."""
        return self.draw.share_percent is not None

    @property
    def alike(self) -> Draw | None:
        """What is drawn from all outputs alike, as one draw of the unit; None where they differ or there is one."""
        shares = {d.share_percent for d in self.draws}
        return Draw(next(iter(shares))) if len(self.draws) > 1 and len(shares) == 1 and not self.about else None

    @property
    def graded(self) -> bool:
        """Whether it is a point of the grid itself, not one taken cold or again, nor one of a turn."""
        return self.state is not Thermal.COLD and self.after_step_s is None and (self.step is None or self.step.graded)

    @property
    def background(self) -> bool:
        """Whether it was read with the unit off, for what is there without it."""
        return self.step in (Purpose.BACKGROUND_BEFORE, Purpose.BACKGROUND_AFTER)

    def mode(self, port: str = "") -> Mode:
        """In which mode a port was; empty where nobody said."""
        return next((mode for name, mode in self.modes if name == port), "")

    def set_point(self, port: str = "") -> SetPoint | None:
        """What an output that can be set was set to."""
        mode = self.mode(port)
        return mode if isinstance(mode, SetPoint) else None

    def fact(self, name: str) -> float | None:
        return next((value for key, value in self.stated if key == name), None)

    # Parts of it, and as it was otherwise

    def seen_from(self, port: str) -> OperatingPoint:
        """As one port sees it: its own draw first and without its name, those of the others after it."""
        mine = tuple(replace(d, port="") for d in self.draws if d.port == port)
        others = () if self.alike is not None else tuple(d for d in self.draws if d.port != port)
        modes = tuple(("" if name == port else name, mode) for name, mode in self.modes)
        return replace(self, draws=mine + others, modes=modes, about="")

    def with_draw(self, **values: Any) -> OperatingPoint:
        """With other values of the first draw."""
        return replace(self, draws=(replace(self.draw, **values), *self.draws[1:]))

    @property
    def at_line(self) -> OperatingPoint:
        """Its input alone."""
        return OperatingPoint(feeds=tuple(replace(f) for f in self.feeds))

    @property
    def at_place(self) -> OperatingPoint:
        """Its input and the share of load that is drawn: by port, or of all outputs alike. What states no share is told
        by its level."""
        if self.alike is not None:
            return replace(self.at_line, draws=(self.alike,))
        return replace(self.at_line, draws=tuple(
            Draw(d.share_percent, d.level if d.share_percent is None else None, d.law, d.port) for d in self.draws
        ))  # fmt: skip

    def covers(self, other: OperatingPoint) -> bool:
        """Whether everything that is stated here stands so in the other."""
        return (
            all(any(_within(f, g) for g in other.feeds) for f in self.feeds)
            and all(any(_within(d, e) for e in other.draws) for d in self.draws)
            and set(self.modes) <= set(other.modes)
            and all(_open(getattr(self, name)) or getattr(self, name) == getattr(other, name) for name in SINGLE)
            and set(self.stated) <= set(other.stated)
        )

    def same_but_for(self, other: OperatingPoint, *names: str) -> bool:
        """Whether both are one point but for these fields."""
        given = {name: getattr(other, name) for name in names}
        return replace(self, **given) == other

    # In words, and as published

    @cached_property
    def words(self) -> str:
        """Line and load, as screens and reports write them."""
        voltage, hertz = self.line
        line = feed_words(voltage, hertz) if voltage is not None else ""
        modes = ", ".join(f"{port} at {mode}".strip() for port, mode in self.modes)
        draws = self.draws if self.alike is None else (self.alike,)
        where = ", ".join(x for x in (line, modes, *(d.words for d in draws)) if x)
        return ": ".join(x for x in (self.configuration, where) if x)

    @cached_property
    def conditions(self) -> dict[str, float]:
        """The published form: keys and numbers, as command line, JSON and tables show them."""
        feed, draw = self.feed, self.draw
        found = {"input_voltage_V": feed.voltage_V, "frequency_Hz": feed.frequency_Hz,
                 "load_percent": draw.share_percent, LEVEL_KEYS[draw.law]: draw.level}  # fmt: skip
        found |= _published_mode(self.mode(self.draw.port))
        key, number = PUBLISHED_STEPS.get(self.step, ("", None)) if self.step is not None else ("", None)
        if self.state is Thermal.COLD:
            found["cold"] = 1.0
        if key:
            found[key] = float(self.step_number) if number is None else number
        if self.step in (Purpose.START, Purpose.STOP):
            found["attempts"] = float(self.step_number)
        found |= {"after_step_s": self.after_step_s, "elapsed_s": self.elapsed_s, "asked_percent": draw.asked_percent}
        return {k: v for k, v in (found | dict(self.stated)).items() if v is not None}


# What a level is called in the published conditions, by the law of the load.
LEVEL_KEYS: dict[str, str] = {"CC": "load_A", "CR": "load_ohm", "CV": "load_V", "CP": "load_W"}
NOWHERE = OperatingPoint()  # nothing is stated
SINGLE = ("state", "about", "step", "step_number", "after_step_s", "elapsed_s", "configuration")
# What a step is called in the published conditions, and its code; None: its number stands there.
PUBLISHED_STEPS: dict[Purpose, tuple[str, float | None]] = {
    Purpose.AGAIN: ("again", 1.0), Purpose.TURN: ("turn", None), Purpose.LINE_TURN: ("line_turn", None),
    Purpose.BACKGROUND_BEFORE: ("background", 1.0), Purpose.BACKGROUND_AFTER: ("background", 2.0),
    Purpose.START: ("search", 1.0), Purpose.STOP: ("search", -1.0),
    Purpose.RISING: ("way", 1.0), Purpose.FALLING: ("way", 2.0),
    Purpose.CLOSING_RISING: ("way", 3.0), Purpose.CLOSING_FALLING: ("way", 4.0),
}  # fmt: skip


def operating_point(conditions: Mapping[str, float], port: str = "") -> OperatingPoint:
    """From the published form: what files, tables and books of earlier forms hold; ``port`` is what it is about."""
    left = dict(conditions)
    voltage, hertz = left.pop("input_voltage_V", None), left.pop("frequency_Hz", None)
    share = left.pop("load_percent", None)
    law: LoadLaw = next((one for one in LAWS if LEVEL_KEYS[one] in left), "CC")
    level = left.pop(LEVEL_KEYS[law], None)
    asked, mode = left.pop("asked_percent", None), left.pop("output_voltage_V", None)
    limit = left.pop("set_current_A", None)
    modes: tuple[tuple[str, Mode], ...] = ()
    if mode is not None:
        modes = ((port, f"{mode:g} V" if limit is None else SetPoint(mode, limit)),)
    step, number = None, 0
    for purpose, (key, code) in PUBLISHED_STEPS.items():
        if key in left and code in (None, left[key]):
            step, number = purpose, 0 if code is not None else round(left[key])
            del left[key]
            break
    number = round(left.pop("attempts", number))
    cold = left.pop("cold", 0.0)
    after, elapsed = left.pop("after_step_s", None), left.pop("elapsed_s", None)
    drawn = any(x is not None for x in (share, level, asked))
    return OperatingPoint(
        feeds=(Feed(voltage, hertz),) if voltage is not None or hertz is not None else (),
        draws=(Draw(share, level, law, port, asked),) if drawn else (),
        modes=modes,
        state=Thermal.COLD if cold else Thermal.NOT_SAID, step=step, step_number=number,
        after_step_s=after, elapsed_s=elapsed, stated=tuple(left.items()),
    )  # fmt: skip


def _published_mode(mode: Mode) -> dict[str, float | None]:
    """The volts of a mode that has some, and the limit of its current where that was set."""
    if isinstance(mode, SetPoint):
        return {"output_voltage_V": mode.voltage_V, "set_current_A": mode.current_A} if mode.on else {}
    voltage = mode.removesuffix(" V")
    return {"output_voltage_V": float(voltage)} if _is_number(voltage) else {}


def _stated(value: float | None, what: str) -> float:
    if value is None:
        raise InputError(f"a point does not state its {what}; where it was stored may be damaged, check the book")
    return value


def _open(value: object) -> bool:
    return value is None or value in ("", 0)


def _within(part: Feed | Draw, whole: Feed | Draw) -> bool:
    """Whether all that one states is so in the other. The law of a load counts where its level is stated."""
    mine, its = vars(part), vars(whole)
    skipped = {"law"} if mine.get("level") is None else set()
    return all(v is None or its[k] == v for k, v in mine.items() if k not in skipped)


def _is_number(text: str) -> bool:
    return bool(text) and text.replace(".", "", 1).replace("-", "", 1).isdigit()
