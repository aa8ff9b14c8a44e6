"""What a unit with a terminal that switches it is asked for, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line
from zincsmith.model.unit import Nameplate, Signal
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_source
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import AtOneLine

SWITCHING = ("remote on/off", "enable")
TRIM, SENSE = "trim", "remote sense"
INDICATOR, FAN = "indicator", "fan"
FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing(
        "Under a load of", "load_percent", tuple((f"{p:g} % of its rating", p) for p in (10.0, 25.0, 50.0, 100.0))
    ),
    Choosing("Wait until off", "falls_s", times(5.0, 20.0, 60.0)),
)


def of_kind(plate: Nameplate, *kinds: str) -> tuple[Signal, ...]:
    """The terminals of a kind, in the order of the plate."""
    return tuple(one for one in plate.signals if one.what in kinds)


def switches_of(plate: Nameplate) -> tuple[Signal, ...]:
    """The terminals that switch a unit."""
    return of_kind(plate, *SWITCHING)


@dataclass(frozen=True)
class ControlOptions(AtOneLine):
    """Switched off under ``load_percent`` at each of its terminals, what is left read after ``falls_s``, what goes in
    meanwhile, and switched on again under the same load; trimmed down and up; with its sense leads at the unit, at the
    load and open; its indicator and fan looked at without load, under load and with its input gone."""

    procedure: Literal["control_signals"] = "control_signals"
    line: Line = LINES[0]
    load_percent: float = 50.0
    falls_s: float = 5.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        if unfit := fed_by_one_source(plate):
            return unfit
        if of_kind(plate, *SWITCHING, TRIM, SENSE, INDICATOR, FAN):
            return ""
        return "its plate states no terminal that switches it, trims it or senses its load, no indicator and no fan"

    @property
    def loads_used(self) -> tuple[float, ...]:
        return (self.load_percent,)

    @property
    def rank(self) -> int:
        return 5

    @property
    def reason(self) -> str:
        return "hands lay a switch there first, with the input off, as they take the load off for standby power"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        between(0.0, 100.0, load_percent=self.load_percent)
        between(1.0, 600.0, falls_s=self.falls_s)
