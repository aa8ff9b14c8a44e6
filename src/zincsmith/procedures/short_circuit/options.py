"""What a short circuit is asked for: when somebody chose it, never by itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.fields import Choosing, Field, between, check_lines, times
from zincsmith.procedures.planning import Facts, Refit
from zincsmith.procedures.waveforms.options import LATE, BeyondRating

FORM: tuple[Field, ...] = (
    fields.LINES,
    Choosing("Load before", "preload_percent", tuple((f"{p:g} %", p) for p in (0.0, 50.0, 100.0))),
    Choosing(
        "As a resistance too",
        "resistances_ohm",
        (
            ("no, the short alone", ()),
            ("1 Ω", (1.0,)),
            ("0.5 and 2 Ω", (0.5, 2.0)),
            ("0.2, 0.5, 1, 2 Ω", (0.2, 0.5, 1.0, 2.0)),
        ),
    ),
    Choosing("Held for", "hold_s", times(2.0, 10.0, 60.0)),
    Choosing("Times", "repeats", tuple((f"{n}", n) for n in (1, 3, 10))),
    Choosing("Rest between", "rest_s", times(10.0, 60.0, 300.0)),
)
MOST_REPEATS = 20
MOST_OHM = 1000.0


@dataclass(frozen=True)
class ShortCircuitOptions(BeyondRating):
    """The short input of the load onto a unit that runs, held, released; every trial has to come back. ``threshold`` is
    where the collapse ends, of a record by a scope where one is on the output. ``resistances_ohm``: from the first load
    the load is made such a resistance too, so that behaviour over the resistance of a short is known.
    ``set_percent``: of an output whose volts are set, the shares of its greatest volts that it is shorted from."""

    procedure: Literal["short_circuit"] = "short_circuit"
    lines: tuple[Line, ...] = LINES[:1]
    preload_percent: float = 50.0
    more_preloads_percent: tuple[float, ...] = ()
    resistances_ohm: tuple[float, ...] = ()
    set_percent: tuple[float, ...] = (100.0,)
    hold_s: float = 5.0
    recover_s: float = 8.0
    rest_s: float = 10.0
    repeats: int = 3
    threshold: str = "10%"
    record_s: float = 5e-3

    form: ClassVar[tuple[Field, ...]] = FORM
    tests: ClassVar[tuple[str, ...]] = ("short_circuit_time",)
    chosen_only: ClassVar[str] = "it shorts the output, and somebody stays with it"

    @property
    def preloads(self) -> tuple[float, ...]:
        """The loads that it is shorted from, each with all its repeats."""
        return tuple(dict.fromkeys((self.preload_percent, *self.more_preloads_percent)))

    @property
    def loads_used(self) -> tuple[float, ...]:
        return self.preloads

    @property
    def rank(self) -> int:
        return LATE + 1

    @property
    def reason(self) -> str:
        return "it shorts the output: after everything else"

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""
        check_lines(self.lines)
        for key, loads in (("preload_percent", (self.preload_percent,)), ("more_preloads_percent", self.preloads)):
            if any(not 0.0 <= load <= 100.0 for load in loads):
                raise InputError("lies between 0 and 100 %", key=f"part.{key}")
        if any(not 0.0 < ohm <= MOST_OHM for ohm in self.resistances_ohm):
            raise InputError(f"lie above 0 and up to {MOST_OHM:g} ohm", key="part.resistances_ohm")
        if not self.set_percent or any(not 0.0 < share <= 100.0 for share in self.set_percent):
            raise InputError("lie above 0 and up to 100 % of the greatest volts", key="part.set_percent")
        if not 1 <= self.repeats <= MOST_REPEATS:
            raise InputError(f"1 to {MOST_REPEATS} times", key="part.repeats")
        between(0.5, 600.0, hold_s=self.hold_s, recover_s=self.recover_s)
        between(0.0, 3600.0, rest_s=self.rest_s)
        between(1e-4, 1.0, record_s=self.record_s)

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        """Nothing that a battery feeds, no output that alternates."""
        return fed_by_one_input(plate)

    def unmet(self, facts: Facts) -> str:
        """A contactor, or a load whose short input the rig states: nobody makes a short by hand."""
        able = [*facts.rig.of("load"), *facts.rig.of("contactor")]
        if not any(one.short_ohm is not None for one in able):
            return "no contactor or load states the ohm of what it shorts with; a short is never made by hand"
        return super().unmet(facts)

    def refitted(self, to: Refit) -> Options:
        return replace(self, lines=to.lines(self.lines))
