"""Several runs of one unit, several specimens of one model: what changed, and how far they spread; models that are
much alike."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from zincsmith.analysis.specimens import TELLS, Specimens, chance_of, specimens
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.unit import Unit

if TYPE_CHECKING:
    from zincsmith.showing.compare import Row

SIZE_MM, MASS = 1.5, 0.05  # how far two of one make lie apart at most; common practice, no source


@dataclass(frozen=True)
class Change:
    """One figure of one unit, before and after. ``real``: by more than both are uncertain by."""

    name: str
    title: str
    where: str
    unit: str
    before: float
    after: float
    change: float
    u: float
    real: bool


def changes(rows: Sequence[Row], before: str, after: str) -> tuple[Change, ...]:
    """Meters of both runs are taken to err each for itself, which is the safe side of one bench."""
    out = []
    for row in rows:
        cells = {c.unit_tag: c for c in row.cells}
        if before in cells and after in cells:
            a, b = cells[before], cells[after]
            u = math.hypot(a.u or 0.0, b.u or 0.0)
            known = a.u is not None and b.u is not None
            moved = b.value - a.value
            out.append(Change(row.name, row.title, row.where, row.unit, a.value, b.value, moved, u,
                              known and abs(moved) > 2.0 * u))  # fmt: skip
    return tuple(out)


@dataclass(frozen=True)
class Spread:
    """One figure over the specimens of each model. ``told_apart``: the means differ by more than specimens do; None
    where that cannot be said."""

    name: str
    title: str
    where: str
    unit: str
    models: Mapping[str, Specimens]
    told_apart: bool | None

    def as_json(self) -> dict[str, Any]:
        return {**{k: getattr(self, k) for k in ("name", "title", "where", "unit", "told_apart")},
                "models": {model: asdict(one) for model, one in self.models.items()}}  # fmt: skip


def spreads(rows: Sequence[Row], models: Mapping[str, str]) -> tuple[Spread, ...]:
    """``models`` by label of a unit; figures that one model at least has of two specimens."""
    out = []
    for row in rows:
        values: dict[str, list[float]] = defaultdict(list)
        for cell in row.cells:
            values[models[cell.unit_tag]].append(cell.value)
        if max(len(each) for each in values.values()) < 2:
            continue
        chance = chance_of(*values.values()) if len(values) == 2 else None
        out.append(Spread(row.name, row.title, row.where, row.unit, {m: specimens(v) for m, v in values.items()},
                          None if chance is None else chance < TELLS))  # fmt: skip
    return tuple(out)


def model_of(unit: Unit) -> str:
    return " ".join(x for x in (unit.maker, unit.model) if x) or unit.tag


@dataclass(frozen=True)
class Likeness:
    """Two models that agree in so much that one maker may stand behind both: alternatives that may share faults."""

    units: tuple[str, str]
    alike: tuple[str, ...]


def likenesses(runs: Sequence[JudgedRun], labels: Sequence[str]) -> tuple[Likeness, ...]:
    """Of models with different names: same size, and of mass, modes, switch-in and trip two at least."""
    out = []
    for n, (one, label) in enumerate(zip(runs, labels, strict=True)):
        for other, second in list(zip(runs, labels, strict=True))[n + 1 :]:
            if model_of(one.unit) == model_of(other.unit):
                continue
            alike = _alike(one, other)
            if "size" in alike and len(alike) > 2:
                out.append(Likeness((label, second), tuple(alike)))
    return tuple(out)


def _alike(one: JudgedRun, other: JudgedRun) -> list[str]:
    a, b = one.unit.look.physical, other.unit.look.physical
    found = []
    if a.size_mm and b.size_mm:
        apart = [abs(x - y) for x, y in zip(sorted(a.size_mm), sorted(b.size_mm), strict=True)]
        found += ["size"] if max(apart) <= SIZE_MM else []
    if a.mass_g and b.mass_g and abs(a.mass_g - b.mass_g) <= MASS * a.mass_g:
        found.append("mass")
    modes = [[(m.voltage_V, m.current_A) for o in r.unit.nameplate.outputs for m in o.modes] for r in (one, other)]
    if modes[0] and modes[0] == modes[1]:
        found.append("modes")
    for name, words in (("correction_in", "where power-factor correction switches in"), ("overcurrent", "trip")):
        values = [next((j.finding for j in r.judged if j.finding.name == name and j.finding.value), None)
                  for r in (one, other)]  # fmt: skip
        if values[0] is not None and values[1] is not None:
            apart_by = abs(values[0].number - values[1].number)
            if apart_by <= 2.0 * math.hypot(values[0].u or 0.0, values[1].u or 0.0):
                found.append(words)
    return found
