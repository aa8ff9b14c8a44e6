"""What the power envelope is asked for: when somebody chose it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import LATE, OnInputs

FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("From a load of", "from_percent", tuple((f"{p:g} %", p) for p in (20.0, 50.0))),
    Choosing("Up to", "ceiling_percent", tuple((f"{p:g} % of the rating", p) for p in (100.0, 110.0, 130.0))),
    Choosing("In steps of", "step_percent", tuple((f"{p:g} %", p) for p in (5.0, 10.0, 20.0))),
    Choosing("Closed in on to", "resolution_percent", tuple((f"{p:g} %", p) for p in (1.0, 2.0, 5.0))),
    Choosing("Output good within", "tolerance_percent", tuple((f"±{p:g} %", p) for p in (2.0, 5.0, 10.0))),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
)
INPUTS = 5  # that a plan has over the rated input, where its source can be set


@dataclass(frozen=True)
class EnvelopeOptions(OnInputs):
    """At each line the load is raised from ``from_percent`` of its rating in steps until the output leaves its
    tolerance or ``ceiling_percent`` is reached; that interval is halved to ``resolution_percent``."""

    procedure: Literal["power_envelope"] = "power_envelope"
    lines: tuple[Line, ...] = LINES
    from_percent: float = 50.0
    ceiling_percent: float = 100.0
    step_percent: float = 10.0
    resolution_percent: float = 2.0
    tolerance_percent: float = 5.0
    settle_s: float = 2.0

    form: ClassVar[tuple[Field, ...]] = FORM
    chosen_only: ClassVar[str] = "it loads the unit at each input until its output gives way"
    attended: ClassVar[bool] = True

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return (self.ceiling_percent,)

    @property
    def rank(self) -> int:
        return LATE

    @property
    def reason(self) -> str:
        return "it goes on until the output gives way: after everything gentle"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Power envelope", f"good within ±{self.tolerance_percent:g} % of the nominal volts"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        if not 5.0 <= self.from_percent < self.ceiling_percent <= 160.0:
            raise InputError("from 5 % up to a ceiling of 160 % at the most", key="part.from_percent")
        if not 0.5 <= self.resolution_percent <= self.step_percent <= 50.0:
            raise InputError("steps of 0.5 to 50 %, halved down to a resolution no larger", key="part.step_percent")
        if not 0.1 <= self.tolerance_percent <= 30.0:
            raise InputError("a tolerance of 0.1 to 30 %", key="part.tolerance_percent")
        between(0.5, 600.0, settle_s=self.settle_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where it was chosen: over the rated input in equal steps, and at the lines that papers name."""
        rating = facts.unit.nameplate.input
        lines = list(facts.lines_or_usual)
        if facts.source == "settable":
            low, high = lines[0], lines[-1]
            step = (high.voltage_V - low.voltage_V) / (INPUTS - 1)
            lines += [Line(round(low.voltage_V + step * n), low.frequency_Hz) for n in range(1, INPUTS - 1)]
        within = {x for x in lines if rating.voltage_V[0] <= x.voltage_V <= rating.voltage_V[1]}
        ordered = tuple(sorted(within, key=lambda x: (x.voltage_V, x.frequency_Hz)))
        return (cls(lines=ordered),) if ordered else ()

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))
