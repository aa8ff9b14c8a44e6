"""What the sharing of ports is asked for: where a unit has several ports that are asked for what they give."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import AtOneLine

FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Held for", "settle_s", times(5.0, 20.0, 60.0, 300.0)),
    Choosing("A neighbour is watched for", "watch_s", times(3.0, 5.0, 10.0)),
    Choosing("Average over", "average_s", times(2.0, 4.0, 10.0)),
)


@dataclass(frozen=True)
class SharingOptions(AtOneLine):
    """Every combination of ports that the label names, or each pair where it names none: one port runs loaded while the
    others are plugged in; then all of them are loaded with what each is said to have."""

    procedure: Literal["port_sharing"] = "port_sharing"
    line: Line = LINES[0]
    settle_s: float = 20.0
    watch_s: float = 5.0
    average_s: float = 4.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        if unfit := fed_by_one_input(plate):
            return unfit
        if len(plate.outputs) < 2 or not (plate.sharing or any(one.modes for one in plate.outputs)):
            return "it is about several ports that share what a unit has, and this unit has none"
        return ""

    @property
    def reason(self) -> str:
        return "each port was seen alone before they are used together"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        between(0.5, 3600.0, settle_s=self.settle_s, watch_s=self.watch_s, average_s=self.average_s)
