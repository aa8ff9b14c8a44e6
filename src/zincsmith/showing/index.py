"""A standing index over many books: every figure of a class of units, and where one stands among all others.

Of each unit the latest ended run counts; earlier ones are named as superseded, procedures of another version are named
too.
"""

from __future__ import annotations

import statistics
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from zincsmith.judge.judging import JudgedRun
from zincsmith.model.figures import FIGURES
from zincsmith.showing.alike import model_of
from zincsmith.showing.compare import class_of, more_is_better, placed_of


@dataclass(frozen=True)
class Standing:
    """One figure of one unit among those of its class: the ``rank`` th of ``count``, None where nobody says which way
    is better; shared where two cannot be told apart."""

    name: str
    title: str
    where: str
    unit: str
    value: float
    u: float | None
    rank: int | None
    count: int
    least: float
    median: float
    most: float


@dataclass(frozen=True)
class Entry:
    """A unit of the index. ``superseded`` are its earlier runs, ``other_versions`` procedures that most of its class
    ran in another version."""

    tag: str
    name: str
    book: str
    run: int
    kind: str
    standings: tuple[Standing, ...]
    superseded: tuple[int, ...]
    other_versions: tuple[str, ...]

    def as_json(self) -> dict[str, Any]:
        return {**vars(self), "standings": [vars(s) for s in self.standings]}


Found = tuple[str, JudgedRun]  # the book, and a run of it


def index(found: Sequence[Found]) -> tuple[Entry, ...]:
    """In the order of class, then name. Every unit once; one that stands in two books under one tag is two."""
    latest, earlier = _latest(found)
    classes: dict[str, list[Found]] = defaultdict(list)
    for one in latest:
        classes[class_of(one[1].unit)].append(one)
    out = []
    for kind, units in sorted(classes.items()):
        placed = [placed_of(run) for _, run in units]
        usual = _versions([run for _, run in units])
        for n, (book, run) in enumerate(units):
            standings = tuple(_standing(place, n, placed) for place in placed[n] if FIGURES.knows(place[0]))
            odd = tuple(f"{name} {version}" for name, version in run.opened.procedures if usual.get(name) != version)
            out.append(Entry(run.unit.tag, model_of(run.unit), book, run.row.id, kind, standings,
                             tuple(earlier[book, run.row.unit]), odd))  # fmt: skip
    return tuple(sorted(out, key=lambda e: (e.kind, e.name, e.tag, e.book)))


def _latest(found: Sequence[Found]) -> tuple[list[Found], dict[tuple[str, str], list[int]]]:
    newest: dict[tuple[str, str], Found] = {}
    earlier: dict[tuple[str, str], list[int]] = defaultdict(list)
    for book, run in sorted(found, key=lambda one: (one[0], one[1].row.id)):
        key = book, run.row.unit
        if key in newest:
            earlier[key].append(newest[key][1].row.id)
        newest[key] = (book, run)
    return list(newest.values()), earlier


def _versions(runs: Sequence[JudgedRun]) -> dict[str, int]:
    """Of each procedure the version that most ran, the newer of two."""
    counts: dict[str, Counter[int]] = defaultdict(Counter)
    for run in runs:
        for name, version in run.opened.procedures:
            counts[name][version] += 1
    return {name: max(each, key=lambda v: (each[v], v)) for name, each in counts.items()}


def _standing(place: tuple[str, str, str], n: int, placed: Sequence[dict[tuple[str, str, str], Any]]) -> Standing:
    there = [one[place] for one in placed if place in one]
    mine = placed[n][place]
    values = [f.number for f in there]
    up = more_is_better(place[0])
    rank = None
    if up is not None:
        sign = 1.0 if up else -1.0
        rank = 1 + sum(sign * (f.number - mine.number) > 2.0 * ((f.u or 0.0) ** 2 + (mine.u or 0.0) ** 2) ** 0.5
                       for f in there if f is not mine)  # fmt: skip
    return Standing(place[0], mine.title, place[1], place[2], mine.number, mine.u, rank, len(there), min(values),
                    statistics.median(values), max(values))  # fmt: skip
