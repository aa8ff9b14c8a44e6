"""How procedures that work on captures, or go beyond what a plate says, are put into a plan."""

from __future__ import annotations

from typing import ClassVar

from zincsmith.model.errors import InputError
from zincsmith.model.operating_point import Draw, Feed, OperatingPoint
from zincsmith.model.plan import Line, Options
from zincsmith.model.port import ports_of
from zincsmith.model.scope import Stood
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import fed_by_one_input, fed_with_fixed_outputs
from zincsmith.procedures.fields import check_lines, check_loads
from zincsmith.procedures.planning import Facts, Planned


class OnOutputs(Planned):
    """Of any unit with an output of direct current. ``comes_with_input``: it is about volts that go with the input."""

    comes_with_input: ClassVar[bool] = False

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        given = [p for p in ports_of(plate) if p.side == "out"]
        if not given:
            return "the nameplate states no output yet"
        return "" if any(p.kind == "dc" for p in given) else "no procedure yet for an output that alternates"

    def stands(self) -> tuple[Stood, ...]:
        return tuple(
            Stood(OperatingPoint((Feed(line.voltage_V, line.frequency_Hz),), (Draw(load),)))
            for line in self.lines_used
            for load in self.loads_used or (0.0,)
        )

    def unmet(self, facts: Facts) -> str:
        """Beyond files: a bench takes captures of what is fed by one AC input, with a scope."""
        if facts.rig.instrument("scope") is None:
            return "the rig has no scope; record with what is there, and take the file in"
        fits = fed_with_fixed_outputs if self.comes_with_input else fed_by_one_input
        return fits(facts.unit.nameplate)


class AtLinesAndLoads(OnOutputs):
    """At each of its lines and loads."""

    lines: tuple[Line, ...]
    loads_percent: tuple[float, ...]

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent


LATE = 7  # violent after gentle, before the unit is put back as it was
CLAIMED_RIPPLE = ("ripple", "ripple_rms")


def claims_one_of(facts: Facts, *figures: str) -> bool:
    """Whether a paper states one of these."""
    return any(c.figure in figures for c in facts.unit.nameplate.claims if c.kept)


def claimed(facts: Facts, *figures: str) -> bool:
    """Whether a paper states one of these, and there is a scope that could show it."""
    return claims_one_of(facts, *figures) and facts.rig.instrument("scope") is not None


def loads_claimed(facts: Facts, *figures: str) -> tuple[float, ...]:
    """The ends of the loads that claims of these figures name, the greatest first; nothing where none is named."""
    named = [c.condition.load_percent for c in facts.unit.nameplate.claims if c.figure in figures and c.kept]
    return tuple(sorted({p for span in named if span is not None for p in span}, reverse=True))


def lines_claimed(facts: Facts, *figures: str) -> tuple[Line, ...]:
    """The lines that claims of these figures name; for one that names none the lowest and the highest."""
    lines = facts.lines_or_usual
    wanted: list[Line] = []
    for claim in facts.unit.nameplate.claims:
        if claim.figure in figures and claim.kept:
            span, hertz = claim.condition.line_V, claim.condition.frequency_Hz
            named = [x for x in lines if span and span[0] <= x.voltage_V <= span[1] and hertz in (None, x.frequency_Hz)]
            wanted += named or [lines[0], lines[-1]]
    return tuple(x for x in lines if x in wanted) or (lines[0], lines[-1])


class BeyondRating(OnOutputs):
    """What drives a unit beyond its rating on purpose: late, and never by itself."""

    lines: tuple[Line, ...]
    chosen_only: ClassVar[str] = "it drives the unit beyond its rating, and somebody stays with it"
    attended: ClassVar[bool] = True

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def rank(self) -> int:
        return LATE

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """At the first of the lines that its claims name; a composed plan has it only where a person chose it."""
        return (cls(lines=lines_claimed(facts, *cls.tests)[:1]),)  # type: ignore[call-arg]

    def unmet(self, facts: Facts) -> str:
        """Volts and amps have to be polled: what happens in a second nobody types."""
        by_hand = [role for role in ("voltmeter", "load") if facts.rig.by_hand(role)]
        if by_hand:
            return f"the {by_hand[0]} is read by hand: what happens at a trip is over before anybody types it"
        return fed_with_fixed_outputs(facts.unit.nameplate)


class OnInputs(OnOutputs):
    """What lowers the input below what the unit is rated for, or goes through it: volts are polled or typed."""

    def unmet(self, facts: Facts) -> str:
        """The input has to be lowered by somebody."""
        if facts.source == "fixed":
            return "the input is a wall outlet: nobody can lower it; a source or a variable transformer can"
        return fed_with_fixed_outputs(facts.unit.nameplate)


class WeaklyFed(OnInputs):
    """At one line and each of its loads, with an input that gives way."""

    line: Line
    loads_percent: tuple[float, ...]
    tolerance_percent: float  # within which of nominal an output is good

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return (self.line,)

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    @property
    def rank(self) -> int:
        return LATE - 1

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        check_loads(self.loads_percent)
        if not 0.1 <= self.tolerance_percent <= 30.0:
            raise InputError("a tolerance of 0.1 to 30 %", key="part.tolerance_percent")
