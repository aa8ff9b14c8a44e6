"""Which claims a run is judged against: those of today, for a run that somebody signed those of that day."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.book.reader import BookReader, RunRow
from zincsmith.model.events import Revised, Signed
from zincsmith.model.unit import Nameplate, Unit


def with_claims_in_force(book: BookReader, row: RunRow, unit: Unit) -> tuple[Unit, bool]:
    """(the unit as the run cites it with the claims in force, whether these differ from the run's own). A unit whose
    ratings or configuration were edited since keeps its own claims: they speak of another state of it."""
    now = book.unit(row.unit, _revision(book, row))
    if now.configuration != unit.configuration or _ratings(now.nameplate) != _ratings(unit.nameplate):
        return unit, False
    a, b = unit.nameplate, now.nameplate
    if (a.claims, a.rules, a.dropped) == (b.claims, b.rules, b.dropped):
        return unit, False
    return replace(unit, nameplate=replace(a, claims=b.claims, rules=b.rules, dropped=b.dropped)), True


def _ratings(plate: Nameplate) -> Nameplate:
    return replace(plate, claims=(), rules=(), dropped=())


def _revision(book: BookReader, row: RunRow) -> int | None:
    """The revision of the unit in force when the run was last signed; None, the latest, where nobody signed it."""
    signed = [w.seq for w in book.events(run=row.id, kinds=(Signed,))]
    if not signed:
        return None
    n = row.unit_n
    for written in book.events(kinds=(Revised,)):
        event = written.event
        if (
            written.seq < signed[-1]
            and isinstance(event, Revised)
            and (event.document, event.key) == ("unit", row.unit)
        ):
            n = event.n
    return n
