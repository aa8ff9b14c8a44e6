"""What standby power is asked for, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.scope import Stood
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_source
from zincsmith.procedures.fields import LONGEST_S, Choosing, Field, Typing, between, check_lines, read_number, times
from zincsmith.procedures.planning import Facts, Planned, Refit

FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("Method", "method", (("sampled until stable", "sampling"), ("two periods of 10 min", "average"))),
    Choosing("Wait before", "warm_up_s", times(60.0, 300.0, 900.0, 1800.0)),
    Choosing("Means of", "block_s", times(20.0, 60.0)),
    Choosing("At least", "at_least_s", times(900.0, 1800.0)),
    Choosing("At most", "at_most_s", times(1800.0, 3600.0, 7200.0)),
    Choosing("Leads of the load", "leads", (("taken off", "removed"), ("stay, leakage stated", "connected"))),
    Typing("Leakage of the load, W", "leakage_W", lambda x: f"{x:g}", read_number),
)


@dataclass(frozen=True)
class StandbyOptions(Planned):
    """``method``: sampling (means of ``block_s`` until stable, at least ``at_least_s``) or average (two periods of ten
    minutes after half an hour, for a meter that is read by hand too). ``leads``: of the load, removed behind a gate, or
    connected with what they may take stated as ``leakage_W``.
    """

    procedure: Literal["standby"] = "standby"
    lines: tuple[Line, ...] = LINES
    method: Literal["sampling", "average"] = "sampling"
    warm_up_s: float = 300.0
    block_s: float = 60.0
    at_least_s: float = 900.0
    at_most_s: float = 3600.0
    leads: Literal["removed", "connected"] = "removed"
    leakage_W: float = 0.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def rank(self) -> int:
        return 5

    @property
    def reason(self) -> str:
        return "standby power is taken from a warm unit, with the load taken off"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        between(0.0, LONGEST_S, warm_up_s=self.warm_up_s)
        between(10.0, 600.0, block_s=self.block_s)
        if not 900.0 <= self.at_least_s <= self.at_most_s <= LONGEST_S:
            raise InputError("15 min at least, and no more than at_most_s", key="part.at_least_s")
        if not 0.0 <= self.leakage_W <= 10.0:
            raise InputError("must lie between 0 and 10 W", key="part.leakage_W")

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_source(plate)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """A meter that is read by hand gives its own mean over a period, not one every second."""
        by_hand = facts.rig.by_hand("power_meter")
        return (cls(lines=facts.idle_lines, method="average" if by_hand else "sampling"),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines, idle=True))

    def stands(self) -> tuple[Stood, ...]:
        return tuple(
            Stood(OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(load),)), self.at_least_s)
            for line in self.lines
            for load in (0.0, 100.0)
        )
