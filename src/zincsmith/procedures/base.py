"""What a procedure is: a generator of actions, and a pure function from evidence to findings."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass
from typing import Protocol

from zincsmith.model.actions import Action, Outcome
from zincsmith.model.finding import Finding
from zincsmith.model.plan import GridOptions
from zincsmith.model.reading import Evidence
from zincsmith.model.unit import Nameplate

Steps = Generator[Action, Outcome, None]


@dataclass(frozen=True)
class Context:
    """What a procedure knows when it starts. ``polled`` names the quantities read without a person, ``measured``
    all that anybody reads."""

    nameplate: Nameplate
    options: GridOptions
    polled: frozenset[str]
    measured: frozenset[str]


@dataclass(frozen=True)
class Conventions:
    """Choices that schools differ in; printed with the figures they touch."""

    regulation_over: str = "Vnom"


class Procedure(Protocol):
    """``steps`` is deterministic and touches nothing; ``findings`` can be run again on an old run."""

    name: str
    title: str
    version: int

    def suits(self, plate: Nameplate) -> str:
        """Empty when it fits the unit, else the reason why not."""

    def steps(self, ctx: Context) -> Steps: ...

    def findings(self, evidence: Evidence, nameplate: Nameplate, conventions: Conventions) -> list[Finding]: ...
