"""What happened, in words and in order: the entries of the log, readings folded under their point."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum

from zincsmith.book.reader import Written
from zincsmith.formats.words import UNIT_WORDS, local_time
from zincsmith.model.events import (
    Amended,
    BenchSettled,
    CursorsRead,
    DoubtEnded,
    Effected,
    Emptied,
    EntryCorrected,
    EntryRefused,
    EntryTaken,
    Failed,
    FileTaken,
    GatePassed,
    GuardianSaid,
    HandSet,
    Marked,
    Noted,
    Overridden,
    PartEnded,
    Passed,
    PointRejected,
    PointTaken,
    Reconfigured,
    Remarked,
    Retried,
    Revised,
    RunClosed,
    RunOpened,
    RunResumed,
    SafeStep,
    SensesTold,
    Signed,
    StageBegan,
    StateChanged,
    StopRuleMet,
    Tripped,
    Waited,
)
from zincsmith.model.operating_point import LAW_WORDS, OF_LAW, feed_words
from zincsmith.model.quantities import QUANTITIES, WATCHABLE
from zincsmith.model.reading import Point, Reading
from zincsmith.words.bench_words import end_words, settled_words, step_words


class Kind(StrEnum):
    """What an entry is about; each can be left out of sight."""

    READINGS = "Readings"
    SETTINGS = "Settings"
    NOTES = "Notes"
    PHOTOS = "Photos"
    MARKS = "Marks"
    CHANGED = "Changed"
    STOPS = "Stops"


@dataclass
class Entry:
    """``kept`` says that a value is kept but not counted. ``under`` are the entries folded under this one."""

    seq: int
    time: str
    kind: Kind
    text: str
    detail: str = ""
    kept: bool = False
    heading: bool = False
    photo: str = ""
    under: list[Entry] = field(default_factory=list)

    def holds(self, wanted: str) -> bool:
        """Whether a word stands in it or under it."""
        low = wanted.lower()
        return low in f"{self.time} {self.text} {self.detail}".lower() or any(e.holds(wanted) for e in self.under)


DEVIATING = (Overridden, Passed, PointRejected, PointTaken, EntryCorrected, PartEnded)
STOPPING = (Overridden, StopRuleMet, Tripped, Failed, GuardianSaid, RunResumed, StateChanged, BenchSettled)
News = tuple[Entry | None, Entry]


class LogBook:
    """Folds events into entries: stages as headings, points under their stage, readings under their point."""

    def __init__(self) -> None:
        self.entries: list[Entry] = []
        self._points: dict[tuple[int | None, int, int], Entry] = {}
        self._stage: Entry | None = None
        self._news: list[News] = []

    def take(self, events: Iterable[Written]) -> list[News]:
        """Take further events; returns what is new, each with what it stands under, and what is no longer counted."""
        self._news = []
        for written in events:
            self._fold(written)
        return self._news

    def _fold(self, written: Written) -> None:
        event = written.event
        if isinstance(event, PointTaken):
            self._point(written, event.point)
            return
        if isinstance(event, PointRejected):
            self._rejected(written, event)
            return
        if isinstance(event, StageBegan):
            self._stage = self._entry(written, Kind.SETTINGS, event.title, event.detail, heading=True)
            self.entries.append(self._stage)
            self._news.append((None, self._stage))
            return
        if isinstance(event, RunOpened | RunResumed | RunClosed):
            self._stage = None
        told = _told(event)
        if told is None:
            return
        kind, text, detail = told
        entry = self._entry(written, kind, text, detail)
        entry.kept = isinstance(event, EntryCorrected | EntryRefused)
        entry.photo = event.photo if isinstance(event, Noted) else ""
        entry.heading = isinstance(event, RunOpened | RunResumed | RunClosed)
        self._place(entry)

    def _place(self, entry: Entry) -> None:
        under = None if entry.heading else self._stage
        (self.entries if under is None else under.under).append(entry)
        self._news.append((under, entry))

    @staticmethod
    def _entry(written: Written, kind: Kind, text: str, detail: str, heading: bool = False) -> Entry:
        return Entry(written.seq, local_time(written.at, seconds=True), kind, text, detail, heading=heading)

    def _point(self, written: Written, point: Point) -> None:
        again = f", taken again ({point.take})" if point.take > 1 else ""
        where = point.at.words or "background"
        entry = self._entry(written, Kind.READINGS, f"Point {point.number}{again}", where)
        if point.settled is False:
            entry.detail += "; of the moment: it had not settled"
        for reading in point.readings:
            words = QUANTITIES[reading.quantity].words
            said = f"{reading_words(reading)}, {reading.source}"
            entry.under.append(Entry(written.seq, "", Kind.READINGS, words, said))
        if point.take > 1:
            before = self._points.get((written.run, point.number, point.take - 1))
            if before is not None:
                before.kept = True
                self._news.append((None, before))
        self._points[written.run, point.number, point.take] = entry
        self._place(entry)

    def _rejected(self, written: Written, event: PointRejected) -> None:
        point = self._points.get((written.run, event.number, event.take))
        if point is not None:
            point.kept = True
            self._news.append((None, point))
        text = f"Point {event.number} rejected"
        self._place(self._entry(written, Kind.CHANGED, text, f"{event.reason} ({event.by}); kept, not counted"))


def reading_words(reading: Reading) -> str:
    """A reading with its unit."""
    if reading.value is None:
        return "not read"
    return f"{reading.value:.6g} {UNIT_WORDS.get(reading.unit, reading.unit)}".rstrip()


def _values(values: dict[str, float]) -> str:
    shown = ("input_voltage", "input_power", "output_voltage", "output_current", "case_temperature")
    parts = [f"{values[q]:.4g} {UNIT_WORDS.get(WATCHABLE[q].unit, WATCHABLE[q].unit)}" for q in shown if q in values]
    return ", ".join(parts)


Told = tuple[Kind, str, str]


def _of_the_run(event: object) -> Told | None:
    """Of a run, its beginning, its end and what stopped it."""
    match event:
        case RunOpened(unit=unit, procedures=procedures, operator=operator):
            return Kind.STOPS, f"Run begins, {unit}", f"{operator}; {', '.join(name for name, _ in procedures)}"
        case RunResumed(operator=operator, step=step):
            return Kind.STOPS, "Resumed", f"{operator}, at step {step}; what was read before is kept"
        case RunClosed(outcome, why):
            return Kind.STOPS, f"Run ends: {outcome}", f"{why}; {end_words(event)}"
        case BenchSettled():
            return Kind.STOPS, "Bench settled after all", settled_words(event)
        case Tripped(quantity, value, _, _, whose):
            info = WATCHABLE[quantity]
            seen = f"{value:.4g} {UNIT_WORDS.get(info.unit, info.unit)}" if value is not None else "could not be read"
            return Kind.STOPS, f"Made safe by {info.inside}", f"{seen}; limit: {whose}"
        case GuardianSaid(text, at):
            return Kind.STOPS, "Guardian", f"{text}{f', {local_time(at, seconds=True)}' if at else ''}"
        case Failed(text=text):
            return Kind.STOPS, "Failed", text
        case StateChanged("paused", why):
            return Kind.STOPS, "Paused", why
        case StateChanged("running", "resumed by the operator"):
            return Kind.STOPS, "Goes on", "resumed by the operator"
        case _:
            return None


def _of_the_bench(event: object) -> Told | None:
    """Of a run, what was set, switched and waited for."""
    match event:
        case Emptied(what, after_s):
            return Kind.SETTINGS, f"{what[:1].upper()}{what[1:]} emptied", f"within {after_s:.3g} s of the switch-off"
        case Retried(text, role, times):
            return Kind.CHANGED, f"{role.replace('_', ' ')} tried again ({times})", text
        case SafeStep(step):
            return Kind.STOPS, f"{step[:1].upper()}{step[1:]}", ", ".join(step_words(event))
        case HandSet(role, by, _, float(voltage)):
            return Kind.SETTINGS, f"{role.replace('_', ' ')} set by hand", f"landed at {voltage:g} V, {by}"
        case GatePassed(by, automatic):
            return Kind.SETTINGS, "Gate passed", f"{by}{', automatically' if automatic else ''}"
        case HandSet(role, by):
            return Kind.SETTINGS, f"{role.replace('_', ' ')} set by hand", by
        case Effected(action, body):
            return (
                Kind.SETTINGS,
                {"SetSource": "Source", "SetLoad": "Load", "ChooseMode": "Mode"}.get(action, action),
                _setting_words(body),
            )
        case PartEnded(_, "skipped"):
            return Kind.CHANGED, "Part skipped", "tidied up"
        case Waited(why, after_s, stable):
            how = {True: "steady", False: "ceiling reached, still drifting", None: "time over"}[stable]
            return Kind.SETTINGS, "Waited", f"{why}: {after_s:.0f} s, {how}"
        case _:
            return None


def _of_people(event: object) -> Told | None:
    """Of a run, what somebody typed, noticed, skipped or noted."""
    match event:
        case StopRuleMet(words=words, may_continue=may):
            return Kind.STOPS, "Stop rule", f"{words}{'' if may else '; nobody goes beyond that'}"
        case SensesTold(by, observed):
            noticed = event.noticed
            said = f"{', '.join(noticed) or 'nothing'} noticed, {by}" if observed else "not observed"
            kind = Kind.STOPS if {"glow", "smell", "sound"} & set(noticed) else Kind.NOTES
            return (
                kind,
                "Looked, smelt, listened",
                said,
            )
        case EntryTaken(reading):
            return Kind.READINGS, f"Typed: {QUANTITIES[reading.quantity].inside}", reading_words(reading)
        case EntryRefused(text, reason):
            return Kind.CHANGED, f"Refused: {text}", reason
        case EntryCorrected(reading, first, reason, by):
            was = f"{first:g}" if first is not None else "not read"
            return Kind.CHANGED, f"Corrected: {reading_words(reading)}", f"was {was}, kept; {reason} ({by})"
        case Passed(by, part):
            return Kind.CHANGED, "Skipped the rest of the part" if part else "Skipped", by
        case Remarked(text):
            return Kind.NOTES, "Remark", text
        case Noted(text, values, photo):
            return (Kind.PHOTOS if photo else Kind.NOTES), text, _values(values)
        case Marked(text, values):
            return Kind.MARKS, f"Mark: {text}" if text else "Mark", _values(values)
        case _:
            return None


def _of_papers(event: object) -> Told | None:
    """What somebody answers for by name: beyond a stop rule, files, what the unit is now, signatures, documents."""
    match event:
        case Overridden(reason=reason, by=by, whose=whose):
            return Kind.STOPS, "Went on beyond a stop rule", f"{whose}: {reason} ({by})"
        case FileTaken(name, sha256, holds, instrument, notes):
            by = f", recorded by {instrument}" if instrument else ""
            return Kind.NOTES, f"Taken in: {name}", "; ".join((f"{holds}{by}", *notes, f"file {sha256[:16]}"))
        case Reconfigured(name, changes, restore):
            back = f"; to be put back: {restore}" if restore else ""
            return Kind.CHANGED, f"Configuration: {name}", f"{changes or 'what was changed is not said'}{back}"
        case Signed(by, evidence):
            return Kind.CHANGED, f"Signed by {by}", f"over evidence {evidence[:16]}"
        case DoubtEnded(doubt, _, evidence, by):
            return Kind.CHANGED, f"A doubt was dealt with by {by}: {evidence}", doubt
        case CursorsRead(cursors, by):
            what = f"Cursors read by {by} on point {cursors.point}: {cursors.measure}"
            return Kind.NOTES, what, cursors.reason
        case Amended(by, text):
            return Kind.CHANGED, f"Amended by {by}", text
        case Revised(document, key, _, why):
            return Kind.CHANGED, f"{document} {key}", why
        case _:
            return None


def _told(event: object) -> Told | None:
    """(kind, text, detail) of an event that stands in the log by itself; None for what does not."""
    of = (_of_the_run, _of_the_bench, _of_people, _of_papers)
    return next((told for tell in of if (told := tell(event)) is not None), None)


def deviations_of(events: Iterable[Written]) -> tuple[tuple[str, str, str], ...]:
    """(time, what, why) of what did not go as planned: skipped, taken again, rejected, corrected."""
    out = []
    for written in events:
        event = written.event
        if isinstance(event, PointTaken):
            if event.point.take > 1:
                out.append((local_time(written.at, seconds=True), f"Point {event.point.number} taken again", ""))
        elif isinstance(event, PointRejected):
            text = f"Point {event.number} rejected"
            out.append((local_time(written.at, seconds=True), text, f"{event.reason} ({event.by})"))
        elif isinstance(event, DEVIATING) and (told := _told(event)) is not None:
            out.append((local_time(written.at, seconds=True), told[1], told[2]))
    return tuple(out)


def stops_of(events: Iterable[Written]) -> tuple[tuple[str, str, str], ...]:
    """(time, text, detail) of what stopped or broke a run; its begin, its end and the steps of making safe are not
    among them."""
    out = []
    for written in events:
        told = _told(written.event)
        if told is not None and told[0] is Kind.STOPS and isinstance(written.event, STOPPING):
            out.append((local_time(written.at, seconds=True), told[1], told[2]))
    return tuple(out)


def _setting_words(body: dict[str, float | str | bool | None]) -> str:
    state = "on" if body.get("on") else "off"
    hand = ", by hand" if body.get("hand") else ""
    if "voltage_V" in body:
        return f"{feed_words(float(body['voltage_V'] or 0.0), float(body['frequency_Hz'] or 0.0))}, {state}{hand}"
    if "mode" in body:
        refused = ", refused" if body.get("refused") else ""
        return f"{body['mode']}{refused}{hand}"
    if body.get("law"):
        law = str(body["law"])
        level = body.get("level")  # none where nothing is drawn: no resistance takes nothing
        at = f", {level:.4g} {OF_LAW[law]}" if isinstance(level, float) else ""
        return f"{LAW_WORDS[law]}{at}, {state}{hand}"
    if body.get("shorted"):
        return f"short input, {state}"
    return f"{body['current_A']:.4g} A, {state}{hand}{_pulses(body)}"


def _pulses(body: dict[str, float | str | bool | None]) -> str:
    if "pulses_A" not in body:
        return ""
    share = 100.0 * float(body["pulses_duty"] or 0.0)
    return f", and {body['pulses_A']:.3g} A more {body['pulses_Hz']:g} times a second for {share:g} % of the time"
