"""The captures of a book, numbered through all its runs in the order they were taken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from zincsmith.book.reader import BookReader
from zincsmith.model.capture import Capture, Cursors
from zincsmith.model.errors import InputError
from zincsmith.model.events import PointTaken, Signed
from zincsmith.model.reading import Point


@dataclass(frozen=True)
class Held:
    """A capture and where it stands; ``at`` is UTC in ISO form."""

    number: int
    run: int
    at: str
    point: Point
    capture: Capture

    def as_json(self) -> dict[str, Any]:
        """The published form."""
        one = self.capture
        return {
            "number": self.number,
            "run": self.run,
            "point": self.point.number,
            "of": one.of,
            "at": self.at,
            "where": ", ".join(x for x in (self.point.at.words, self.point.at.step and self.point.at.step.value) if x),
            "conditions": self.point.at.conditions,
            "instrument": one.instrument,
            "how": one.how,
            "file": one.file,
            "samples": one.count,
            "step_s": one.step_s,
            "before": one.before,
            "trigger": (
                {"source": one.trigger.source, "level": one.trigger.level, "slope": one.trigger.slope}
                if one.trigger is not None
                else None
            ),
            "channels": [
                {
                    "quantity": c.address, "unit": c.unit, "scale": c.scale, "offset": c.offset,
                    "attenuation": c.attenuation, "coupling": c.coupling, "bandwidth_Hz": c.bandwidth_Hz,
                    "ground": c.ground, "deskew_s": c.deskew_s, "clipped": c.clipped, "sha256": c.sha256,
                }
                for c in one.channels
            ],
        }  # fmt: skip


def captures_of(book: BookReader) -> list[Held]:
    """Every capture of every run."""
    found: list[Held] = []
    for row in book.runs():
        for written in book.events(run=row.id, kinds=(PointTaken,)):
            point = written.event.point
            for one in point.captures:
                found.append(Held(len(found) + 1, row.id, written.at, point, one))
    return found


def check_cursors(book: BookReader, run: int, cursors: Cursors) -> None:
    """InputError for a figure that nobody can read off a capture of this run."""
    if list(book.events(run=run, kinds=(Signed,))):
        raise InputError(f"run {run} is signed: it is amended, its figures are not added to")
    if not cursors.reason.strip():
        raise InputError("say why: a figure from cursors carries a reason and a name")
    taken = {
        (p.number, p.take): p
        for w in book.events(run=run, kinds=(PointTaken,))
        if isinstance(w.event, PointTaken)
        for p in (w.event.point,)
    }
    point = taken.get((cursors.point, cursors.take))
    if point is None or not 0 <= cursors.capture < len(point.captures):
        raise InputError(f"run {run} has no such capture at point {cursors.point}")
    capture = point.captures[cursors.capture]
    last_s = capture.begin_s + capture.count * capture.step_s
    if not all(capture.begin_s <= at <= last_s for at in (cursors.first_s, cursors.second_s)):
        raise InputError(
            f"a cursor stands outside the capture, which goes from {capture.begin_s:.6g} to {last_s:.6g} s"
        )
    if abs(cursors.second_s - cursors.first_s) < 0.5 * capture.step_s:
        raise InputError("both cursors stand at one sample: nothing lies between them")
    if capture.channel(cursors.address) is None:
        there = ", ".join(c.address for c in capture.channels) or "none: its figures were typed"
        raise InputError(f"the capture has no channel {cursors.address!r}; it has {there}")
    if not cursors.grain_s > 0.0:
        raise InputError("how finely the cursors were placed is not said")
