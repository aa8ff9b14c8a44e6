"""What a buyer wants: which figures count, what earns nothing and everything, and how much each weighs."""

from __future__ import annotations

from dataclasses import dataclass

from zincsmith.model.record import Record


@dataclass(frozen=True)
class Wanted(Record):
    """``nought`` earns no points and ``full`` a hundred, in the figure's own unit and either way round; ``line_V`` and
    ``load_percent`` say where, None wherever the units have it in common."""

    figure: str
    nought: float
    full: float
    weight: float = 1.0
    line_V: float | None = None
    load_percent: float | None = None


@dataclass(frozen=True)
class Recipe(Record):
    name: str
    wish: tuple[Wanted, ...]
