"""What the speed of a set output is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.cv_cc.options import SeenByAScope
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts

FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Steps between", "shares_percent", (("10 and 90 % of its volts", (10.0, 90.0)),
                                                 ("0 and 100 %", (0.0, 100.0)))),
    Choosing("Settled within", "band_percent", tuple((f"{p:g} % of the step", p) for p in (0.1, 1.0, 5.0))),
    Choosing("Under a load of", "load_percent", tuple((f"{p:g} % of its limit", p) for p in (25.0, 50.0, 75.0))),
    Choosing("Switched on and off", "switched", (("recorded too", True), ("left out", False))),
    Choosing("Wait in each", "settle_s", times(1.0, 3.0, 10.0)),
)  # fmt: skip


@dataclass(frozen=True)
class SpeedOptions(SeenByAScope):
    """Records of an output that is set from one share of its volts to another and back, without a load and under one;
    that is switched on and off at its own switch; that loses its input."""

    procedure: Literal["programming_speed"] = "programming_speed"
    line: Line = LINES[0]
    shares_percent: tuple[float, float] = (10.0, 90.0)
    band_percent: float = 1.0
    load_percent: float = 50.0
    switched: bool = True
    settle_s: float = 3.0
    up_s: float = 0.2
    down_s: float = 2.0

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def reason(self) -> str:
        return "what a circuit behind it meets as it is set, before anything violent"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Settled", f"within {self.band_percent:g} % of the step, for good"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        low, high = self.shares_percent
        if not 0.0 <= low < high <= 100.0:
            raise InputError("from less to more, 0 to 100 %", key="part.shares_percent")
        if not 0.05 <= self.band_percent <= 20.0:
            raise InputError("0.05 to 20 % of the step", key="part.band_percent")
        if not 1.0 <= self.load_percent <= 90.0:
            raise InputError("1 to 90 % of the limit", key="part.load_percent")
        between(0.5, 600.0, settle_s=self.settle_s)
        between(1e-3, 60.0, up_s=self.up_s, down_s=self.down_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where somebody else sets it than a hand: what a hand turns has no speed."""
        plate = facts.unit.nameplate
        fits = not cls.suits(plate) and facts.rig.instrument("scope") is not None
        by_wire = any(one.how != "by hand" for one in facts.rig.of("unit_interface"))
        return (cls(line=facts.first),) if fits and by_wire else ()
