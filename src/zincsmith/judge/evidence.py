"""Evidence from the events of a run."""

from __future__ import annotations

from zincsmith.book.reader import BookReader
from zincsmith.model.events import PointTaken
from zincsmith.model.reading import Evidence


def evidence_of(book: BookReader, run: int) -> Evidence:
    """The points of one run, as they stand in the book."""
    points = []
    for written in book.events(run=run, kinds=(PointTaken,)):
        assert isinstance(written.event, PointTaken)
        points.append(written.event.point)
    closed, opened, plan = book.closed(run), book.opened(run), book.run(run).plan_n
    return Evidence(
        points=tuple(points),
        complete=closed is not None and closed.outcome == "complete",
        ambient_degC=opened.ambient_degC,
        warm_up_s=book.plan(plan).options.warm_up_s,
    )
