"""The captures of a book, numbered through all its runs in the order they were taken."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from zincsmith.book.reader import BookReader
from zincsmith.model.capture import Capture
from zincsmith.model.events import PointTaken
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
            "where": self.point.at.words + (f", {self.point.at.step.value}" if self.point.at.step else ""),
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
