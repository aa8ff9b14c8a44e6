"""What an output that its user sets is asked for: set points of volts and of amps, and where its limit takes over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.port import can_be_set
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import AtOneLine, Facts, Planned, Refit

MAINS_LOW = 0.9  # of its nominal volts: what mains may fall to (EN 50160, value from memory)
SHARES, FEW = (5.0, 25.0, 50.0, 75.0, 100.0), (10.0, 100.0)
SET = (("at five of each", SHARES), ("at two of each", FEW))
FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("Set points of volts", "volts_percent", SET),
    Choosing("Set points of amps", "amps_percent", SET),
    Choosing("Where its limit takes over", "crossover", (("gone through", True), ("left out", False))),
    Choosing("Least step it follows", "least_step", (("left out", False), ("looked for", True))),
    Choosing("Warm-up before", "warm_up_s", times(0.0, 300.0, 1800.0)),
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 20.0)),
    Choosing("Average over", "average_s", times(2.0, 4.0, 10.0)),
)


@dataclass(frozen=True)
class SetOptions(Planned):
    """At the first line the output is set to shares of its volts, without a load and clear of its limit; then its limit
    to shares of its amps, with a load that holds volts; then both again at the other lines. ``crossover``: loads
    through the corner between both. ``least_step``: in the middle of its volts, without a load, steps of
    growing size."""

    procedure: Literal["cv_cc"] = "cv_cc"
    lines: tuple[Line, ...] = LINES
    volts_percent: tuple[float, ...] = SHARES
    amps_percent: tuple[float, ...] = SHARES
    crossover: bool = True
    least_step: bool = False
    warm_up_s: float = 300.0
    settle_s: float = 5.0
    average_s: float = 4.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate) or nobody_sets(plate)

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def reason(self) -> str:
        return "what is set is looked at warm, before anything violent"

    def told(self) -> tuple[tuple[str, str], ...]:
        return (
            ("Full load of an output that is set", "95 % of its limit, so that the limit does not act"),
            ("Current regulation", "change of the held current from 10 to 90 % of the volts, of what was set"),
        )

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        for key, shares in (("volts_percent", self.volts_percent), ("amps_percent", self.amps_percent)):
            if not shares or not all(1.0 <= s <= 100.0 for s in shares):
                raise InputError("shares from 1 to 100 % of the range", key=f"part.{key}")
        between(0.0, 7200.0, warm_up_s=self.warm_up_s)
        between(0.5, 600.0, settle_s=self.settle_s, average_s=self.average_s)

    def unmet(self, facts: Facts) -> str:
        """Beyond the others: who turns a knob until a voltmeter shows so many volts has no least step."""
        if self.least_step and not any(one.how != "by hand" for one in facts.rig.of("unit_interface")):
            return "its volts are turned by hand, by the voltmeter: leave out the least step that it follows"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """By hand at two set points of each: every one more is a knob to turn and three figures to type."""
        if cls.suits(facts.unit.nameplate):
            return ()
        shares = SHARES if facts.read_by_program else FEW
        return (cls(lines=_lines(facts), volts_percent=shares, amps_percent=shares),)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))


def _lines(facts: Facts) -> tuple[Line, ...]:
    """The first line, then the others; of an input that is rated for one voltage what mains may fall to."""
    lines = tuple(dict.fromkeys((facts.first, *facts.lines)))
    if len({line.voltage_V for line in lines}) == 1 and facts.first.frequency_Hz:
        lines += (Line(MAINS_LOW * facts.first.voltage_V, facts.first.frequency_Hz),)
    return lines


def nobody_sets(plate: Nameplate) -> str:
    """Why no output of a unit can be set by its user; empty where one can."""
    return "" if any(can_be_set(one) for one in plate.outputs) else "nobody sets what its outputs give"


@dataclass(frozen=True)
class SeenByAScope(AtOneLine):
    """What the procedures share that look at a set output with a scope, at one line, once it could be brought up."""

    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate) or nobody_sets(plate)

    def unmet(self, facts: Facts) -> str:
        """Beyond the others: a scope, joined to the output."""
        scope = facts.rig.instrument("scope")
        if scope is None:
            return "the rig has no scope; record with what is there, and take the file in"
        if not any(c.quantity == "output_voltage" for c in scope.scope_channels):
            return "no channel of the scope is joined to the output"
        return super().unmet(facts)
