"""What a charge is asked for: the battery, and what its maker allows. Nothing of it is guessed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Literal

from zincsmith.model.errors import InputError
from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.unit import Nameplate
from zincsmith.procedures import fields
from zincsmith.procedures.base import fed_by_one_input
from zincsmith.procedures.cv_cc.options import nobody_sets
from zincsmith.procedures.fields import Choosing, Field, Typing, between, check_lines, read_number, read_words, times
from zincsmith.procedures.planning import AtOneLine, Facts

Chemistry = Literal["", "lead-acid", "Li-ion", "LiFePO4"]
MOST_CELLS, MOST_HOURS = 40, 24.0
FUSE_MOST = 3.0  # times the amps of the charge; common practice, no source


def _number(words: str, field: str) -> Typing:
    return Typing(words, field, lambda x: f"{x:g}" if x else "", read_number)


def _count(text: str) -> int:
    value = read_number(text)
    if value != round(value):
        raise InputError("cells are counted")
    return int(value)


FORM: tuple[Field, ...] = (
    fields.LINE,
    Typing("Output", "port", str, read_words),
    Choosing("Chemistry", "chemistry", (("not said yet", ""), ("lead-acid", "lead-acid"), ("Li-ion", "Li-ion"),
                                        ("LiFePO4", "LiFePO4"))),
    Typing("Cells in series", "cells", lambda x: f"{x}" if x else "", _count),
    _number("Capacity, Ah", "capacity_Ah"),
    _number("Charged to, V in all", "charge_V"),
    _number("Charged with, A", "charge_A"),
    _number("Ends at, A", "end_A"),
    _number("Fuse at the battery, A", "fuse_A"),
    Choosing("Protection of its own", "protected", (("none, or not known", False), ("it has one", True))),
    _number("At most, h", "most_hours"),
    _number("At most, °C", "most_degC"),
    Choosing("A reading every", "every_s", times(20.0, 60.0, 300.0)),
    Choosing("Rests after it", "rest_s", times(60.0, 600.0, 3600.0)),
)  # fmt: skip


@dataclass(frozen=True)
class ChargingOptions(AtOneLine):
    """A battery charged at constant current up to ``charge_V`` in all, then at constant volts down to ``end_A``: as its
    maker allows. The limit of the current is seen into a link before the battery is there; its polarity is read before
    anything is on. Ends by itself at ``most_hours``, ``most_Ah`` or ``most_degC``, whatever it has come to."""

    procedure: Literal["charging"] = "charging"
    line: Line = LINES[0]
    port: str = ""
    chemistry: Chemistry = ""
    cells: int = 0
    capacity_Ah: float = 0.0
    charge_V: float = 0.0
    charge_A: float = 0.0
    end_A: float = 0.0
    fuse_A: float = 0.0
    protected: bool = False
    most_hours: float = 12.0
    most_Ah: float = 0.0
    most_degC: float = 45.0
    every_s: float = 60.0
    rest_s: float = 600.0

    form: ClassVar[tuple[Field, ...]] = FORM
    attended: ClassVar[bool] = True
    after: ClassVar[Mapping[str, str]] = {"bring_up": "the unit could not be brought up first"}

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_input(plate) or nobody_sets(plate)

    @property
    def reason(self) -> str:
        return "a battery joins last, once the unit is known"

    @property
    def allowed_Ah(self) -> float:
        """What goes in at most; a fifth beyond its capacity where nobody said."""
        return self.most_Ah or 1.2 * self.capacity_Ah

    def check(self) -> None:
        """InputError, with the key of the option: nothing is charged that nobody has described."""
        from zincsmith.analysis.charge import CELLS  # numbers are read when a charge is

        check_lines((self.line,), "line")
        between(5.0, 1800.0, every_s=self.every_s)
        between(1.0, 86400.0, rest_s=self.rest_s)
        if not self.chemistry:
            raise InputError("say what chemistry the battery is of", key="part.chemistry")
        cell = CELLS[self.chemistry]
        wanted: tuple[tuple[str, Any, Any, str], ...] = (
            ("cells", self.cells, MOST_CELLS, "say how many cells are in series"),
            ("capacity_Ah", self.capacity_Ah, 1000.0, "say its capacity in Ah"),
            ("charge_V", self.charge_V, self.cells * cell.most_V,
             f"{cell.most_V:g} V a cell are the most for {self.chemistry}, or what its maker prints if that is less"),
            ("charge_A", self.charge_A, cell.most_C * self.capacity_Ah,
             f"{cell.most_C:g} times its capacity are the most amps, or what its maker prints if that is less"),
            ("end_A", self.end_A, 0.5 * self.charge_A, "say at which amps it is full, at most half of the first"),
            ("fuse_A", self.fuse_A, FUSE_MOST * self.charge_A, "say the fuse at the battery, at most three times them"),
            ("most_hours", self.most_hours, MOST_HOURS, "say after how many hours it ends whatever it has come to"),
            ("most_degC", self.most_degC, 60.0, "say at which temperature it ends"),
        )  # fmt: skip
        for key, value, most, words in wanted:
            if not 0.0 < value <= most * (1.0 + 1e-9):
                raise InputError(words, key=f"part.{key}")
        if self.fuse_A < self.charge_A:
            raise InputError("a fuse below the amps of the charge blows", key="part.fuse_A")
        if cell.lithium and not self.protected:
            raise InputError("a lithium battery is charged with a protection of its own only", key="part.protected")

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """By nobody: what battery it is, a person says."""
        return ()
