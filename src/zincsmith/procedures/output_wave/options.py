"""What the wave of an output is asked for, and how it is put into a plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_source
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.inverter_output.options import alternates_not
from zincsmith.procedures.planning import AtOneLine, Facts

MOTORS_W, MOST_MOTOR_W = (30.0, 60.0, 120.0, 250.0, 500.0), 5000.0

FORM: tuple[Field, ...] = (
    fields.LINE,
    fields.LOADS,
    Choosing("Steps of the load, 10 to 100 %", "steps", (("recorded too", True), ("left out", False))),
    Choosing("Another supply as load", "rectifier", (("recorded too", True), ("left out", False))),
    Choosing("Start of a motor", "motor_W", (("left out", 0.0), *((f"{w:g} W of label", w) for w in MOTORS_W))),
    Choosing("A wall outlet beside it", "outlet", (("recorded too", True), ("left out", False))),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
)


@dataclass(frozen=True)
class WaveOptions(AtOneLine):
    """The volts of the output recorded at each load, with amps as far as channels have them; ``steps`` of its load
    where its amps are; with ``rectifier`` another supply as load, with ``motor_W`` the start of a motor of so many
    watts by its label, with ``outlet`` a wall outlet, for comparison."""

    procedure: Literal["output_wave"] = "output_wave"
    line: Line = LINES[0]
    loads_percent: tuple[float, ...] = (0.0, 50.0, 100.0)
    steps: bool = True
    rectifier: bool = False
    motor_W: float = 0.0
    outlet: bool = False
    settle_s: float = 5.0
    record_s: float = 0.2

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_source(plate) or alternates_not(plate)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def reason(self) -> str:
        return "its shape is looked at warm, before anything violent"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (
            ("Distortion", "THD: orders 2 to 40 over the first; THD+N: everything but the first, up to the bandwidth"),
            ("Flat top", "time within 5 % of the crest, over that of a sine"),
        )

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        check_loads(self.loads_percent)
        if max(self.loads_percent) > 100.0:
            raise InputError("none beyond 100 %", key="part.loads_percent")
        between(0.5, 600.0, settle_s=self.settle_s)
        between(0.06, 10.0, record_s=self.record_s)
        between(0.0, MOST_MOTOR_W, motor_W=self.motor_W)

    def unmet(self, facts: Facts) -> str:
        """A scope on the output, and nothing that earths it."""
        scope = facts.rig.instrument("scope")
        if scope is None:
            return "the rig has no scope; record with what is there, and take the file in"
        on = [c for c in scope.scope_channels if c.quantity == "output_voltage"]
        if not on:
            return "no channel of the scope is joined to the output"
        if self.motor_W and not any(c.quantity == "output_current" for c in scope.scope_channels):
            return "no channel of the scope is joined to the amps of the output: what a motor takes is not seen"
        if not all(c.probe.apart for c in on):
            return "the probe at the output joins one of its live legs to earth: a differential probe is needed"
        return ""

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        return () if cls.suits(facts.unit.nameplate) or cls().unmet(facts) else (cls(line=facts.first),)
