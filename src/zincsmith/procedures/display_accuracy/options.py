"""What the look at a display is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import fed_by_one_source, one_output
from zincsmith.procedures.fields import LINE, LOADS, Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.inverter_output.options import alternates_not
from zincsmith.procedures.planning import AtOneLine, Facts

FORM: tuple[Field, ...] = (
    LINE,
    LOADS,
    Choosing("Which display", "display", (("its own", "its own"), ("a remote panel", "remote panel"))),
    Choosing("How slow it is", "lag", (("timed with a stopwatch", True), ("left out", False))),
    Choosing("Wait at each", "settle_s", times(4.0, 10.0, 60.0)),
    Choosing("Average over", "average_s", times(4.0, 10.0)),
)


@dataclass(frozen=True)
class DisplayOptions(AtOneLine):
    """The supply's own display, or its remote panel, against the reference, at these loads in percent; with ``lag`` how
    long it takes to follow a step of the load."""

    procedure: Literal["display_accuracy"] = "display_accuracy"
    line: Line = LINES[1]
    loads_percent: tuple[float, ...] = (0.0, 25.0, 50.0, 75.0, 100.0)
    display: Literal["its own", "remote panel"] = "its own"
    lag: bool = False
    settle_s: float = 10.0
    average_s: float = 4.0

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        alternates = bool(plate.outputs) and not alternates_not(plate)
        return fed_by_one_source(plate) if alternates and len(plate.outputs) == 1 else one_output(plate)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        check_loads(self.loads_percent)
        between(1.0, 3600.0, settle_s=self.settle_s, average_s=self.average_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        return (cls(line=facts.first),) if facts.rig.of("panel_voltmeter") else ()
