"""What the harmonics are asked for, and how they are put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar, Literal

from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.scope import Stood
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOADS, Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.planning import RATED, TOGETHER, Facts, OnMains, Refit, ports_of_rated

NO_RECORD = (
    "the power meter gives no waveforms; record volts and amps with something else, and take the file in as evidence"
)
FORM: tuple[Field, ...] = (
    fields.LINES,
    LOADS,
    Choosing("Wait at each", "settle_s", times(4.0, 10.0, 60.0)),
    Choosing("Recorded for", "record_s", tuple((f"{s:g} s", s) for s in (1.0, 2.0, 4.0))),
)


@dataclass(frozen=True)
class HarmonicOptions(OnMains):
    """Harmonics of the input current: a record of ``record_s`` at each line and load; loads in percent."""

    procedure: Literal["harmonics"] = "harmonics"
    lines: tuple[Line, ...] = LINES
    loads_percent: tuple[float, ...] = (100.0,)
    settle_s: float = 10.0
    average_s: float = 4.0
    record_s: float = 2.0
    ports: Literal["lowest", "rated"] = "lowest"  # what those that are asked for a mode are asked for

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def rank(self) -> int:
        return TOGETHER if self.ports == RATED else super().rank

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        between(1.0, 3600.0, settle_s=self.settle_s, average_s=self.average_s)
        between(0.2, 10.0, record_s=self.record_s)

    def unmet(self, facts: Facts) -> str:
        return "" if facts.records else NO_RECORD

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        if facts.idle_lines[0].frequency_Hz == 0.0:
            return ()
        ports: Any = RATED if ports_of_rated(facts.unit.nameplate) else "lowest"
        return (cls(lines=facts.idle_lines, ports=ports),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines, idle=True))

    def stands(self) -> tuple[Stood, ...]:
        return tuple(
            Stood(OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(load),)), self.settle_s)
            for line in self.lines
            for load in (0.0, 100.0)
        )
