"""What ripple by a voltmeter is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import LOADS, Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.planning import Facts, Planned, Refit
from zincsmith.procedures.waveforms.options import CLAIMED_RIPPLE, claims_one_of, lines_claimed

FORM: tuple[Field, ...] = (
    fields.LINES,
    LOADS,
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 30.0)),
    Choosing("Average over", "average_s", times(4.0, 10.0)),
    Choosing("Shape of the ripple", "shape", (
        ("not known: no peak to peak", ""), ("a sawtooth", "sawtooth"), ("a sine", "sine"),
    )),
)  # fmt: skip


@dataclass(frozen=True)
class RippleByVoltmeterOptions(Planned):
    """AC volts of the output at each line and load. ``shape`` is that of the ripple as somebody states it, for a peak
    to peak; without it there is none."""

    procedure: Literal["ripple_by_voltmeter"] = "ripple_by_voltmeter"
    lines: tuple[Line, ...] = LINES
    loads_percent: tuple[float, ...] = (0.0, 50.0, 100.0)
    settle_s: float = 5.0
    average_s: float = 4.0
    shape: Literal["", "sawtooth", "sine"] = ""

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return self.lines

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.loads_percent

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        between(0.0, 3600.0, settle_s=self.settle_s)
        between(1.0, 3600.0, average_s=self.average_s)

    def unmet(self, facts: Facts) -> str:
        return fed_by_one_input(facts.unit.nameplate)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Where a paper states ripple, and nothing better than a voltmeter is there."""
        alone = facts.rig.of("ac_voltmeter") and facts.rig.instrument("scope") is None
        stated = any(o.ripple_V is not None for o in facts.unit.nameplate.outputs)
        wanted = alone and (stated or claims_one_of(facts, *CLAIMED_RIPPLE))
        return (cls(lines=lines_claimed(facts, *CLAIMED_RIPPLE)),) if wanted else ()
