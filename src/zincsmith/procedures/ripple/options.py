"""What ripple is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOADS, Choosing, Field, between, check_lines, check_loads, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import CLAIMED_RIPPLE, AtLinesAndLoads, claimed, lines_claimed

FORM: tuple[Field, ...] = (
    fields.LINES,
    LOADS,
    Choosing("Wait at each", "settle_s", times(2.0, 5.0, 30.0)),
    Choosing("Bandwidth limit", "limited_MHz", (("20 MHz", 20.0), ("none", 0.0))),
    Choosing("Cold as well", "warm_min", (("no", 0.0), ("and after 20 min", 20.0), ("and after 60 min", 60.0))),
    Choosing("Pick-up", "pick_up", (("not tried", False), ("tip and ground at one node", True))),
    Choosing("Background", "background", (("before and after", True), ("not taken", False))),
)


@dataclass(frozen=True)
class RippleOptions(AtLinesAndLoads):
    """Ripple at each line and load: a short record for the switching, a long one for what follows the line.
    ``limited_MHz`` is what the figure that judges is limited to, 0: as recorded. With ``warm_min`` it is taken cold
    at the first line and the highest load, all the rest after so many minutes there. With ``pick_up`` it is recorded
    once more with the unit on and tip and ground of the probe at one node: what remains is not of the output."""

    procedure: Literal["ripple"] = "ripple"
    lines: tuple[Line, ...] = LINES
    loads_percent: tuple[float, ...] = (0.0, 50.0, 100.0)
    settle_s: float = 5.0
    limited_MHz: float = 20.0
    background: bool = True
    short_s: float = 200e-6
    long_s: float = 0.2
    warm_min: float = 0.0
    pick_up: bool = False

    form: ClassVar[tuple[Field, ...]] = FORM

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        between(0.0, 3600.0, settle_s=self.settle_s)
        between(1e-6, 0.01, short_s=self.short_s)
        between(0.0, 600.0, warm_min=self.warm_min)
        if self.long_s:  # 0: none
            between(0.01, 2.0, long_s=self.long_s)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        stated = any(o.ripple_V is not None for o in facts.unit.nameplate.outputs)
        wanted = claimed(facts, *CLAIMED_RIPPLE) or (stated and facts.rig.instrument("scope") is not None)
        return (cls(lines=lines_claimed(facts, *CLAIMED_RIPPLE)),) if wanted else ()
