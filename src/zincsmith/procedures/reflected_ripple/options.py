"""What reflected ripple is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOADS, Field, between, check_lines, check_loads
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import AtLinesAndLoads, claimed, lines_claimed

FIGURES = ("reflected_ripple", "reflected_ripple_rms")


@dataclass(frozen=True)
class ReflectedOptions(AtLinesAndLoads):
    """Amps that ride on the input's own, at each line and load, of units fed with direct current."""

    procedure: Literal["reflected_ripple"] = "reflected_ripple"
    lines: tuple[Line, ...] = LINES[:1]
    loads_percent: tuple[float, ...] = (100.0,)
    settle_s: float = 5.0
    record_s: float = 200e-6
    limited_MHz: float = 20.0

    form: ClassVar[tuple[Field, ...]] = (fields.LINES, LOADS)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        between(0.0, 3600.0, settle_s=self.settle_s)
        between(1e-6, 0.01, record_s=self.record_s)

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        """On mains the amps follow the line, and their harmonics are what is limited."""
        if plate.inputs and plate.input.type != "dc":
            return "it is about direct current; on mains harmonics tell what goes back"
        return super().suits(plate)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        return (cls(lines=lines_claimed(facts, *FIGURES)),) if claimed(facts, *FIGURES) else ()
