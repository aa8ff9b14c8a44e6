"""What a bring-up is asked for, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import fed_by_one_source
from zincsmith.procedures.fields import Choosing, Field, Typing, between, check_lines, lines_words, read_line, times
from zincsmith.procedures.planning import Facts, Planned, Refit

LEAST_V, RESOLVES = 0.02, 0.01  # what start and stop are found to at best; of the volts of a DC input
RESOLUTIONS = (0.05, 0.1, 0.5, 1.0, 2.0, 5.0)
FORM: tuple[Field, ...] = (
    Choosing("Start method", "school", (("raised from zero", "from zero"), ("switched to rated input", "rated input"))),
    Typing("First line, V Hz", "first_line", lambda x: lines_words((x,)), read_line),
    Choosing("Steps of the input", "step_percent", tuple((f"{p:g} % of the lowest", p) for p in (5.0, 10.0, 20.0))),
    Choosing("Wait at each", "step_s", times(2.0, 4.0, 10.0)),
    Choosing("Start and stop found to", "resolution_V", tuple((f"{v:g} V", v) for v in RESOLUTIONS)),
    Choosing("Light load", "light_load_percent", tuple((f"{p:g} %", p) for p in (5.0, 10.0, 25.0))),
    Choosing("Nodes that the scope looks at", "look_inside", (("at each raise", True), ("not looked at", False))),
)


@dataclass(frozen=True)
class BringUpOptions(Planned):
    """``school``: raise the input from nothing, or (a boxed product) switch it to rated input at no load.

    The input is raised in steps of ``step_percent`` of its lower end, waiting ``step_s`` at each; the start and
    stop voltages are found to ``resolution_V``. ``first_line`` is where the load is raised. With ``look_inside`` the
    nodes that a channel of the scope looks at are recorded at each raise once it runs, and a person accepts what they
    show before it goes on.
    """

    procedure: Literal["bring_up"] = "bring_up"
    school: Literal["from zero", "rated input"] = "from zero"
    first_line: Line = LINES[0]
    step_percent: float = 10.0
    step_s: float = 4.0
    resolution_V: float = 1.0
    light_load_percent: float = 10.0
    look_inside: bool = True

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return (self.first_line,)

    @property
    def rank(self) -> int:
        return 2

    @property
    def reason(self) -> str:
        return "a unit is brought up before it is loaded or trusted with a sweep"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.first_line,), "first_line")
        if not 1.0 <= self.step_percent <= 50.0 or not LEAST_V <= self.resolution_V <= 50.0:
            raise InputError("steps of 1 to 50 % and 0.02 to 50 V are needed", key="part.step_percent")
        between(1.0, 600.0, step_s=self.step_s)
        if not 0.0 < self.light_load_percent <= 100.0:
            raise InputError("must lie above 0 and up to 100 %", key="part.light_load_percent")

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_source(plate)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        line = facts.first
        finely = cls.resolution_V if line.frequency_Hz else max(LEAST_V, round(RESOLVES * line.voltage_V, 2))
        return (cls(school=start_method(facts), first_line=line, resolution_V=finely),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, first_line=to.own[0]) if self.first_line in to.proposed[:1] else self

    def retested(self, figures: Sequence[str], facts: Facts) -> Options | None:
        """Whatever is tested again is brought up first, from zero where the source can do that."""
        return replace(self, school="from zero") if facts.source != "fixed" else self

    def on_the_changed(self) -> Options:
        """Nobody knows yet what a changed unit does: it is raised from nothing."""
        return replace(self, school="from zero")


def start_method(facts: Facts) -> Literal["from zero", "rated input"]:
    """How a unit is first fed: a boxed product may start at rated input, what was opened or is doubtful does not."""
    unit = facts.unit
    trusted = unit.kind == "adapter" and not unit.in_force.open_case and unit.look.verdict == "fit to power"
    return "rated input" if facts.source == "fixed" or trusted else "from zero"
