"""How a procedure is put into a plan: what its options have to tell, and what they go by."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

from zincsmith.model.plan import LINES, Line, Options
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Nameplate, Unit
from zincsmith.procedures.base import SourceKind, fed_by_one_input, fed_by_one_mains
from zincsmith.procedures.fields import Field

RATED = "rated"  # as the modes of ports: each asked for the one with the most watts
TOGETHER = 6  # after standby: ports that let go together end the run, each was seen alone before
FIRST = 0  # gates before anything is energised
USUAL = 4  # where most procedures stand in the order of the work


@dataclass(frozen=True)
class Facts:
    """What a plan is composed by. ``lines`` is every line that a claim speaks of and the source can give, the lowest
    first; ``idle_lines`` those at which standby power is asked for. ``records``: the power meter gives waveforms;
    ``read_by_program``: one more point costs nobody's time; ``dips``: the source lets its volts go away
    for a moment by itself; ``chosen`` names what a person asked for by name."""

    unit: Unit
    rig: Rig
    lines: tuple[Line, ...]
    idle_lines: tuple[Line, ...]
    source: SourceKind = "settable"
    records: bool = False
    read_by_program: bool = True
    dips: bool = False
    chosen: frozenset[str] = frozenset()

    @property
    def first(self) -> Line:
        """The line that most is done at: the lowest of mains, the one in the middle of direct current, whose lower end
        may be below what the unit works at."""
        if self.lines and not self.lines[0].frequency_Hz:
            return self.lines[len(self.lines) // 2]
        return self.lines[0] if self.lines else LINES[0]

    @property
    def lines_or_usual(self) -> tuple[Line, ...]:
        return self.lines or LINES


@dataclass(frozen=True)
class Refit:
    """A plan for another unit, or other ratings of it: ``proposed`` are the lines that the program had proposed for the
    old one, ``own`` those of the new."""

    new: Unit
    proposed: tuple[Line, ...]
    own: tuple[Line, ...]
    proposed_idle: tuple[Line, ...]
    own_idle: tuple[Line, ...]

    def line(self, line: Line) -> Line:
        """A single line: kept where a person chose it and the new unit is rated for it."""
        kept = self.fits(line) and line not in self.proposed[:1]
        return line if kept else self.own[0]

    def lines(self, lines: tuple[Line, ...], idle: bool = False) -> tuple[Line, ...]:
        """Several, likewise."""
        usual, fresh = (self.proposed_idle, self.own_idle) if idle else (self.proposed, self.own)
        if lines == usual:
            return fresh
        kept = tuple(x for x in lines if self.fits(x))
        return lines if kept == lines else kept or fresh

    def fits(self, line: Line) -> bool:
        """Whether the first input of the unit is rated for a line."""
        one = self.new.nameplate.input
        hertz = one.hertz
        spans = [r.voltage_V for r in one.ranges if r.type == one.type] or [one.voltage_V]
        rated = min(hertz) <= line.frequency_Hz <= max(hertz)
        return rated and any(low <= line.voltage_V <= high for low, high in spans)


class Planned(Options):
    """Options with what planning asks of them; what a procedure does not say itself stays as it is here.

    ``form`` is what people choose and type. ``rank`` says what must not come before what, lower first, and ``reason``
    why. ``after`` names procedures without which it is not proposed, each with the reason. ``stays``: why a person
    cannot take it out. ``chosen_only``: its risk, where a composed plan has it only if a person chose it by name; it
    is offered where a claim states one of the figures of ``tests``.
    """

    form: ClassVar[tuple[Field, ...]] = ()
    changes_unit: ClassVar[bool] = False  # whether its point is to put the unit into another configuration
    after: ClassVar[Mapping[str, str]] = {}
    chosen_only: ClassVar[str] = ""
    tests: ClassVar[tuple[str, ...]] = ()

    @property
    def rank(self) -> int:
        return USUAL

    @property
    def reason(self) -> str:
        return ""

    def with_loads(self, loads_percent: tuple[float, ...], apart: float) -> Planned:
        """Taken at these loads too, as far as none is ``apart`` from one that it has."""
        return self

    @property
    def becomes(self) -> str:
        """The configuration that the unit is in from this part of a plan on; empty where it stays what it was."""
        return ""

    @property
    def stays(self) -> str:
        return ""

    @property
    def longest_s(self) -> float | None:
        """The most it may take, where that is nothing a rehearsal sees; None where it sees it."""
        return None

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        """Empty when the procedure fits a unit, else the reason why not."""
        return fed_by_one_input(plate)

    def told(self) -> tuple[tuple[str, str], ...]:
        """(what, how) of the conditions that a report tells."""
        return ()

    def check(self) -> None:
        """InputError, with the key of the option, for what no bench can carry out."""

    def unmet(self, facts: Facts) -> str:
        """Why it cannot be carried out on this bench, beyond the roles it needs; empty where it can."""
        return ""

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        """The parts that a composed plan has of it, none where nothing calls for it."""
        return ()

    def refitted(self, to: Refit) -> Options:
        """The same for another unit."""
        return self

    def retested(self, figures: Sequence[str], facts: Facts) -> Options | None:
        """The part as a retest of these figures has it, of those that this procedure tests; None: not at all."""
        return self if figures else None

    def on_the_changed(self) -> Options | None:
        """The part as it is done once more after the unit was changed; None: it is not."""
        return self


def ports_of_rated(plate: Nameplate) -> bool:
    """Whether there are several outputs of which some are asked for what they give."""
    return len(plate.outputs) > 1 and (bool(plate.sharing) or any(o.modes for o in plate.outputs))


class AtOneLine(Planned):
    """What stands at one line of the input; of a unit that it suits a composed plan has it at the first."""

    line: Line

    @property
    def lines_used(self) -> tuple[Line, ...]:
        return (self.line,)

    @classmethod
    def proposed(cls, facts: Facts) -> tuple[Options, ...]:
        return () if cls.suits(facts.unit.nameplate) else (cls(line=facts.first),)  # type: ignore[call-arg]

    def refitted(self, to: Refit) -> Options:
        return replace(self, line=to.line(self.line))  # type: ignore[call-arg]


class OnMains(Planned):
    """What is about an input that alternates."""

    @classmethod
    def suits(cls, plate: Nameplate) -> str:
        return fed_by_one_mains(plate)


LONGEST_CHANGE = 200  # characters of what is changed of a unit
