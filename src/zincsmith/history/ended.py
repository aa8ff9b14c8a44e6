"""Doubts that somebody has dealt with: repeated, confirmed by an independent meter, or explained."""

from __future__ import annotations

from dataclasses import replace

from zincsmith.book.reader import BookReader
from zincsmith.formats.words import local_time
from zincsmith.model.errors import InputError
from zincsmith.model.events import DoubtEnded
from zincsmith.model.finding import Doubt, Judged

WAYS = {
    "repeated": "odd, confirmed by repeating",
    "confirmed": "odd, confirmed by an independent meter",
    "explained": "odd, explained",
}


def doubt_ended(text: str, said: str) -> DoubtEnded:
    """What is written when somebody ends a doubt; ``said`` is *way: evidence: name*. InputError for anything else."""
    way, _, rest = (part.strip() for part in said.partition(":"))
    evidence, _, by = (part.strip() for part in rest.rpartition(":"))
    if not (way and evidence and by):
        raise InputError("say how, by what and who: confirmed: a second meter read 24.01 V: Elin Ward")
    way = way.lower()
    if way not in WAYS:
        raise InputError(f"a doubt is {', '.join(WAYS)}; {way!r} is none of these")
    return DoubtEnded(text, way, evidence, by)


def ended_of(book: BookReader, run: int) -> dict[str, str]:
    """What each ended doubt of a run reads, by its text."""
    found = {}
    for written in book.events(run=run, kinds=(DoubtEnded,)):
        if isinstance(written.event, DoubtEnded):
            found[written.event.doubt] = ended_words(written.event, written.at)
    return found


def ended_words(event: DoubtEnded, at: str) -> str:
    way = WAYS.get(event.how, event.how)
    return f"{way[:1].upper()}{way[1:]}: {event.evidence} ({event.by}, {local_time(at, date=True)})"


def with_ended(judged: Judged, ended: dict[str, str]) -> Judged:
    """The same with what was said about its doubts."""
    doubts = tuple(_told(d, ended) for d in judged.finding.doubts)
    if doubts == judged.finding.doubts:
        return judged
    return replace(judged, finding=replace(judged.finding, doubts=doubts))


def _told(doubt: Doubt, ended: dict[str, str]) -> Doubt:
    return replace(doubt, ended=ended[doubt.text]) if doubt.text in ended else doubt
