"""What dropout is asked for, and how it is put into a plan: where a paper states it, after everything gentle."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import LoadLaw
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOAD_LAWS, Choosing, Field, between, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import WeaklyFed, claims_one_of, loads_claimed

FORM: tuple[Field, ...] = (
    fields.LINE,
    fields.LOADS,
    Choosing("Load as", "law", LOAD_LAWS[:2]),
    Choosing("Down to", "down_to_percent", tuple((f"{p:g} % of the line", p) for p in (30.0, 50.0, 70.0))),
    Choosing("In steps of", "step_percent", tuple((f"{p:g} % of the line", p) for p in (2.0, 5.0, 10.0))),
    Choosing("Closed in on to", "resolution_percent", tuple((f"{p:g} % of the line", p) for p in (0.5, 1.0, 2.0))),
    Choosing("Output good within", "tolerance_percent", tuple((f"±{p:g} %", p) for p in (1.0, 2.0, 5.0, 10.0))),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
    Choosing("Raised from an off unit too", "rising", (("yes", True), ("no", False))),
)
USUAL_LOADS = (100.0, 50.0)


@dataclass(frozen=True)
class DropoutOptions(WeaklyFed):
    """At each load the input is lowered from ``line`` in steps until the output leaves its tolerance, and raised from
    an off unit until it is there; both intervals are halved. Shares are of the volts of ``line``; the output is good
    within ``tolerance_percent`` of nominal. Nothing below ``down_to_percent`` is tried."""

    procedure: Literal["dropout"] = "dropout"
    line: Line = LINES[0]
    loads_percent: tuple[float, ...] = USUAL_LOADS
    law: LoadLaw = "CC"
    down_to_percent: float = 30.0
    step_percent: float = 5.0
    resolution_percent: float = 1.0
    tolerance_percent: float = 5.0
    settle_s: float = 5.0
    rising: bool = True

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def reason(self) -> str:
        return "it feeds the unit below its rated input: after everything gentle"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (("Dropout", f"good within ±{self.tolerance_percent:g} % of the nominal volts"),)

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        super().check()
        if self.law not in ("CC", "CR"):
            raise InputError("the load holds its current or its resistance while the input falls", key="part.law")
        if not 10.0 <= self.down_to_percent <= 95.0:
            raise InputError("down to 10 to 95 % of the line", key="part.down_to_percent")
        if not 0.1 <= self.resolution_percent <= self.step_percent <= 25.0:
            raise InputError("steps of 0.1 to 25 %, halved down to a resolution no larger", key="part.step_percent")
        between(0.5, 600.0, settle_s=self.settle_s)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        if not claims_one_of(facts, "dropout_input"):
            return ()
        return (cls(line=facts.first, loads_percent=loads_claimed(facts, "dropout_input") or USUAL_LOADS),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, line=to.line(self.line))
