"""What the noise of held amps is asked for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line
from zincsmith.procedures import fields
from zincsmith.procedures.cv_cc.options import SeenByAScope
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times

SET = (("10 and 100 %", (10.0, 100.0)), ("50 %", (50.0,)))
FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Limits, of its amps", "amps_percent", SET),
    Choosing("Volts across the load", "volts_percent", tuple((f"{p:g} % of its volts", p) for p in (10.0, 50.0, 90.0))),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 30.0)),
)


@dataclass(frozen=True)
class HeldNoiseOptions(SeenByAScope):
    """At each limit a resistance that the held amps drag to a share of the volts; what alternates across it is
    recorded, and over the resistance it is amps."""

    procedure: Literal["held_noise"] = "held_noise"
    line: Line = LINES[0]
    amps_percent: tuple[float, ...] = (10.0, 100.0)
    volts_percent: float = 50.0
    settle_s: float = 5.0
    record_s: float = 0.1

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def reason(self) -> str:
        return "what is set is looked at warm, before anything violent"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Noise of held amps", "volts across the resistance that is the load, over it, as recorded"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        if not self.amps_percent or not all(1.0 <= s <= 100.0 for s in self.amps_percent):
            raise InputError("shares from 1 to 100 % of the range", key="part.amps_percent")
        between(5.0, 95.0, volts_percent=self.volts_percent)
        between(0.5, 600.0, settle_s=self.settle_s)
        between(0.02, 2.0, record_s=self.record_s)
