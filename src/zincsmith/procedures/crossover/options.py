"""What the way through the corner of an output is asked for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line
from zincsmith.procedures import fields
from zincsmith.procedures.cv_cc.options import SeenByAScope
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times

FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Volts, of its most", "volts_percent", tuple((f"{p:g} %", p) for p in (20.0, 50.0, 90.0))),
    Choosing("Limit, of its amps", "amps_percent", tuple((f"{p:g} %", p) for p in (10.0, 50.0, 90.0))),
    Choosing("Load between", "loads_percent", (("50 and 150 % of the limit", (50.0, 150.0)),
                                               ("10 and 200 %", (10.0, 200.0)))),
    Choosing("Settled within", "band_percent", tuple((f"{p:g} %", p) for p in (0.5, 1.0, 5.0))),
    Choosing("Wait in each", "settle_s", times(1.0, 3.0, 10.0)),
)  # fmt: skip


@dataclass(frozen=True)
class CrossoverOptions(SeenByAScope):
    """An output set to volts and a limit; a resistance that asks for less than the limit at these volts, then for more,
    then for less again: both ways recorded. Amps are the volts over the resistance."""

    procedure: Literal["crossover"] = "crossover"
    line: Line = LINES[0]
    volts_percent: float = 50.0
    amps_percent: float = 50.0
    loads_percent: tuple[float, float] = (50.0, 150.0)
    band_percent: float = 1.0
    settle_s: float = 3.0
    record_s: float = 0.05

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def reason(self) -> str:
        return "what a circuit behind it meets at its limit, before anything violent"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("At the corner", "volts across a resistance, and over it, as recorded"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        between(5.0, 100.0, volts_percent=self.volts_percent, amps_percent=self.amps_percent)
        less, more = self.loads_percent
        if not 1.0 <= less <= 95.0 or not 110.0 <= more <= 400.0:
            raise InputError("one from 1 to 95 %, one from 110 to 400 % of the limit", key="part.loads_percent")
        between(0.05, 20.0, band_percent=self.band_percent)
        between(0.5, 600.0, settle_s=self.settle_s)
        between(1e-3, 10.0, record_s=self.record_s)
