"""What an output that alternates is asked for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_source
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.planning import Facts, Planned, Refit

LOADS, FEW = (0.0, 5.0, 10.0, 25.0, 50.0, 75.0, 100.0), (0.0, 10.0, 50.0, 100.0)
FORM: tuple[Field, ...] = (
    fields.LINES,
    fields.LOADS,
    Choosing("Where it stops and starts again", "battery", (("looked for", True), ("left out", False))),
    Choosing("Warm-up before", "warm_up_s", times(0.0, 300.0, 1800.0)),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
    Choosing("Average over", "average_s", times(2.0, 4.0, 10.0)),
)


@dataclass(frozen=True)
class InverterOptions(Planned):
    """Every load at the first line, the least and the greatest at the others; ``battery``: then the input is lowered at
    a tenth of the load until it stops, and raised until it starts again."""

    procedure: Literal["inverter_output"] = "inverter_output"
    lines: tuple[Line, ...] = LINES
    loads_percent: tuple[float, ...] = LOADS
    battery: bool = True
    step_percent: float = 1.0
    warm_up_s: float = 300.0
    settle_s: float = 5.0
    average_s: float = 4.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_source(plate) or alternates_not(plate)

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def reason(self) -> str:
        return "an output that alternates is looked at warm, before anything violent"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Output power", "real watts by the meter at the output; where none reads them, volts times amps"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        if max(self.loads_percent) > 100.0 or len(self.loads_percent) < 2:
            raise InputError("two loads at least, none beyond 100 %", key="part.loads_percent")
        if not 0.2 <= self.step_percent <= 10.0:
            raise InputError("from 0.2 to 10 % of the lowest rated input", key="part.step_percent")
        between(0.0, 7200.0, warm_up_s=self.warm_up_s)
        between(0.5, 600.0, settle_s=self.settle_s, average_s=self.average_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """By hand with fewer loads; a battery that nobody can turn down is not lowered."""
        if cls.suits(facts.unit.nameplate):
            return ()
        lines = tuple(dict.fromkeys((facts.first, *facts.lines)))
        loads = LOADS if facts.read_by_program else FEW
        return (cls(lines=lines, loads_percent=loads, battery=facts.source == "settable"),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))


def alternates_not(plate: Nameplate) -> str:
    """Why a unit has no output that alternates; empty where all of them do."""
    return "" if all(one.type == "ac" for one in plate.outputs) else "it is about an output that alternates"
