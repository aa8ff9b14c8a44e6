"""What hands are wanted for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal, get_args

from zincsmith.model.plan import LINES, Line
from zincsmith.procedures.fields import LINE, LONGEST_S, Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Planned

OPEN_CASE = "open the case"
HandsInAct = Literal["turn the board over", "move a probe", "look from the other side", "open the case"]
FORM: tuple[Field, ...] = (
    Choosing("Hands go in to", "act", tuple((words, words) for words in get_args(HandsInAct))),
    LINE,
    Choosing("Warm again for", "warm_up_s", times(0.0, 300.0, 600.0, 1800.0)),
)


@dataclass(frozen=True)
class HandsInOptions(Planned):
    """Hands go in during the work; afterwards the unit is fed at ``line`` and warmed for ``warm_up_s`` again."""

    procedure: Literal["hands_in"] = "hands_in"
    act: HandsInAct = "turn the board over"
    line: Line = LINES[0]
    warm_up_s: float = 600.0

    form: ClassVar[tuple[Field, ...]] = FORM

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return (self.line,)

    def on_the_changed(self) -> None:
        """Hands were in just before."""
        return

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        between(0.0, LONGEST_S, warm_up_s=self.warm_up_s)
