"""The capture behind a figure, and the one that has just landed, with what a trace view needs to draw them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zincsmith.judge.by_cursors import BY_CURSORS, of_point
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.capture import CaptureChannel
from zincsmith.model.finding import Judged
from zincsmith.model.reading import Point
from zincsmith.procedures.catalogue import procedure
from zincsmith.procedures.waveforms.findings import OfCaptures
from zincsmith.recorded.result import Mark
from zincsmith.ui.connection.session import Session
from zincsmith.ui.widgets.trace_view import Fetch, Shown


def fetch_from(session: Session) -> Fetch:
    """Extremes of stretches of a channel, out of the book that is open then."""

    def fetch(channel: CaptureChannel, start: int, stop: int, columns: int) -> NDArray[np.float64]:
        book = session.reader
        if book is None:
            return np.empty((0, 2))
        spans = book.traces.envelope(channel.sha256, start, stop, columns)
        return np.asarray(channel.offset + channel.scale * spans, dtype=np.float64)

    return fetch


def capture_behind(run: JudgedRun, judged: Judged) -> Shown | None:
    """The capture that a figure was worked out of: of several repeats the one that counts."""
    finding = judged.finding
    rows = [row for row in finding.working.rows if "samples" in row]
    if not rows:
        return None
    row = next((r for r in rows if r.get("value") == finding.value), rows[0])
    point = next((p for p in run.evidence.points if p.number == row["point"] and p.captures), None)
    if point is None:
        return None
    index = row.get("capture", 0)
    return shown_of(point, index if isinstance(index, int) else 0, run.row.id, run, finding.name)


def shown_of(point: Point, index: int, number: int, run: JudgedRun | None, chosen: str = "") -> Shown:
    """A capture of a point of run ``number``, with the marks of what was judged of it and those of people; the figure
    that was ``chosen`` is the first that cursors may stand beside."""
    capture = point.captures[index]
    one = procedure(capture.of)
    title = ", ".join(x for x in (one.title, point.at.words, capture.instrument) if x)
    marks: tuple[Mark, ...] = ()
    beside: list[tuple[str, str, str]] = []
    if run is not None:
        if isinstance(one, OfCaptures):
            marks = one.marks(point, capture, run.evidence, run.unit.nameplate)
        marks = (*marks, *_placed(run, point, index))
        own = [j.finding for j in run.judged if j.run is None and of_point(j.finding, point)]
        named = {f.name: (f.name, f.title, f.unit) for f in sorted(own, key=lambda f: f.name != chosen)}
        beside = [one for name, one in named.items() if not name.endswith(BY_CURSORS)]
    return Shown(title, capture, marks, (number, point.number, point.take, index), point.at, tuple(beside))


def _placed(run: JudgedRun, point: Point, index: int) -> list[Mark]:
    """Where people put their cursors; the second carries the name."""
    found = []
    for read in run.evidence.cursors:
        c = read.cursors
        if (c.point, c.take, c.capture) == (point.number, point.take, index):
            rule = f"placed by {read.by}: {c.reason}"
            found += [Mark("", c.first_s, rule), Mark(f"{c.measure}, {read.by}", c.second_s, rule)]
    return found
