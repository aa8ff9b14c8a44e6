"""What turn-on is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOADS, Choosing, Field, between, check_lines, check_loads
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import AtLinesAndLoads, claimed, lines_claimed

MOST_REPEATS = 20
FORM: tuple[Field, ...] = (
    fields.LINES,
    LOADS,
    Choosing("Times at each", "repeats", tuple((str(n), n) for n in (1, 4, 8))),
    Choosing("Then", "then_off", (("stays on", False), ("off again: hold-up too", True))),
    Choosing("Threshold", "threshold", (("90 %", "90%"), ("95 %", "95%"), ("10 %", "10%"))),
)


@dataclass(frozen=True)
class TurnOnOptions(AtLinesAndLoads):
    """The input that comes, at each line and load, as often as ``repeats``, each time at another phase. With
    ``then_off`` it goes again once the output is up: delay and hold-up over load come from one go."""

    procedure: Literal["turn_on"] = "turn_on"
    lines: tuple[Line, ...] = LINES[:1]
    loads_percent: tuple[float, ...] = (100.0,)
    repeats: int = 4
    threshold: str = "90%"
    record_s: float = 1.0
    off_s: float = 20.0
    then_off: bool = False

    comes_with_input: ClassVar[bool] = True
    form: ClassVar[tuple[Field, ...]] = FORM

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        if not 1 <= self.repeats <= MOST_REPEATS:
            raise InputError(f"1 to {MOST_REPEATS} times", key="part.repeats")
        between(0.5, 3600.0, off_s=self.off_s)
        between(0.01, 60.0, record_s=self.record_s)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        figures = ("turn_on_delay", "rise_time", "power_good_delay", "power_good_level")
        return (cls(lines=lines_claimed(facts, *figures)),) if claimed(facts, *figures) else ()
