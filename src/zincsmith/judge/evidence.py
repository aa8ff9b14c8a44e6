"""Evidence from the events of a run, and the findings of every part of its plan."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zincsmith.analysis.corrections import corrected as referred
from zincsmith.analysis.corrections import counted
from zincsmith.analysis.data_sheet import with_data_sheets
from zincsmith.analysis.envelope import Envelope
from zincsmith.analysis.phase import with_fundamental
from zincsmith.book.reader import BookReader, RunRow, Written
from zincsmith.judge.by_cursors import with_cursors
from zincsmith.judge.memory import Memory, made_of
from zincsmith.model.address import at_port
from zincsmith.model.capture import ByCursors, CaptureChannel
from zincsmith.model.errors import InputError
from zincsmith.model.events import (
    CursorsRead,
    Effected,
    EntryCorrected,
    Overridden,
    PartEnded,
    PointRejected,
    PointTaken,
)
from zincsmith.model.fed import as_fed
from zincsmith.model.finding import Doubt, Finding, Working
from zincsmith.model.operating_point import Draw
from zincsmith.model.quantities import WATCHABLE
from zincsmith.model.reading import WORKED_OUT, Evidence, Point, Reading
from zincsmith.model.rig import Rig
from zincsmith.model.unit import Nameplate
from zincsmith.procedures.base import Conventions
from zincsmith.procedures.catalogue import package_of, procedure


@dataclass(frozen=True)
class BookTraces:
    """Samples of the captures of a book, fetched when a figure touches them: by then whoever opened the book may have
    closed it, so that each fetch opens it for itself."""

    path: Path

    def read(self, channel: CaptureChannel, start: int = 0, stop: int | None = None) -> NDArray[np.float64]:
        with BookReader(self.path) as book:
            return channel.offset + channel.scale * book.traces.read(channel.sha256, start, stop)

    def drawn(
        self, channel: CaptureChannel, count: int, begin_s: float, step_s: float, columns: int
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        with BookReader(self.path) as book:
            spans = book.traces.envelope(channel.sha256, 0, count, columns)
        each = -(-count // max(1, columns)) * step_s
        at = begin_s + each * np.arange(len(spans))
        times = np.stack([at, at + 0.5 * each], axis=1).reshape(-1)
        return times, channel.offset + channel.scale * spans.reshape(-1)


COUNTING = (PointTaken, PointRejected, EntryCorrected, PartEnded, Overridden, Effected)


@dataclass
class _Told:
    """What the events of a run add up to."""

    points: dict[int, Point] = field(default_factory=dict)
    corrected: dict[str, Reading] = field(default_factory=dict)
    ended: list[int] = field(default_factory=list)
    overridden: list[tuple[int, str]] = field(default_factory=list)


def _fold(events: Iterable[Written]) -> _Told:
    """The last take of each point that nobody rejected, what was corrected, ended and gone beyond."""
    told = _Told()
    stands: dict[str, tuple[object, ...]] = {}
    since: float | None = None
    for written in events:
        match written.event:
            case Effected(action, body):
                now = tuple(body.get(key) for key in ("voltage_V", "frequency_Hz", "current_A", "on"))
                if stands.get(action) != now:
                    stands[action], since = now, written.bench_s
            case PointTaken(point):
                held = point.bench_s - since if since is not None else None
                told.points[point.number] = replace(point, held_s=held) if held is not None else point
            case PointRejected(number=number, take=take):
                if number in told.points and told.points[number].take == take:
                    del told.points[number]
            case EntryCorrected(reading):
                told.corrected[reading.id] = reading
            case Overridden(quantity, value, whose, reason, by, part):
                what = f"{WATCHABLE[quantity].words} of {value:.4g} {WATCHABLE[quantity].unit} lay beyond {whose}"
                told.overridden.append((part, f"{what}; {by} went on: {reason}."))
            case PartEnded(part, "complete"):
                told.ended.append(part)
            case _:
                pass
    return told


def evidence_of(book: BookReader, run: int, memory: Memory | None = None) -> Evidence:
    """The points of one run that count: the last take of each that nobody rejected, as a person corrected them, and
    referred to the unit's terminals as far as the rig states its resistances. ``memory`` keeps what was worked out."""
    memory = memory if memory is not None else Memory()
    closed, opened = book.closed(run), book.opened(run)
    told = _fold(memory.read(book, run, COUNTING))
    points, corrected = told.points, told.corrected
    row = book.run(run)
    rig = book.rig(row.rig_n)
    unit = as_fed(book.unit(row.unit, row.unit_n), rig)

    def counts(point: Point) -> Point:
        as_typed = _corrected(point, corrected)
        of = (as_typed, rig, unit.nameplate)
        return memory.point(
            (point.number, point.take), of,
            lambda: as_reached(_known(as_typed, rig, row, opened.ambient_degC), unit.nameplate),
        )  # fmt: skip

    kept = tuple(counts(points[n]) for n in sorted(points))
    samples = {w.sha256: book.samples(w.sha256) for p in kept for w in p.waves}
    kept = with_fundamental(kept, samples, rig)
    return Evidence(
        points=kept,
        complete=closed is not None and closed.outcome == "complete",
        ambient_degC=opened.ambient_degC,
        procedures=tuple(name for name, _ in opened.procedures),
        ended=tuple(told.ended),
        overridden=tuple(told.overridden),
        cursors=tuple(
            ByCursors(w.event.cursors, w.event.by)
            for w in memory.read(book, run, (CursorsRead,))
            if isinstance(w.event, CursorsRead)
        ),
        not_its_own=tuple(r.what for r in unit.to_restore if r.effect),
        samples=samples,
        traces=BookTraces(book.path),
    )


def _corrected(point: Point, corrected: dict[str, Reading]) -> Point:
    return replace(point, readings=tuple(corrected.get(r.id, r) for r in point.readings))


def _known(point: Point, rig: Rig, row: RunRow, ambient_degC: float | None) -> Point:
    """The point as the rig of its run explains it: wiring taken off, data sheets put in."""
    wired = referred(counted(point, rig), rig)
    wired = replace(wired, readings=tuple(_of_rig(r, row.rig_n) for r in wired.readings))
    return with_data_sheets(wired, rig, row.id, ambient_degC, row.began)


REACHED = 2.0  # percent of load: nearer than that a load counts as the one that was asked for


def as_reached(point: Point, plate: Nameplate) -> Point:
    """The point under the loads that were reached, where resistors gave others than were asked for."""
    if not plate.outputs or not point.at.draws:
        return point
    envelope = Envelope(plate, dict(point.at.modes))
    return replace(point, at=replace(point.at, draws=tuple(_reached(d, point, envelope) for d in point.at.draws)))


def _reached(draw: Draw, point: Point, envelope: Envelope) -> Draw:
    drawn = point.get(at_port("output_current", draw.port))
    if draw.share_percent is None or drawn is None or drawn.value is None or drawn.how != WORKED_OUT:
        return draw
    reached = envelope.percent(drawn.value, draw.port)
    if reached is None or abs(reached - draw.share_percent) <= REACHED:
        return draw
    return replace(draw, share_percent=round(reached, 1), asked_percent=draw.share_percent)


def _of_rig(reading: Reading, rig_n: int) -> Reading:
    """What is not known about leads and burden is shared by runs on one revision of the rig only."""
    source = f"{reading.correction_for}, rig {rig_n}" if reading.correction_for else ""
    return replace(reading, correction_for=source)


def _found(name: str, evidence: Evidence, plate: Nameplate, conventions: Conventions) -> list[Finding]:
    """What one part finds. A procedure that is not installed here, or does not get through its own figures, is told in
    the place of its figures and does no harm to those of the others, nor
    does what divides by a zero that somebody typed."""
    try:
        return procedure(name).findings(evidence, plate, conventions)
    except InputError as error:
        why, remedy = error.message, "Install the package that the run was made with; its points are kept."
    except ArithmeticError as error:
        why = f"{type(error).__name__}: {error}"
        remedy = "Look for a reading of zero where none can be; its points are kept."
    except Exception as error:
        if package_of(name) is None:
            raise
        why, remedy = f"{type(error).__name__}: {error}", "Tell whoever wrote the procedure; its points are kept."
    doubt = Doubt("procedure_broken", f"The figures of {name} could not be worked out: {why}.", remedy)
    title = name.replace("_", " ").capitalize()
    return [Finding(name, title, None, "1", working=Working("", note=why), doubts=(doubt,))]


def _by_all(name: str, evidence: Evidence, plate: Nameplate, conventions: Conventions) -> list[Finding]:
    """What one part finds, and what the procedures find whose captures were taken in it."""
    found = _found(name, evidence, plate, conventions)
    for rider in evidence.riders:
        if rider != name:
            found += _found(rider, evidence.captured_for(rider), plate, conventions)
    return found


def _of_configuration(found: list[Finding], evidence: Evidence, part: int) -> list[Finding]:
    """What a part finds is of the configuration that its points were taken in."""
    name = next((p.at.configuration for p in evidence.points if p.part == part and p.at.configuration), "")
    return [replace(f, at=replace(f.at, configuration=name)) for f in found] if name else found


def findings_of(
    procedures: Sequence[str],
    evidence: Evidence,
    plate: Nameplate,
    conventions: Conventions,
    memory: Memory | None = None,
) -> list[Finding]:
    """What each part of a plan finds, in order; a part of which nothing is new is not worked out again."""
    found: list[Finding] = []
    memory = memory if memory is not None else Memory()
    for part, name in enumerate(procedures):
        own = evidence.of_part(part)
        of = (name, plate, conventions, *made_of(own))
        mine = memory.part(part, of, partial(_by_all, name, own, plate, conventions))
        doubts = tuple(
            Doubt("stop_rule_overridden", words, "Find out why, mend it, and take this part again.")
            for at, words in evidence.overridden
            if at == part
        )
        mine = with_cursors(mine, own) if own.cursors else mine
        mine = [replace(f, doubts=(*f.doubts, *doubts)) for f in mine] if doubts else mine
        found += _of_configuration(mine, evidence, part)
    return found
