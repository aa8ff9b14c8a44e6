"""What cross regulation is asked for: where a unit has several rails that are there together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.planning import AtOneLine, Facts

LEAST = 0.0  # as a level: what the plate asks for at least, which may be nothing
EVERY, ENDS = (LEAST, 50.0, 100.0), (LEAST, 100.0)
FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Levels of each load", "levels_percent", (("least, half, full", EVERY), ("least and full", ENDS))),
    Choosing("Least load looked for", "least_load", (("on each rail", True), ("no", False))),
    Choosing("Warm-up before", "warm_up_s", times(0.0, 60.0, 300.0, 1800.0)),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
    Choosing("Average over", "average_s", times(2.0, 4.0, 10.0)),
)


@dataclass(frozen=True)
class CrossOptions(AtOneLine):
    """Every rail at each of ``levels_percent`` with all the others at each of them; a level of 0 is the least load that
    the plate asks for. ``least_load``: then, rail by rail, how little on it alone keeps all rails in tolerance."""

    procedure: Literal["cross_regulation"] = "cross_regulation"
    line: Line = LINES[0]
    levels_percent: tuple[float, ...] = EVERY
    least_load: bool = True
    resolution_percent: float = 1.0
    warm_up_s: float = 300.0
    settle_s: float = 5.0
    average_s: float = 4.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate) or rails_together(plate)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.levels_percent

    @property
    def reason(self) -> str:
        return "a warm unit whose rails are loaded in turns; before its loads are taken off"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (
            ("Cross regulation", "change of a rail's volts from the least to the greatest level of all the others"),
        )

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        check_loads(self.levels_percent)
        if len(self.levels_percent) < 2 or max(self.levels_percent) > 100.0:
            raise InputError("two levels at least, none beyond 100 %", key="part.levels_percent")
        if not 0.1 <= self.resolution_percent <= 20.0:
            raise InputError("must lie between 0.1 and 20 %", key="part.resolution_percent")
        between(0.0, 7200.0, warm_up_s=self.warm_up_s)
        between(0.5, 600.0, settle_s=self.settle_s, average_s=self.average_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """By hand with the ends alone: every level more doubles what is typed."""
        if cls.suits(facts.unit.nameplate):
            return ()
        levels = EVERY if facts.read_by_program else ENDS
        return (cls(line=facts.first, levels_percent=levels, least_load=facts.read_by_program),)


def rails_together(plate: Nameplate) -> str:
    """Why a unit has no rails that are loaded together; empty where it has."""
    if len(plate.outputs) < 2:
        return "it is about several rails, and this unit has one output"
    if plate.sharing or any(one.modes or one.programmable for one in plate.outputs):
        return "it is about rails that are there together; these ports are asked for what they give"
    return ""
