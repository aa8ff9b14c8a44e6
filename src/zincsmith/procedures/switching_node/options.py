"""What the switching node is asked for, and how it is put into a plan."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.fields import LOADS, Choosing, Field, between, check_lines, check_loads
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import AtLinesAndLoads, claimed, lines_claimed

FORM: tuple[Field, ...] = (
    fields.LINES,
    LOADS,
    Choosing("At the start", "at_start", (("not looked at", False), ("recorded too", True))),
)


@dataclass(frozen=True)
class SwitchingNodeOptions(AtLinesAndLoads):
    """A record of the node at each line and load, ``record_s`` long: a hundred cycles and more; with
    ``at_start`` once more at each line as the input comes under the highest load: a switch is tried hardest then."""

    procedure: Literal["switching_node"] = "switching_node"
    lines: tuple[Line, ...] = LINES
    loads_percent: tuple[float, ...] = (10.0, 50.0, 100.0)
    settle_s: float = 2.0
    record_s: float = 2e-3
    at_start: bool = False

    form: ClassVar[tuple[Field, ...]] = FORM

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        check_loads(self.loads_percent)
        between(0.0, 3600.0, settle_s=self.settle_s)
        between(1e-5, 0.1, record_s=self.record_s)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        if not plate.nodes:
            return "no node inside the unit is stated; enter it at Nameplate, Terminals"
        return super().suits(plate)

    def unmet(self, facts: Facts) -> str:
        """Beyond the others: a channel of the scope looks at a node."""
        scope = facts.rig.instrument("scope")
        if scope is not None and not any(c.quantity == "node_voltage" for c in scope.scope_channels):
            return "no channel of the scope looks at a node; join one at Rig, or hold it near without contact"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        if not facts.unit.nameplate.nodes or not claimed(facts, "switching_frequency"):
            return ()
        return (cls(lines=lines_claimed(facts, "switching_frequency")),)
