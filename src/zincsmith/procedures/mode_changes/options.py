"""What changes of mode are asked for, and how they are put into a plan."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Literal

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import AtOneLine, Facts
from zincsmith.procedures.usb_modes.options import ports_with_modes

FORM: tuple[Field, ...] = (
    fields.LINE,
    Choosing("Hard reset", "reset", (("sent", True), ("left out", False))),
    Choosing("Ports beside", "beside", (("watched", True), ("left out", False))),
    Choosing("Wait in each", "settle_s", times(2.0, 3.0, 10.0)),
)


@dataclass(frozen=True)
class ChangesOptions(AtOneLine):
    """Records of a port without a load that something is plugged in at, that is asked for each of its modes from the
    one below and for the first from the last, is taken off again, is sent a hard reset (``reset``); of a port in its
    highest mode while something is plugged in beside it and taken off (``beside``)."""

    procedure: Literal["mode_changes"] = "mode_changes"
    line: Line = LINES[0]
    reset: bool = True
    beside: bool = True
    settle_s: float = 3.0

    form: ClassVar[tuple[Field, ...]] = FORM
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate) or ports_with_modes(plate)

    @property
    def reason(self) -> str:
        return "a device is at a port while it changes: what it meets there is seen before one is plugged in"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines((self.line,), "line")
        between(0.5, 600.0, settle_s=self.settle_s)

    def unmet(self, facts: Facts) -> str:
        """Beyond the others: a channel of a scope at such a port."""
        if not _joined(facts):
            return "no channel of a scope is joined to a port that is asked for modes: join one at Rig"
        return super().unmet(facts)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """Of what mains feeds, as its modes are."""
        plate = facts.unit.nameplate
        fits = not cls.suits(plate) and plate.input.type == "ac" and _joined(facts)
        return (cls(line=facts.first),) if fits else ()


def _joined(facts: Facts) -> bool:
    scope = facts.rig.instrument("scope")
    ports = {one.name for one in facts.unit.nameplate.outputs if len(one.modes) > 1}
    if scope is None:
        return False
    single = len(facts.unit.nameplate.outputs) == 1
    return any(c.quantity == "output_voltage" and (single or c.port in ports) for c in scope.scope_channels)
