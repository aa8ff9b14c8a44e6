"""What hold-up is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOADS, Choosing, Field, between, check_lines, check_loads
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import AtLinesAndLoads, claimed, lines_claimed

FIGURES = ("hold_up", "power_good_warning")
MOST_REPEATS, MOST_CLOSER = 20, 5
FORM: tuple[Field, ...] = (
    fields.LINES,
    LOADS,
    Choosing("Times at each", "repeats", tuple((str(n), n) for n in (1, 4, 8))),
    Choosing("Closer to the worst", "closer", (("not", 0), ("two steps", 2), ("three steps", 3))),
    Choosing("Threshold", "threshold", (("90 %", "90%"), ("95 %", "95%"), ("10 %", "10%"))),
)


@dataclass(frozen=True)
class HoldUpOptions(AtLinesAndLoads):
    """The input that goes, at each line and load, as often as ``repeats``, each time at another phase; where the source
    can be told the phase, ``closer`` times more on either side of the worst, each time half as far from it."""

    procedure: Literal["hold_up"] = "hold_up"
    lines: tuple[Line, ...] = LINES[:1]
    loads_percent: tuple[float, ...] = (100.0,)
    repeats: int = 4
    closer: int = 2
    threshold: str = "90%"
    record_s: float = 0.4
    on_s: float = 5.0

    comes_with_input: ClassVar[bool] = True
    form: ClassVar[tuple[Field, ...]] = FORM

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        if not 1 <= self.repeats <= MOST_REPEATS:
            raise InputError(f"1 to {MOST_REPEATS} times", key="part.repeats")
        if not 0 <= self.closer <= MOST_CLOSER:
            raise InputError(f"0 to {MOST_CLOSER} steps closer to the worst phase", key="part.closer")
        between(0.5, 3600.0, on_s=self.on_s)
        between(0.01, 60.0, record_s=self.record_s)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        return (cls(lines=lines_claimed(facts, *FIGURES)),) if claimed(facts, *FIGURES) else ()
