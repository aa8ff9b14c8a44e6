"""What overcurrent is asked for, and how it is put into a plan: when somebody chose it, never by itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import LoadLaw
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_with_fixed_outputs
from zincsmith.procedures.fields import LOAD_LAWS, Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import BeyondRating, lines_claimed

FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("Load as", "law", LOAD_LAWS),
    Choosing("Up to", "ceiling_percent", tuple((f"{p:g} % of the rating", p) for p in (120.0, 140.0, 160.0))),
    Choosing("In steps of", "step_percent", tuple((f"{p:g} %", p) for p in (1.0, 2.0, 5.0))),
    Choosing("Released", "release", (("to half its rating at once", "at once"), ("in steps", "in steps"))),
    Choosing("Several outputs", "together", (("alone, then together", True), ("each alone", False))),
    Choosing("Ripple at each step", "ripple", (("not recorded", False), ("a short record", True))),
    Choosing("Times", "repeats", tuple((f"{n}", n) for n in (1, 3, 10))),
    Choosing("Rest between", "rest_s", times(10.0, 60.0, 300.0)),
)
MOST_REPEATS, MOST_TRIPS = 20, 60


@dataclass(frozen=True)
class OvercurrentOptions(BeyondRating):
    """A gentle ramp beyond the rating to the first trip, that interval halved until ``resolution_percent``, repeats;
    never beyond ``ceiling_percent``. What it does is watched for ``observe_s``, then the overload goes; for
    ``recover_s`` it is watched whether it comes back by itself, before it is unloaded and then its input cycled.
    ``release`` *in steps* tells how far its load has to fall for that. ``together``: of several outputs then all at
    once, beyond what the plate allows them together."""

    procedure: Literal["overcurrent"] = "overcurrent"
    lines: tuple[Line, ...] = LINES[:1]
    law: LoadLaw = "CC"
    ceiling_percent: float = 160.0
    step_percent: float = 5.0
    resolution_percent: float = 1.0
    step_s: float = 1.0
    observe_s: float = 8.0
    recover_s: float = 8.0
    rest_s: float = 10.0
    repeats: int = 3
    release: Literal["at once", "in steps"] = "at once"
    together: bool = True
    ripple: bool = False  # a short record of the output rides on every step that holds

    form: ClassVar[tuple[Field, ...]] = FORM
    tests: ClassVar[tuple[str, ...]] = ("overcurrent",)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return (100.0,)

    @property
    def reason(self) -> str:
        return "it drives the unit beyond its rating: after everything gentle"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        if not 105.0 <= self.ceiling_percent <= 160.0:
            raise InputError("goes from 105 to 160 % of the rating", key="part.ceiling_percent")
        if not 0.5 <= self.resolution_percent <= self.step_percent <= 20.0:
            raise InputError("steps of 0.5 to 20 %, halved down to a resolution no larger", key="part.step_percent")
        if not 1 <= self.repeats <= MOST_REPEATS:
            raise InputError(f"1 to {MOST_REPEATS} times", key="part.repeats")
        if self.law == "CV":
            raise InputError(
                "an output that holds its volts cannot be loaded by one that holds them too", key="part.law"
            )
        between(0.5, 600.0, step_s=self.step_s, observe_s=self.observe_s, recover_s=self.recover_s)
        between(0.0, 3600.0, rest_s=self.rest_s)

    def unmet(self, facts: Facts) -> str:
        """By hand it goes step by step, and by what stands after each."""
        if self.ripple and facts.rig.instrument("scope") is None:
            return "ripple is to be recorded at each step, and the rig has no scope"
        return fed_with_fixed_outputs(facts.unit.nameplate)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """At the lowest and the highest of the lines: what lets go at one may hold at the other."""
        lines = lines_claimed(facts, *cls.tests)
        return (cls(lines=tuple(dict.fromkeys((lines[0], lines[-1])))),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))
