"""What a rule of suitability looks at, and what it says."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from functools import cached_property

from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.expectation import Expected, expected, expected_input_A
from zincsmith.model.figures import FIGURES
from zincsmith.model.plan import Plan
from zincsmith.model.rig import Instrument, Rig
from zincsmith.model.unit import OutputRating, Unit


class Severity(StrEnum):
    """A stop refuses arming; a doubt goes with the findings it touches; a remark is worth knowing."""

    STOP = "stop"
    DOUBT = "doubt"
    REMARK = "remark"


@dataclass(frozen=True)
class Fault:
    """``at`` names the element it belongs to: a role, ``lead A B``, gear, sense, terminals or unit.

    ``costs`` names the figures (see model/figures.py) that it spoils.
    """

    code: str
    severity: Severity
    at: str
    text: str
    remedy: str
    costs: tuple[str, ...] = ()


@dataclass(frozen=True)
class Case:
    """A unit on a rig under a plan, on a day. Rules read it; none of it is changed."""

    unit: Unit
    rig: Rig
    plan: Plan
    today: date
    left_open: tuple[str, ...] = ()  # further inputs of the unit, which this rig does not feed

    @property
    def ready(self) -> bool:
        """Whether there is anything to work with: an input and an output."""
        return bool(self.unit.nameplate.inputs and self.unit.nameplate.outputs)

    @property
    def mains(self) -> bool:
        return any(i.type == "ac" for i in self.unit.nameplate.inputs)

    @property
    def bare(self) -> bool:
        """Live parts can be touched."""
        return self.unit.kind == "open board" or self.unit.in_force.open_case

    @property
    def isolated(self) -> bool:
        source = self.rig.source("ac")
        return self.rig.has("isolation transformer") or bool(source and source.isolated)

    @property
    def output(self) -> OutputRating:
        """The output that carries the most current."""
        return max(self.unit.nameplate.outputs, key=lambda o: o.current_A)

    def output_at(self, port: str) -> OutputRating:
        """The output at a port; of one that nobody named, or that is not there, the one with the most current."""
        return next((o for o in self.unit.nameplate.outputs if port and o.name == port), self.output)

    @property
    def source(self) -> Instrument | None:
        return self.rig.source(self.unit.nameplate.input.type)

    @cached_property
    def input_A(self) -> float:
        """Expected input current at full load and the lowest rated input, A."""
        return expected_input_A(self.unit.nameplate)

    @cached_property
    def figures(self) -> frozenset[str]:
        """The figures that label, papers or rule sets speak of."""
        plate = self.unit.nameplate
        found = {c.figure for c in plate.claims if c.kept}
        if plate.rules:
            found |= {"average_active_efficiency", "no_load_power"}
        found |= {"no_load_power"} if plate.no_load_power_W is not None else set()
        found |= {"average_active_efficiency"} if plate.average_efficiency_percent is not None else set()
        for out in plate.outputs:
            found |= {"output_voltage"} if out.tolerance_percent is not None else set()
            found |= {"load_regulation"} if out.load_regulation_percent is not None else set()
            found |= {"line_regulation"} if out.line_regulation_percent is not None else set()
            found |= {"ripple"} if out.ripple_V is not None else set()
        return frozenset(found | ({"input_current"} if plate.inputs and plate.input.current_A is not None else set()))

    def at_load(self, percent: float) -> dict[str, Expected]:
        """What to expect at the plan's first line, or the lowest rated input, at a share of the rated load."""
        plate = self.unit.nameplate
        lines = [x.voltage_V for x in self.plan.lines if (x.frequency_Hz == 0.0) == (plate.input.type == "dc")]
        voltage = min((v for v in lines if v >= 0.9 * plate.input.voltage_min_V), default=plate.input.voltage_min_V)
        return expected(plate, voltage, Envelope(plate).loads_A(percent), 23.0)

    def touched(self, *figures: str) -> tuple[str, ...]:
        """Those of the figures that somebody has stated."""
        return tuple(f for f in figures if f in self.figures)

    def needing(self, role: str) -> tuple[str, ...]:
        return tuple(f for f in FIGURES if f in self.figures and role in FIGURES[f].roles)


Rule = Callable[[Case], Iterator[Fault]]
