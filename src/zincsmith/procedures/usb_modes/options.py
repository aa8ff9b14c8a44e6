"""What the modes of ports are asked for: where a unit has ports that work in several."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import AtOneLine, Facts

FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Loaded as well", "loaded", (("at the amps of the mode", True), ("volts alone", False))),
    Choosing("Programmable ranges", "ranges", (("set over the range", True), ("left out", False))),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
    Choosing("Average over", "average_s", times(2.0, 4.0, 10.0)),
)


@dataclass(frozen=True)
class ModesOptions(AtOneLine):
    """Each port by itself, nothing plugged in elsewhere: its volts before anything is plugged in, what it offers, every
    mode of the label without a load and (``loaded``) with its amps, its programmable ranges (``ranges``), and its volts
    once it was taken off again."""

    procedure: Literal["usb_modes"] = "usb_modes"
    line: Line = LINES[0]
    loaded: bool = True
    ranges: bool = True
    settle_s: float = 5.0
    average_s: float = 4.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate) or ports_with_modes(plate)

    @property
    def reason(self) -> str:
        return "what a port offers is seen before it is loaded for long"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        between(0.5, 600.0, settle_s=self.settle_s, average_s=self.average_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Of what mains feeds: a cable that a switch on it sets is asked by nobody."""
        plate = facts.unit.nameplate
        return () if cls.suits(plate) or plate.input.type != "ac" else (cls(line=facts.first),)


def ports_with_modes(plate: Nameplate) -> str:
    """Why a unit has no ports that are asked for what they give; empty where it has."""
    if any(len(one.modes) > 1 for one in plate.outputs):
        return ""
    return "it is about ports that are asked for a mode, and this unit has none"
