"""What load steps are asked for, and how they are put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import OnOutputs, claimed, lines_claimed

STEPS = ((10.0, 90.0), (50.0, 100.0))
FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing(
        "Steps, %", "steps_percent",
        (("10-90, 50-100", STEPS), ("0-100", ((0.0, 100.0),)), ("0-100, 10-90, 50-100", ((0.0, 100.0), *STEPS))),
    ),
    Choosing("Band", "band", (("1 %", "1%"), ("2 %", "2%"), ("5 %", "5%"))),
    Choosing("About", "about", (("nominal", "nominal"), ("level reached", "final"))),
    Choosing("Stepped by", "stepped_by", (("the load", "load"), ("a load switch", "switch"))),
    Choosing("Wait at each", "settle_s", times(1.0, 2.0, 10.0)),
)  # fmt: skip


@dataclass(frozen=True)
class LoadTransientOptions(OnOutputs):
    """Steps of the load up and down, (from, to) in percent of its rating; ``record_s`` is recorded of each edge.
    ``stepped_by`` a switch: its resistor comes on top of the lower load of each step, ``rate_Hz`` times a second for
    ``duty`` of the time; what it adds, its edge and its rate are measured."""

    procedure: Literal["load_transient"] = "load_transient"
    lines: tuple[Line, ...] = LINES
    steps_percent: tuple[tuple[float, float], ...] = STEPS
    band: str = "1%"
    about: str = "nominal"
    settle_s: float = 2.0
    record_s: float = 0.02
    stepped_by: Literal["load", "switch"] = "load"
    rate_Hz: float = 100.0
    duty: float = 0.5

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return tuple(sorted({load for step in self.steps_percent for load in step}))

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        if not self.steps_percent or any(not 0.0 <= a < b <= 110.0 for a, b in self.steps_percent):
            raise InputError("a step goes from less to more, 0 to 110 %", key="part.steps_percent")
        between(0.1, 3600.0, settle_s=self.settle_s)
        between(1e-4, 1.0, record_s=self.record_s)
        between(1.0, 10_000.0, rate_Hz=self.rate_Hz)
        between(0.05, 0.95, duty=self.duty)

    def unmet(self, facts: Facts) -> str:
        """Beyond the others: a switch whose resistor is stated."""
        switches = facts.rig.of("load_switch")
        if self.stepped_by == "switch" and not any(one.switched for one in switches):
            return "the rig has no load switch whose resistor is stated"
        return super().unmet(facts)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        figures = "load_step", "recovery_time"
        return (cls(lines=lines_claimed(facts, *figures)),) if claimed(facts, *figures) else ()
