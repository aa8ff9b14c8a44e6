"""What was worked out when a run was judged before, so that one more point costs what it touches and no more."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from zincsmith.book.reader import BookReader, Written
from zincsmith.model.finding import Finding
from zincsmith.model.reading import Evidence, Point


@dataclass
class Memory:
    """Of one run. ``points`` are by number and take: as it stood in the book, and as it counts. ``parts`` hold by place
    in the plan what the figures of a part were worked out of, and the figures."""

    run: int = 0
    events: dict[tuple[type, ...], list[Written]] = field(default_factory=dict)
    points: dict[tuple[int, int], tuple[object, Point]] = field(default_factory=dict)
    parts: dict[int, tuple[object, list[Finding]]] = field(default_factory=dict)

    def read(self, book: BookReader, run: int, kinds: tuple[type, ...]) -> list[Written]:
        """The events of these kinds, those from before not read again: a book is only ever added to."""
        if run != self.run:
            self.run, self.events, self.points, self.parts = run, {}, {}, {}
        known = self.events.setdefault(kinds, [])
        known += book.events(after=known[-1].seq if known else 0, run=run, kinds=kinds)
        return known

    def point(self, key: tuple[int, int], of: object, work: Callable[[], Point]) -> Point:
        """A point as it counts; worked out where what it is made of is not what it was."""
        known = self.points.get(key)
        if known is None or known[0] != of:
            known = self.points[key] = (of, work())
        return known[1]

    def part(self, at: int, of: object, work: Callable[[], list[Finding]]) -> list[Finding]:
        """The figures of a part, likewise."""
        known = self.parts.get(at)
        if known is None or known[0] != of:
            known = self.parts[at] = (of, work())
        return known[1]


def made_of(evidence: Evidence) -> tuple[object, ...]:
    """Everything that the figures of a part may depend on, to be compared."""
    e = evidence
    return e.points, e.earlier, e.complete, e.ambient_degC, e.procedures, e.ended, e.not_its_own
